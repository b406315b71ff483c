import { addressOf } from "../../../schema/address.js";
import { cutName } from "../../../schema/naming.js";
import { uniqueLists } from "../../../schema/lookups.js";
import type { Table } from "../../../schema/types.js";
import { copySql, listOf } from "../../shared/attic.js";
import { keptColumnsByTrigger } from "../../shared/kept-by-triggers.js";
import type { KeptColumns } from "../../shared/kept.js";
import type { Block, RenderPlan } from "../../shared/render-plan.js";
import { attic } from "../attic.js";
import { NAME_LIMIT, quote, quoteList, quoteTable } from "../names.js";

const EVENTS = ["INSERT", "UPDATE", "DELETE"] as const;

/** The trigger of ours that keeps what is written to a table while a run goes on. */
function keeperOf({ name }: Table, event: string): string {
  return quote(cutName(`emberset_keep_${event.toLowerCase()}_${name}`, NAME_LIMIT));
}

/** What goes of a table, as it is called once tables are renamed, and is kept by triggers until it does. */
export function mirroredIn(plan: RenderPlan, now: Table): KeptColumns[] {
  return keptColumnsByTrigger(plan, attic).filter(kept => kept.now === addressOf(now));
}

/** Before columns go: the attic has what each row holds in them, and has what is written meanwhile as well. */
export function mirrorColumns(kept: KeptColumns, now: Table): Block {
  const [place, table] = [quoteTable(kept.address), quoteTable(addressOf(now))];
  const key = kept.key.map(({ was }) => was);
  const names = [...key, ...kept.columns.map(({ name }) => name)];
  const old = key.map(name => `${quote(name)} = OLD.${quote(name)}`).join(" AND ");
  const goes = `DELETE FROM ${place} WHERE ${old}`;
  const comes = `REPLACE INTO ${place} (${quoteList(names)}) VALUES (${names.map(name => `NEW.${quote(name)}`).join(", ")})`;
  const columnOf = (name: string) => kept.table.columns.find(each => each.name === name)!;
  const stays = names.map(name => attic.same(`OLD.${quote(name)}`, `NEW.${quote(name)}`, columnOf(name)));
  const does = {
    INSERT: comes,
    UPDATE: `IF NOT (${stays.join(" AND ")}) THEN ${goes}; ${comes}; END IF`,
    DELETE: goes,
  };
  return {
    title: `keep ${listOf(kept)} in the attic, and what is written meanwhile`,
    statements: [
      `CREATE TABLE ${place} (PRIMARY KEY (${quoteList(key)})) AS ${copySql(kept, kept.now, attic)} LIMIT 0`,
      ...EVENTS.map(
        event =>
          `CREATE TRIGGER ${keeperOf(now, event)} AFTER ${event} ON ${table} FOR EACH ROW ${does[event]}`,
      ),
      // Rows are read as they are last, and nobody changes one while it is copied.
      `REPLACE INTO ${place} (${quoteList(names)}) ${copySql(kept, kept.now, attic)} LOCK IN SHARE MODE`,
    ],
  };
}

/**
 * Nobody writes between the last moment at which triggers keep a column and that at which it is gone. None of it takes time;
 * where a run stops in between, what is kept is copied again.
 */
export function whileMirrorsEnd(
  kept: readonly KeptColumns[],
  now: Table,
  altered: readonly Block[],
): Block[] {
  return [
    { title: "let nobody write for a moment", statements: [lockOf(kept, now)] },
    {
      title: `keep ${kept.map(listOf).join(", ")} no more`,
      statements: EVENTS.map(event => `DROP TRIGGER ${keeperOf(now, event)}`),
    },
    ...altered,
    { title: "let others write again", statements: ["UNLOCK TABLES"] },
  ];
}

/** The statement that locks a table while what keeps its columns goes with them. */
export function lockOf(kept: readonly KeptColumns[], now: Table): string {
  const tables = [addressOf(now), ...kept.map(({ address }) => address)];
  return `LOCK TABLES ${tables.map(each => `${quoteTable(each)} WRITE`).join(", ")}`;
}

/** What a run that stopped may leave behind of it. */
export function tidyMirrors(plan: RenderPlan, now: Table): string[] {
  return mirroredIn(plan, now).length === 0
    ? []
    : EVENTS.map(event => `DROP TRIGGER IF EXISTS ${keeperOf(now, event)}`);
}

/**
 * Why triggers cannot keep columns; undefined: they can. For what a reference changes by itself the server calls none:
 * https://mariadb.com/kb/en/trigger-overview/#triggers-and-cascaded-foreign-key-actions
 */
export function cannotMirror({ key, table }: KeptColumns): string | undefined {
  const names = key.map(({ was }) => was);
  const isTold = uniqueLists(table).some(list => list.every(name => names.includes(name)));
  if (!isTold) return "its rows are told by what is not unique yet";
  const moved = table.foreignKeys.some(
    ({ onUpdate, columns }) =>
      !["no action", "restrict"].includes(onUpdate) && columns.some(name => names.includes(name)),
  );
  return moved ? "a reference may change what its rows are told by, of which no trigger hears" : undefined;
}

const NAME = "`(?:[^`]|``)+`";
const COPIES = new RegExp(
  `^(REPLACE INTO (${NAME}) \\((?:${NAME}(?:, )?)+\\) SELECT (?:${NAME}(?:, )?)+ FROM (${NAME}))( LOCK IN SHARE MODE)$`,
);

/** A copy of some columns of all rows, into the attic: the tables, as they are quoted, and what stands before and behind the rows that are meant. */
export function copiesRows(sql: string):
  | {
      readonly table: string;
      readonly place: string;
      readonly before: string;
      readonly behind: string;
    }
  | undefined {
  const [, before, place, table, behind] = COPIES.exec(sql) ?? [];
  if (table === undefined) return undefined;
  return { table, place: place!, before: before!, behind: behind! };
}

/** Whether a statement ends what keeps a column: it takes nothing away. */
export function endsMirror(sql: string): boolean {
  return sql.startsWith("DROP TRIGGER `emberset_keep_");
}

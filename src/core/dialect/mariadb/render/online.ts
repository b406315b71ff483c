import { addressOf } from "../../../schema/address.js";
import { keepFilledSql } from "../../shared/kept-by-triggers.js";
import { attic } from "../attic.js";
import type { Block, Hindrance, RenderPlan } from "../../shared/render-plan.js";
import type { StepSyntax } from "../../shared/steps.js";
import { cutName } from "../../../schema/naming.js";
import type { Table } from "../../../schema/types.js";
import { NAME_LIMIT, quote, quoteTable } from "../names.js";
import { fillSql } from "./tables.js";
import { awayMeanwhile } from "../../shared/away.js";
import { ATTIC } from "../../../schema/internal-tables.js";
import { namesThrough } from "../../../change/names.js";
import { algorithmFor } from "./algorithm.js";
import { alterationOf } from "./alter-table.js";
import { cannotMirror, copiesRows, endsMirror, lockOf, mirroredIn, tidyMirrors } from "./meanwhile.js";
import { tablePairs, type TablePair } from "./table-pair.js";
import { steps } from "../steps.js";

/**
 * What keeps writers waiting as long as a table has rows: what the server only does by a copy of the table
 * (https://mariadb.com/kb/en/innodb-online-ddl-overview/), and what is copied into the attic, or out of it, under a lock.
 * @param blocks its statements, online
 */
export function hindrancesIn(plan: RenderPlan, blocks: readonly Block[]): Hindrance[] {
  const there = plan.before.tables.map(addressOf);
  const arriving = plan.changes.flatMap(change =>
    change.kind === "add table" && !there.includes(addressOf(change.table)) ? [addressOf(change.table)] : [],
  );
  const isNew = (sql: string) =>
    arriving.some(address => sql.startsWith(`ALTER TABLE ${quoteTable(address)}`));
  const mirrored = plan.after.tables.flatMap(now => {
    const kept = mirroredIn({ ...plan, online: true }, now);
    return kept.length > 0 ? [{ kept, lock: lockOf(kept, now) }] : [];
  });
  let isBrief = false;
  const reasonOf = (sql: string) => {
    const mirror = mirrored.find(({ lock }) => lock === sql);
    if (mirror || sql === "UNLOCK TABLES") isBrief = mirror !== undefined;
    if (mirror) return firstOf(mirror.kept, cannotMirror);
    if (isBrief && !IN_NO_TIME.test(sql)) return "it takes long, and would be done while nobody may write";
    return isNew(sql) ? undefined : reasonFor(sql);
  };
  const found = blocks.flatMap((block): Hindrance[] => {
    const first = firstOf(block.statements, sql => {
      const reason = reasonOf(sql);
      return reason === undefined ? undefined : { what: wordsOf(block, sql, plan), reason };
    });
    return first ? [first] : [];
  });
  return found.length > 0 ? found : awayMeanwhile(blocks, takesLong);
}

/** What is said of the first of which something is. */
function firstOf<T, R>(list: readonly T[], say: (each: T) => R | undefined): R | undefined {
  return list.map(say).find(said => said !== undefined);
}

/** What may be done while a table is locked for a moment. */
const IN_NO_TIME = /^(?:ALTER TABLE [^]* ALGORITHM=INSTANT|DROP TRIGGER [^]*|UNLOCK TABLES)$/;

function takesLong(sql: string): boolean {
  return /^(?:ALTER TABLE|UPDATE) /.test(sql) && !sql.includes("ALGORITHM=INSTANT");
}

/** What of a block is in the way: of an ALTER TABLE the clauses for which alone the table would be copied. */
function wordsOf({ title, details }: Block, sql: string, plan: RenderPlan): string {
  const [, locked] = /^LOCK TABLES `((?:[^`]|``)+)`/.exec(sql) ?? [];
  if (locked !== undefined) return `table ${locked.replaceAll("``", "`")}`;
  const pair = tablePairs(plan, namesThrough(plan.changes)).find(({ now }) =>
    sql.startsWith(`ALTER TABLE ${quoteTable(addressOf(now))}`),
  );
  if (pair) {
    const { clauses, aside } = alterationOf(pair);
    const altered = { was: pair.was, now: pair.now, interim: aside };
    const copied = clauses.filter(
      clause => clause !== "ALGORITHM=COPY" && algorithmFor([clause], altered) === "COPY",
    );
    if (copied.length > 0) return `${addressOf(pair.now)}: ${copied.join(", ")}`;
  }
  return details && details.length > 0 ? details.join(", ") : title;
}

function reasonFor(sql: string): string | undefined {
  if (/^LOCK TABLES /.test(sql))
    return "values are copied into the attic or out of it, and nobody may write meanwhile";
  if (sql.startsWith(`ALTER TABLE \`${ATTIC}`)) return undefined;
  if (/^ALTER TABLE |^EXECUTE IMMEDIATE CONCAT\('ALTER TABLE /.test(sql))
    return / (?:LOCK=NONE|ALGORITHM=INSTANT)$/.test(sql)
      ? undefined
      : "the server copies the table, and nobody may write meanwhile";
  if (/^UPDATE /.test(sql) && !fillsRows(sql))
    return "its values are worked out for all rows in one statement";
  return undefined;
}

/**
 * The statements with which a table is altered, where what is written without a value meanwhile gets it as well: rows that
 * lack it would be in the way when it is demanded.
 */
export function fillingOnline(
  statements: readonly string[],
  { now, fillOf, keptByFilling }: TablePair,
): string[] {
  const fillers = statements.flatMap(sql => {
    const column = fillsRows(sql)?.column.slice(1, -1).replaceAll("``", "`");
    const fill = column === undefined ? undefined : fillOf(column);
    return column !== undefined && fill ? [{ column, fill }] : [];
  });
  const make = fillers.flatMap(({ column, fill }) =>
    EVENTS.map(event => {
      const name = `NEW.${quote(column)}`;
      const value = fillSql(fill, "NEW.");
      const kept = event === "UPDATE" ? keptByFilling(column) : undefined;
      const keep =
        kept && `IF OLD.${quote(column)} IS NULL THEN ${keepFilledSql(kept, column, attic)}; END IF`;
      const does = keep
        ? `IF ${name} IS NULL THEN SET ${name} = ${value}; ${keep}; END IF`
        : `SET ${name} = coalesce(${name}, ${value})`;
      return `CREATE TRIGGER ${fillerOf(now, column, event)} BEFORE ${event} ON ${quoteTable(addressOf(now))} FOR EACH ROW ${does}`;
    }),
  );
  const drop = fillers.flatMap(({ column }) =>
    EVENTS.map(event => `DROP TRIGGER ${fillerOf(now, column, event)}`),
  );
  return [...make, ...statements, ...drop];
}

const EVENTS = ["INSERT", "UPDATE"] as const;

function fillerOf({ name }: Table, column: string, event: string): string {
  return quote(cutName(`emberset_fill_${event.toLowerCase()}_${name}_${column}`, NAME_LIMIT));
}

/** What a run that stopped may leave behind, and no schema tells. */
export function tidyOnline(plan: RenderPlan): string[] {
  return tablePairs(plan, namesThrough(plan.changes)).flatMap(({ now, fillOf }) => [
    ...tidyMirrors(plan, now),
    ...now.columns
      .filter(({ name }) => fillOf(name))
      .flatMap(({ name }) => EVENTS.map(event => `DROP TRIGGER IF EXISTS ${fillerOf(now, name, event)}`)),
  ]);
}

/** An update that gives a value to all rows that have none: the table and the column, as they are quoted. */
export function fillsRows(sql: string): { readonly table: string; readonly column: string } | undefined {
  const [, table, column, empty] = FILLS.exec(sql) ?? [];
  return table === undefined || column !== empty ? undefined : { table, column: column! };
}

const NAME = "`(?:[^`]|``)+`";
const FILLS = new RegExp(`^UPDATE (${NAME}) SET (${NAME}) = [^]+ WHERE (${NAME}) IS NULL$`);

/** The steps of a script that is run while others write. */
export const onlineSteps: StepSyntax = {
  ...steps,
  stepOf: sql => ((fillsRows(sql) ?? copiesRows(sql)) ? { kind: "pieces", about: [] } : steps.stepOf(sql)),
  prepares: sql => endsMirror(sql) || steps.prepares(sql),
  mirrored: (sql, lock) => {
    const copy = copiesRows(sql);
    return copy && lock.includes(`${copy.place} WRITE`) ? [`DELETE FROM ${copy.place}`, sql] : [];
  },
};

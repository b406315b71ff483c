import { addressOf } from "../../schema/address.js";
import { namesThrough } from "../../change/names.js";
import { indexesOf, tablesByName, type Cost } from "../shared/costs.js";
import type { Block, RenderPlan } from "../shared/render-plan.js";
import { quote, quoteTable } from "./names.js";
import { keepsStored } from "./stored.js";

const NAME = `"(?:[^"]|"")+"`;
const TABLE = `((?:${NAME}\\.)?${NAME})`;
const ALTER = new RegExp(`^ALTER TABLE ${TABLE}\\s`);
const INDEX = new RegExp(`^CREATE (?:UNIQUE )?INDEX (CONCURRENTLY )?${NAME} ON ${TABLE}`);
const UPDATE = new RegExp(`^UPDATE ${TABLE} `);
const RETYPE = new RegExp(
  `ALTER COLUMN (${NAME}) TYPE ([^]+?)(?: COLLATE ${NAME})? USING ([^]+?)(?:,\\n|$)`,
  "g",
);

/**
 * By what each statement must do, and the lock it takes: https://www.postgresql.org/docs/15/explicit-locking.html and the
 * notes of https://www.postgresql.org/docs/15/sql-altertable.html
 */
export function costsOf(plan: RenderPlan, blocks: readonly Block[]): Cost[] {
  const tables = tablesByName(plan, quote);
  const retypes = retypesOf(plan);
  return blocks
    .flatMap(({ statements }) => statements)
    .flatMap((sql): Cost[] => {
      const [name, cost] = costOf(sql, retypes, plan.online) ?? [];
      const table = tables.get(name ?? "") ?? "";
      if (table === "" || !cost) return [];
      return [{ table, ...cost, sql, readings: readingsOf(sql, cost.work, indexesOf(plan, table)) }];
    });
}

/** By measuring each on tables of a million rows (`bench/kinds.mjs`). */
function readingsOf(sql: string, work: Cost["work"], indexes: number): number {
  if (/^UPDATE /.test(sql)) return 2 + 0.5 * indexes;
  const count = (pattern: RegExp) => [...sql.matchAll(pattern)].length;
  const built = count(/ (?:UNIQUE|PRIMARY KEY) \(|^CREATE UNIQUE INDEX /g) * 2 + count(/^CREATE INDEX /g);
  const compared = count(/ FOREIGN KEY | VALIDATE CONSTRAINT /g);
  return (work === "written" ? 1 + 0.3 * indexes : 0.15) + 0.4 * built + 0.2 * compared;
}

function costOf(
  sql: string,
  retypes: ReadonlySet<string>,
  isOnline = false,
): readonly [name: string, cost: Pick<Cost, "work" | "waits">] | undefined {
  const [, apart, indexed] = INDEX.exec(sql) ?? [];
  if (indexed !== undefined) return [indexed, { work: "read", waits: apart ? "nobody" : "writers" }];
  const [, updated] = UPDATE.exec(sql) ?? [];
  if (updated !== undefined) return [updated, { work: "written", waits: isOnline ? "nobody" : "writers" }];
  const [, altered] = ALTER.exec(sql) ?? [];
  if (altered === undefined) return undefined;
  const isRetyped = [...sql.matchAll(RETYPE)].some(([, column]) => retypes.has(`${altered} ${column!}`));
  if (/ VALIDATE CONSTRAINT "/.test(sql)) return [altered, { work: "read", waits: "nobody" }];
  if (isRetyped || WRITES.test(sql)) return [altered, { work: "written", waits: "everyone" }];
  // Each clause stands on a line of its own; of what is no more than said, or proven by then, no row is read.
  const reads = sql
    .split("\n")
    .filter(line => !(isOnline && /NOT VALID,?$| UNIQUE USING INDEX | SET NOT NULL,?$/.test(line)))
    .join("\n");
  if (/ ADD CONSTRAINT "(?:[^"]|"")+" (?:CHECK|UNIQUE|PRIMARY KEY|EXCLUDE)\b| SET NOT NULL\b/.test(reads))
    return [altered, { work: "read", waits: "everyone" }];
  return / ADD CONSTRAINT "(?:[^"]|"")+" FOREIGN KEY\b/.test(reads)
    ? [altered, { work: "read", waits: "writers" }]
    : undefined;
}

/** A column whose value each row works out, or counts, by itself; a table that is kept in another way. */
const WRITES =
  / ADD COLUMN (?:[^',\n]|'(?:[^']|'')*')* (?:GENERATED |DEFAULT nextval\(|DEFAULT (?:gen_random_uuid|random|clock_timestamp|uuid_generate_v\d+)\()| SET (?:LOGGED|UNLOGGED|ACCESS METHOD)\b/;

/** Columns, as `"pieces" "weight"`, whose stored values become others. https://www.postgresql.org/docs/15/sql-altertable.html#SQL-ALTERTABLE-NOTES */
function retypesOf(plan: RenderPlan): Set<string> {
  const names = namesThrough(plan.changes);
  const old = new Map(plan.before.tables.map(table => [addressOf(table), table]));
  return new Set(
    plan.changes.flatMap(change => {
      if (change.kind !== "alter column") return [];
      const was = old.get(names.before(change.table));
      if (!was) return [];
      return keepsStored(change) ? [] : [`${quoteTable(change.table)} ${quote(change.after.name)}`];
    }),
  );
}

import { addressOf } from "../../schema/address.js";
import { namesThrough } from "../../change/names.js";
import { BECAME } from "../shared/attic.js";
import { indexesOf, tablesByName, type Cost } from "../shared/costs.js";
import type { Block, RenderPlan } from "../shared/render-plan.js";
import { quote, quoteTable } from "./names.js";
import { SPARE } from "./render/beside.js";
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

/** The rows of a table, shown to the trigger that puts values into a second column. */
const SECOND = new RegExp(`^UPDATE ${TABLE} SET ("${SPARE}(?:[^"]|"")*") = NULL WHERE`);

/** A copy for the attic. */
const COPY = new RegExp(
  `^(?:CREATE TABLE ${TABLE} AS|INSERT INTO ${TABLE} \\([^]*?\\)) SELECT [^]*? FROM ${TABLE}(?: WHERE ${NAME} IS NULL| ON CONFLICT DO NOTHING)?$`,
);
const BECOMES = new RegExp(`^UPDATE ${TABLE} AS t SET [^]* FROM ${TABLE} AS k WHERE `);
const LOCKS = /^LOCK TABLE ([^]*) IN ACCESS EXCLUSIVE MODE$/;

/** The locks that matter here, the weakest first: https://www.postgresql.org/docs/15/explicit-locking.html#LOCKING-TABLES */
const STRENGTHS = [
  "ACCESS SHARE",
  "ROW EXCLUSIVE",
  "SHARE UPDATE EXCLUSIVE",
  "SHARE",
  "SHARE ROW EXCLUSIVE",
  "ACCESS EXCLUSIVE",
] as const;
type Lock = (typeof STRENGTHS)[number];

function stronger(one: Lock, other: Lock): Lock {
  return STRENGTHS.indexOf(one) > STRENGTHS.indexOf(other) ? one : other;
}

function whoWaits(lock: Lock): Cost["waits"] {
  if (lock === "ACCESS EXCLUSIVE") return "everyone";
  return STRENGTHS.indexOf(lock) >= STRENGTHS.indexOf("SHARE") ? "writers" : "nobody";
}

/**
 * By what each statement must do, and the lock it takes, which in one transaction is held to its end: notes of
 * https://www.postgresql.org/docs/15/sql-altertable.html
 */
export function costsOf(plan: RenderPlan, blocks: readonly Block[]): Cost[] {
  const tables = tablesByName(plan, quote);
  const retypes = retypesOf(plan);
  const held = new Map<string, Lock>();
  const holds = (table: string, lock: Lock) =>
    held.set(table, stronger(held.get(table) ?? "ACCESS SHARE", lock));
  return blocks
    .flatMap(({ statements }) => statements)
    .flatMap((sql): Cost[] => {
      const locked = LOCKS.exec(sql)?.[1]?.matchAll(new RegExp(TABLE, "g")) ?? [];
      for (const [, name] of locked) holds(tables.get(name!) ?? "", "ACCESS EXCLUSIVE");
      const [name, cost] = costOf(sql, retypes, plan.online) ?? [];
      const table = tables.get(name ?? "") ?? "";
      if (table === "" || !cost) return [];
      const lock = plan.online ? cost.lock : stronger(cost.lock, held.get(table) ?? "ACCESS SHARE");
      holds(table, lock);
      const { work } = cost;
      if (work === undefined) return [];
      // A row that is written keeps others off from it alone, to the end of the transaction.
      const waits = lock === "ROW EXCLUSIVE" && !plan.online ? "writers" : whoWaits(lock);
      return [{ table, work, waits, lock, sql, readings: readingsOf(sql, work, indexesOf(plan, table)) }];
    });
}

/** By measuring each on tables of a million rows (`bench/kinds.mjs`). */
function readingsOf(sql: string, work: Cost["work"], indexes: number): number {
  // In pieces, with pauses between them, and a trigger for each row: bench/writers.mjs.
  if (sql.endsWith(" ON CONFLICT DO NOTHING")) return 9;
  if (SECOND.test(sql)) return 6 * (2 + 0.5 * indexes);
  if (COPY.test(sql)) return 0.5;
  if (BECOMES.test(sql)) return 2;
  if (/^UPDATE /.test(sql)) return 2 + 0.5 * indexes;
  const count = (pattern: RegExp) => [...sql.matchAll(pattern)].length;
  const built = count(/ (?:UNIQUE|PRIMARY KEY) \(|^CREATE UNIQUE INDEX /g) * 4 + count(/^CREATE INDEX /g);
  const compared = count(/ FOREIGN KEY | VALIDATE CONSTRAINT /g);
  return (work === "written" ? 1 + 0.3 * indexes : 0.15) + 0.4 * built + 0.2 * compared;
}

interface Told {
  readonly lock: Lock;
  /** undefined: it takes no time, however many rows there are. */
  readonly work?: Cost["work"];
}

function costOf(
  sql: string,
  retypes: ReadonlySet<string>,
  isOnline = false,
): readonly [name: string, told: Told] | undefined {
  const [, , , copied] = COPY.exec(sql) ?? [];
  if (copied !== undefined) return [copied, { work: "read", lock: "ACCESS SHARE" }];
  const [, , became] = BECOMES.exec(sql) ?? [];
  if (became !== undefined && sql.includes(BECAME)) return [became, { work: "read", lock: "ACCESS SHARE" }];
  const [, apart, indexed] = INDEX.exec(sql) ?? [];
  if (indexed !== undefined)
    return [indexed, { work: "read", lock: apart ? "SHARE UPDATE EXCLUSIVE" : "SHARE" }];
  const [, updated] = UPDATE.exec(sql) ?? [];
  if (updated !== undefined) return [updated, { work: "written", lock: "ROW EXCLUSIVE" }];
  const [, altered] = ALTER.exec(sql) ?? [];
  if (altered === undefined) return undefined;
  const isRetyped = [...sql.matchAll(RETYPE)].some(([, column]) => retypes.has(`${altered} ${column!}`));
  if (/ VALIDATE CONSTRAINT "/.test(sql)) return [altered, { work: "read", lock: "SHARE UPDATE EXCLUSIVE" }];
  if (isRetyped || WRITES.test(sql)) return [altered, { work: "written", lock: "ACCESS EXCLUSIVE" }];
  // Each clause stands on a line of its own; of what is no more than said, or proven by then, no row is read.
  const reads = sql
    .split("\n")
    .filter(line => !(isOnline && /NOT VALID,?$| UNIQUE USING INDEX | SET NOT NULL,?$/.test(line)))
    .join("\n");
  const lock = lockOf(sql);
  const isRead =
    / ADD CONSTRAINT "(?:[^"]|"")+" (?:CHECK|UNIQUE|PRIMARY KEY|EXCLUDE|FOREIGN KEY)\b| SET NOT NULL\b/.test(
      reads,
    );
  return [altered, { lock, ...(isRead && { work: "read" }) }];
}

/** What an ALTER TABLE locks: its clauses' strongest. */
function lockOf(sql: string): Lock {
  const [first = "", ...more] = sql.split("\n");
  const clauses = more.length > 0 ? more : [first];
  const locks = clauses.map((clause): Lock => {
    if (/ ADD CONSTRAINT "(?:[^"]|"")+" FOREIGN KEY\b/.test(clause)) return "SHARE ROW EXCLUSIVE";
    if (/ (?:ENABLE|DISABLE) (?:ALWAYS )?TRIGGER /.test(clause)) return "SHARE ROW EXCLUSIVE";
    if (/ SET STATISTICS | (?:RE)?SET \(/.test(clause)) return "SHARE UPDATE EXCLUSIVE";
    return "ACCESS EXCLUSIVE";
  });
  return locks.reduce(stronger, "ACCESS SHARE");
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

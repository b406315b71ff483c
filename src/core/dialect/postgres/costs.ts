import { addressOf } from "../../schema/address.js";
import { namesThrough } from "../../change/names.js";
import { parseNativeType } from "../../sql/native-type.js";
import { tablesByName, together, type Cost } from "../shared/costs.js";
import type { Block, RenderPlan } from "../shared/render-plan.js";
import { quote, quoteTable } from "./names.js";
import { typeOf } from "./types.js";

const NAME = `"(?:[^"]|"")+"`;
const TABLE = `((?:${NAME}\\.)?${NAME})`;
const ALTER = new RegExp(`^ALTER TABLE ${TABLE}\\s`);
const INDEX = new RegExp(`^CREATE (?:UNIQUE )?INDEX ${NAME} ON ${TABLE}`);
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
  const costs = blocks
    .flatMap(({ statements }) => statements)
    .flatMap((sql): Cost[] => {
      const [name, cost] = costOf(sql, retypes) ?? [];
      const table = tables.get(name ?? "") ?? "";
      return table === "" || !cost ? [] : [{ table, ...cost }];
    });
  return together(costs);
}

function costOf(
  sql: string,
  retypes: ReadonlySet<string>,
): readonly [name: string, cost: Omit<Cost, "table">] | undefined {
  const [, indexed] = INDEX.exec(sql) ?? [];
  if (indexed !== undefined) return [indexed, { work: "read", waits: "writers" }];
  const [, updated] = UPDATE.exec(sql) ?? [];
  if (updated !== undefined) return [updated, { work: "written", waits: "writers" }];
  const [, altered] = ALTER.exec(sql) ?? [];
  if (altered === undefined) return undefined;
  const isRetyped = [...sql.matchAll(RETYPE)].some(([, column]) => retypes.has(`${altered} ${column!}`));
  if (isRetyped || WRITES.test(sql)) return [altered, { work: "written", waits: "everyone" }];
  if (/ ADD CONSTRAINT "(?:[^"]|"")+" (?:CHECK|UNIQUE|PRIMARY KEY|EXCLUDE)\b| SET NOT NULL\b/.test(sql))
    return [altered, { work: "read", waits: "everyone" }];
  return / ADD CONSTRAINT "(?:[^"]|"")+" FOREIGN KEY\b/.test(sql)
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
      const isSame = change.convert === undefined && staysStored(typeOf(change.before), typeOf(change.after));
      return isSame ? [] : [`${quoteTable(change.table)} ${quote(change.after.name)}`];
    }),
  );
}

/** Whether what is stored of a type is what is stored of another. */
function staysStored(from: string, to: string): boolean {
  if (from === to) return true;
  const [was, now] = [parseNativeType(from), parseNativeType(to)];
  if (was.dimensions !== "" || now.dimensions !== "") return false;
  const texts = /^(?:text|varchar|character varying)$/;
  if (texts.test(was.name) && texts.test(now.name)) {
    const [before, after] = [was.numbers[0] ?? Infinity, now.numbers[0] ?? Infinity];
    return after >= before;
  }
  const decimals = /^(?:decimal|numeric)$/;
  if (!decimals.test(was.name) || !decimals.test(now.name)) return false;
  const [[precision = Infinity, scale = 0], [wider = Infinity, same = 0]] = [was.numbers, now.numbers];
  return wider === Infinity || (precision !== Infinity && wider >= precision && scale === same);
}

import { equal } from "../../schema/canonical.js";
import { columnsOfPart } from "../../schema/lookups.js";
import { addressOf } from "../../schema/address.js";
import { constraintName } from "../../schema/naming.js";
import type { Check, Column, Rule, SqlText } from "../../schema/types.js";
import { rulesOf } from "../rules/standing.js";
import { isOfRules } from "./class-plan.js";
import { validatorsFor } from "./field-code.js";
import { settledAlone, type Writing } from "./writing.js";

/** Which checks of a table its fields state by themselves. */
export interface StatedChecks {
  /** Checks that fields state as rules, by column. */
  readonly byField: ReadonlyMap<string, Check>;
  /** Columns whose type or rules would bring a check that the table does not have. */
  readonly unchecked: ReadonlySet<string>;
  /** Whether the class says once that the database holds no rules of its fields. */
  readonly none: boolean;
}

/** Which checks the fields can state by their rules, exactly. */
export function statedChecks(writing: Writing): StatedChecks {
  const { table, options } = writing;
  const found = new Map(
    table.columns.flatMap(column => {
      const check = checkOfField(column, writing);
      return check ? [[column.name, check] as const] : [];
    }),
  );
  const byField = options.dialect.catalog.keepsOrder ? inOrder(found, writing) : found;
  const unchecked = new Set(
    table.columns
      .filter(column => !byField.has(column.name) && bringsCheck(column, writing))
      .map(({ name }) => name),
  );
  // A class that is there says it field by field: what it has already is not to change.
  const isThere = options.there?.has(addressOf(table)) ?? false;
  return { byField, unchecked, none: !isThere && unchecked.size > 0 && byField.size === 0 };
}

/** A check that a field's rules come to, or that its type implies. */
function checkOfField(column: Column, writing: Writing): Check | undefined {
  const own = writing.table.checks.filter(
    check =>
      check.column === undefined &&
      check.options === undefined &&
      columnsOfPart("check", check).every(name => name === column.name),
  );
  const found = own.find(isOfRules);
  const rules = found && !isBeyondNumbers(column) ? rulesOf(column, validatorsFor(found.rules)) : [];
  if (found && equal(settled(column, rules, writing), settled(column, found.rules, writing))) return found;
  const implied = settled(column, rulesOf(column, []), writing);
  return own.find(check => check !== found && equal(settledCheck(column, check, writing), implied));
}

/** Digits that a number of the program cannot hold: no rule of class-validator compares them. */
function isBeyondNumbers({ type }: Column): boolean {
  return type.kind === "decimal" && type.precision > EXACT_DIGITS;
}

/** As many decimal digits as every number of that many keeps: https://en.wikipedia.org/wiki/IEEE_754 */
const EXACT_DIGITS = 15;

/** Checks of fields come first, in the order of the fields: those that stand otherwise are stated by the table. */
function inOrder(found: ReadonlyMap<string, Check>, { table }: Writing): Map<string, Check> {
  const byCheck = new Map([...found].map(([column, check]) => [check, column]));
  const kept = new Map(found);
  let last = -1;
  for (const check of table.checks.filter(({ column }) => column === undefined)) {
    const column = byCheck.get(check);
    const at = table.columns.findIndex(({ name }) => name === column);
    if (at > last) last = at;
    else {
      last = Infinity;
      if (column !== undefined) kept.delete(column);
    }
  }
  return kept;
}

/** Whether a field would bring a check. A rule that the types hold makes none, but has its name. */
function bringsCheck(column: Column, writing: Writing): boolean {
  const { table } = writing;
  const rules = rulesOf(column, writing.typeOf(column).rules);
  const name = constraintName("ck", table.name, [column.name]);
  const isTaken = rules.length > 0 && table.checks.some(check => check.name === name);
  return isTaken || settled(column, rules, writing).length > 0;
}

function settled(column: Column, rules: readonly Rule[], { options }: Writing): readonly Check[] {
  const checks = rules.length > 0 ? [{ name: "", rules }] : [];
  return settledAlone(options.dialect, { columns: [column], checks })?.checks ?? [];
}

function settledCheck(column: Column, { rules }: Check, { options }: Writing): readonly Check[] {
  return settledAlone(options.dialect, { columns: [column], checks: [{ name: "", rules }] })?.checks ?? [];
}

/** A check as SQL; undefined: the dialect holds it in another way. */
export function checkSql(check: Check, { table, options }: Writing): SqlText | undefined {
  const [only] = check.rules;
  if (check.rules.length === 1 && only?.kind === "sql") return only.sql;
  const alone = settledAlone(options.dialect, { columns: table.columns, checks: [check] });
  const rule = alone?.checks[0]?.rules[0];
  return rule?.kind === "sql" ? rule.sql : undefined;
}

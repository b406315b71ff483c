import { firstOf, zip } from "../lists.js";
import { equal } from "../schema/canonical.js";
import { misfit } from "../schema/fits.js";
import { isObject, TYPE_RULE_KINDS } from "../schema/types.js";
import type { Check, Column, DataType, Default, Definition, Rule, Schema, Table } from "../schema/types.js";
import { parseSqlList } from "../sql/native-type.js";
import { placeholderOf } from "../sql/tokens.js";

/** What a dialect says so that the shared walk can raise a schema from it. */
export interface RaiseRules {
  readonly dialect: string;
  readonly settle: (schema: Schema) => Schema;
  readonly type: (text: string) => DataType;
  /** How its rules about lengths begin: `length(`. */
  readonly length: string;
}

/** A settled schema in portable words wherever they settle back to the same. */
export function raiseSchema(schema: Schema, rules: RaiseRules): Schema {
  const tables = schema.tables.map(table => raiseTable(table, rules));
  const definitions = schema.definitions?.map(each => raiseDefinition(each, rules));
  return { ...schema, tables, ...(definitions && { definitions }) };
}

/** What an engine gives back of SQL is its own. */
function raiseDefinition(definition: Definition, { dialect }: RaiseRules): Definition {
  return isObject(definition) && typeof definition.sql === "string"
    ? { ...definition, sql: { [dialect]: definition.sql } }
    : definition;
}

function raiseTable(table: Table, rules: RaiseRules): Table {
  const typed = table.columns.map(column =>
    column.type.kind === "native"
      ? { ...column, type: rules.type(column.type.sql[rules.dialect] ?? "") }
      : column,
  );
  const raised = {
    ...table,
    columns: zip(typed, table.columns).map(([column, held]) => raiseDefault(column, held, rules)),
  };
  return { ...raised, checks: table.checks.map(check => raiseCheck(check, raised, rules)) };
}

/** Tried one after the other: the first that settles to the same column is what it says. */
function raiseDefault(column: Column, settled: Column, rules: RaiseRules): Column {
  const { default: value, ...rest } = column;
  if (value?.kind !== "sql" || typeof value.sql !== "string") return column;
  const candidates: Column[] = [
    ...(column.type.kind === "timestamptz" && !column.identity
      ? [{ stamp: "created" as const, ...rest }]
      : []),
    ...[{ kind: "uuid" } as const, ...valuesOf(value.sql, column.type)].map(each => ({
      ...rest,
      default: each,
    })),
  ];
  // What is no value of the type stays the SQL that it is.
  const fits = ({ default: given }: Column) =>
    given?.kind !== "value" || misfit(given.value, column.type) === undefined;
  return (
    candidates.find(candidate => fits(candidate) && equal(settledColumn(candidate, rules), settled)) ?? column
  );
}

function settledColumn(column: Column, rules: RaiseRules): Column | undefined {
  return rules.settle({ tables: [holding([column], [])] }).tables[0]?.columns[0];
}

function holding(columns: readonly Column[], checks: readonly Check[]): Table {
  return { name: "", columns, uniques: [], indexes: [], foreignKeys: [], checks };
}

const TEXTUAL: readonly DataType["kind"][] = [
  "text",
  "varchar",
  "char",
  "date",
  "time",
  "timestamp",
  "timestamptz",
  "uuid",
  "json",
];
const NUMERIC: readonly DataType["kind"][] = ["smallint", "integer", "bigint", "real", "double", "decimal"];

/** The values that a default may stand for. */
function valuesOf(text: string, { kind }: DataType): Default[] {
  const inside = /^'([^]*)'$/.exec(text)?.[1];
  if (inside !== undefined && (TEXTUAL.includes(kind) || kind === "native")) {
    // However the dialect escapes: settling the right one gives the text again.
    return [inside.replaceAll("''", "'"), inside.replaceAll("''", "'").replaceAll("\\\\", "\\")].map(
      value => ({
        kind: "value",
        value,
      }),
    );
  }
  if (kind === "boolean") return [true, false].map(value => ({ kind: "value", value }));
  const number = Number(text);
  const plain =
    (kind === "native" || NUMERIC.includes(kind)) && text.trim() !== "" && String(number) === text;
  return plain ? [{ kind: "value", value: number }] : [];
}

/** A check of one column as rules, if those settle to the same text. */
function raiseCheck(check: Check, table: Table, rules: RaiseRules): Check {
  const [only] = check.rules;
  if (check.rules.length !== 1 || only?.kind !== "sql" || typeof only.sql !== "string") return check;
  const text = only.sql;
  const column = table.columns.find(({ name }) => text.includes(placeholderOf(name)));
  if (!column) return check;
  const typed = typeRuleIn(text, column, rules);
  const rest = typed ? typed.rest : text;
  const others = rest === "" ? [] : splitAnd(rest).map(part => ruleOf(part, column, rules));
  const found = [...others, ...(typed ? [typed.rule] : [])];
  const known = found.filter(rule => rule !== undefined);
  if (known.length < found.length) return check;
  const candidate = { ...check, rules: known };
  const settled = rules.settle({ tables: [holding(table.columns, [candidate])] }).tables[0]?.checks[0];
  return equal(settled, check) ? candidate : check;
}

/** `a >= 1 AND a <= 3`, as settling joins rules; what stands in texts is put together again by the comparison. */
function splitAnd(text: string): string[] {
  return text.split(" AND ");
}

type NumberRule = "min" | "max" | "above" | "below" | "min length" | "max length" | "decimal places";

const NUMBER = "(-?\\d+(?:\\.\\d+)?)";

function ruleOf(text: string, { name }: Column, { length }: RaiseRules): Rule | undefined {
  const placeholder = placeholderOf(name).replace(/[.*+?^${}()|[\]\\]/g, "\\$&");
  const find = (pattern: string) => new RegExp(`^${pattern}$`).exec(text)?.[1];
  const call = length.replace("(", "\\(");
  const number = (kind: NumberRule, pattern: string) => {
    const value = find(pattern);
    return value === undefined ? undefined : { kind, column: name, value: Number(value) };
  };
  return (
    number("min", `${placeholder} >= ${NUMBER}`) ??
    number("max", `${placeholder} <= ${NUMBER}`) ??
    number("above", `${placeholder} > ${NUMBER}`) ??
    number("below", `${placeholder} < ${NUMBER}`) ??
    number("min length", `${call}${placeholder}\\) >= (\\d+)`) ??
    number("max length", `${call}${placeholder}\\) <= (\\d+)`) ??
    number("decimal places", `${placeholder} = round\\(${placeholder}, (\\d+)\\)`) ??
    listRule(find(`(?:BINARY )?${placeholder} IN \\((.*)\\)`), name)
  );
}

/** What a value is, said last, but for how many decimal places it has. */
function typeRuleIn(
  text: string,
  column: Column,
  rules: RaiseRules,
): { rule: Rule; rest: string } | undefined {
  for (const kind of TYPE_RULE_KINDS) {
    const rule: Rule = { kind, column: column.name };
    const typed = settledText(rule, column, rules.settle);
    if (typed === undefined) continue;
    if (text === typed) return { rule, rest: "" };
    if (text.endsWith(` AND ${typed}`)) return { rule, rest: text.slice(0, -` AND ${typed}`.length) };
  }
  return undefined;
}

function settledText(rule: Rule, column: Column, settle: RaiseRules["settle"]): string | undefined {
  const [check] = firstOf(
    settle({ tables: [holding([column], [{ name: "", rules: [rule] }])] }).tables,
  ).checks;
  const [only] = check?.rules ?? [];
  return only?.kind === "sql" && typeof only.sql === "string" ? only.sql : undefined;
}

/** `'a', 'b'` or `1, 2` */
function listRule(list: string | undefined, column: string): Rule | undefined {
  const values = list === undefined ? [] : parseSqlList(list);
  return values.length > 0 ? { kind: "in", column, values } : undefined;
}

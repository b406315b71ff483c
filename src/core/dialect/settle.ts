import { addressOf, parseAddress } from "../schema/address.js";
import { cutName } from "../schema/naming.js";
import { fillPlaces, textFor } from "../schema/sql-text.js";
import {
  PART_KINDS,
  partsOf,
  withParts,
  type Check,
  type Column,
  type DataType,
  type Default,
  type Index,
  type Rule,
  type Schema,
  type SqlText,
  type Table,
} from "../schema/types.js";
import { matters, nameOf, placeOf, tokenize, type TokenRules } from "./tokens.js";

/** What a dialect says so that the shared walk can settle a schema for it. */
export interface SettleRules {
  readonly dialect: string;
  readonly tokens: TokenRules;
  /** In bytes; absent: names may be of any length. */
  readonly nameLimit?: number;
  /** Whether the dialect keeps notes on tables and columns. */
  readonly keepsNotes: boolean;
  readonly type: (type: DataType, column: Column) => string;
  /** SQL for a rule; undefined when the dialect holds it in another way, or cannot. */
  readonly rule: (rule: Exclude<Rule, { kind: "sql" }>, column: Column | undefined) => string | undefined;
  readonly default: (value: Exclude<Default, { kind: "sql" }>, column: Column) => string;
  /** SQL of the developer's own as a default. */
  readonly defaultSql: (text: string) => string;
  readonly now: (column: Column) => string;
}

/** Tables are never changed in place: each is settled once, and an unchanged one stays the same object. */
const settledTables = new WeakMap<SettleRules, WeakMap<Table, Table>>();

/** The schema as a dialect holds it. Settling what is settled changes nothing. */
export function settleSchema(schema: Schema, rules: SettleRules): Schema {
  const known = settledTables.get(rules) ?? new WeakMap<Table, Table>();
  settledTables.set(rules, known);
  const settle = (table: Table): Table => {
    const settled = known.get(table) ?? settleTable(table, rules);
    known.set(table, settled);
    return settled;
  };
  return { tables: schema.tables.map(settle) };
}

function settleTable(table: Table, rules: SettleRules): Table {
  const cut = (name: string) => cutName(name, rules.nameLimit);
  const spell = (sql: SqlText) => spellExpression(textOrNothing(sql, rules), table.columns, rules.tokens);
  const { note, ...rest } = table;
  const settled: Table = {
    ...rest,
    name: cut(table.name),
    ...(rules.keepsNotes && note !== undefined && { note }),
    columns: table.columns.map(column => settleColumn(column, spell, rules)),
    foreignKeys: table.foreignKeys.map(foreignKey => ({
      ...foreignKey,
      references: { ...foreignKey.references, table: cutAddress(foreignKey.references.table, cut) },
    })),
    indexes: table.indexes.map(index => settleIndex(index, spell)),
    checks: table.checks.flatMap(check => settleCheck(check, table, spell, rules)),
  };
  return PART_KINDS.reduce(
    (so, kind) =>
      withParts(so, kind, partsOf(so, kind).map(part => ({ ...part, name: cut(part.name) })) as never),
    settled,
  );
}

function cutAddress(address: string, cut: (name: string) => string): string {
  const { name, ...rest } = parseAddress(address);
  return addressOf({ ...rest, name: cut(name) });
}

function settleColumn(column: Column, spell: (sql: SqlText) => string, rules: SettleRules): Column {
  const { note, stamp, default: value, computed, ...rest } = column;
  const settledDefault = settleDefault(value, column, spell, rules);
  return {
    ...rest,
    type: { kind: "native", sql: { [rules.dialect]: rules.type(column.type, column) } },
    ...(settledDefault !== undefined && { default: { kind: "sql", sql: settledDefault } as const }),
    ...(computed && { computed: { ...computed, sql: spell(computed.sql) } }),
    ...(stamp === "updated" && { stamp }),
    ...(rules.keepsNotes && note !== undefined && { note }),
  };
}

function settleDefault(
  value: Default | undefined,
  column: Column,
  spell: (sql: SqlText) => string,
  rules: SettleRules,
): string | undefined {
  if (value?.kind === "sql") return rules.defaultSql(spell(value.sql));
  if (value) return rules.default(value, column);
  return column.stamp ? rules.now(column) : undefined;
}

function settleIndex(index: Index, spell: (sql: SqlText) => string): Index {
  return {
    ...index,
    parts: index.parts.map(part => ("sql" in part ? { ...part, sql: spell(part.sql) } : part)),
    ...(index.where !== undefined && { where: spell(index.where) }),
  };
}

function settleCheck(
  check: Check,
  table: Table,
  spell: (sql: SqlText) => string,
  rules: SettleRules,
): Check[] {
  const texts = check.rules.flatMap(rule => {
    if (rule.kind === "sql") return textFor(rule.sql, rules.dialect) === undefined ? [] : [spell(rule.sql)];
    const text = rules.rule(
      rule,
      table.columns.find(({ name }) => name === rule.column),
    );
    return text === undefined ? [] : [text];
  });
  if (texts.length === 0) return [];
  const sql =
    texts.length === 1
      ? texts[0]!
      : texts.map(text => (/\bor\b/i.test(text) ? `(${text})` : text)).join(" AND ");
  return [{ name: check.name, rules: [{ kind: "sql", sql }] }];
}

function textOrNothing(sql: SqlText, rules: SettleRules): string {
  return textFor(sql, rules.dialect) ?? "";
}

/** Words that are never a column, whatever the columns are called. */
const OPERATORS = new Set(
  (
    "AND OR NOT IN IS NULL LIKE BETWEEN CASE WHEN THEN ELSE END GLOB REGEXP MATCH ESCAPE COLLATE CAST AS EXISTS " +
    "SELECT FROM WHERE TRUE FALSE DISTINCT ISNULL NOTNULL CURRENT_DATE CURRENT_TIME CURRENT_TIMESTAMP"
  ).split(" "),
);

/**
 * One spelling for an expression: columns as `{places}`, one space where there was any, no comments.
 * `weight<40000 -- grams` → `{weight}<40000`
 */
export function spellExpression(text: string, columns: readonly Column[], rules: TokenRules): string {
  const names = new Map(columns.map(({ name }) => [name.toLowerCase(), name]));
  const exact = new Set(columns.map(({ name }) => name));
  const tokens = tokenize(text.trim(), rules);
  const meaning = tokens.filter(matters);
  const at = new Map(meaning.map((token, index) => [token, index]));
  return tokens
    .map(token => {
      if (!matters(token)) return " ";
      if (token.kind !== "word" && token.kind !== "name") return token.text;
      const index = at.get(token)!;
      const [before, after] = [meaning[index - 1]?.text, meaning[index + 1]?.text];
      const called = after === "(" || after === "." || before === "." || before?.toUpperCase() === "COLLATE";
      if (called || (token.kind === "word" && OPERATORS.has(token.text.toUpperCase()))) return token.text;
      const name = nameOf(token);
      const column = exact.has(name) ? name : names.get(name.toLowerCase());
      return column === undefined ? token.text : placeOf(column);
    })
    .filter((text, index, all) => text !== " " || all[index - 1] !== " ")
    .join("")
    .trim();
}

/** An expression with its places quoted, ready to stand in a statement. */
export function renderExpression(sql: SqlText, dialect: string, quote: (name: string) => string): string {
  return fillPlaces(textFor(sql, dialect) ?? "", quote);
}

import { groupBy, zip } from "../../lists.js";
import { addressOf } from "../../schema/address.js";
import type { Column, Definition, ObjectDefinition, Schema, Table } from "../../schema/types.js";
import { raiseSchema, type RaiseRules } from "../../lower/raise.js";
import { placeholderOf } from "../../sql/tokens.js";
import { unspellPolicies } from "./policies.js";
import { settle } from "./settle.js";
import { NAME, raiseType } from "./types.js";

const RULES: RaiseRules = { dialect: NAME, settle, type: raiseType, length: "char_length(" };

/** A settled schema in portable words wherever they settle back to the same. */
export function raise(schema: Schema): Schema {
  return raiseSchema(schema, RULES);
}

/**
 * The schema as it may have been sent: `'x'::text` was `'x'`. Only what the server is known to spell from the shorter
 * form, so that sending that gives the same again.
 */
export function unspell(schema: Schema): Schema {
  const tables = schema.tables.map(unspellTable);
  const { definitions } = schema;
  return { ...schema, tables, ...(definitions && { definitions: unspellDefinitions(definitions, schema) }) };
}

/** Policies are read by the table: one alone says nothing. */
function unspellDefinitions(definitions: readonly Definition[], { tables }: Schema): readonly Definition[] {
  const byTable = groupBy(definitions.filter(isPolicy), ({ on }) => on);
  if (byTable.size === 0) return definitions;
  const sent = new Map<Definition, Definition>();
  for (const table of tables) {
    const policies = byTable.get(addressOf(table)) ?? [];
    const shorter = (condition: string) => unspellCheck(condition, table.columns);
    for (const [policy, told] of zip(policies, unspellPolicies(table, policies, shorter)))
      sent.set(policy, told);
  }
  return definitions.map(each => sent.get(each) ?? each);
}

function isPolicy(definition: Definition): definition is ObjectDefinition {
  return definition.kind === "policy";
}

function unspellTable(table: Table): Table {
  return {
    ...table,
    columns: table.columns.map((column): Column => {
      const { default: value } = column;
      if (value?.kind !== "sql" || typeof value.sql !== "string") return column;
      return { ...column, default: { kind: "sql", sql: unspellDefault(value.sql, textOf(column)) } };
    }),
    checks: table.checks.map(check => {
      const [only] = check.rules;
      if (only?.kind !== "sql" || typeof only.sql !== "string") return check;
      return { ...check, rules: [{ kind: "sql", sql: unspellCheck(only.sql, table.columns) }] };
    }),
  };
}

function textOf({ type }: Column): string {
  return type.kind === "native" ? (type.sql[NAME] ?? "") : "";
}

/** What a literal is cast to in a column of each type, sizes aside. */
const CASTS: Readonly<Record<string, string>> = {
  varchar: "character varying",
  char: "bpchar",
  timestamptz: "timestamp with time zone",
  timestamp: "timestamp without time zone",
  time: "time without time zone",
};

function castSql(type: string): string {
  const word = type.replace(/\(.*\)$/, "");
  return CASTS[word] ?? word;
}

function unspellDefault(text: string, type: string): string {
  const cast = /^('(?:[^']|'')*')::(.+)$/.exec(text);
  if (
    cast &&
    cast[2] === castSql(type) &&
    !/^(?:smallint|integer|bigint|numeric|real|double precision|boolean)$/.test(cast[2])
  )
    return cast[1]!;
  if (text === `NULL::${castSql(type)}`) return "NULL";
  const negative = /^'(-\d+)'::integer$/.exec(text);
  return negative && /^(?:smallint|integer|bigint)$/.test(type) ? negative[1]! : text;
}

const NUMERIC = /^(?:smallint|integer|bigint|decimal|numeric|real|double precision)\b/;

/** A number as the server writes it beside a column: `1`, `(0)::numeric`, `'-5'::integer`. */
const NUMBER = /^(?:(-?\d+(?:\.\d+)?)|\((-?\d+(?:\.\d+)?)\)::[a-z ]+|'(-?\d+(?:\.\d+)?)'::[a-z ]+)$/;

function numberIn(text: string): string | undefined {
  const found = NUMBER.exec(text);
  return found?.[1] ?? found?.[2] ?? found?.[3];
}

/** Each part of one column: comparisons with a number or a text, and lists of them. */
function unspellCheck(text: string, columns: readonly Column[]): string {
  const parts = outer(text).split(/\) AND \(/);
  const read = parts.map((part, at) => {
    const bare =
      parts.length === 1 ? part : part.slice(at === 0 ? 1 : 0, at === parts.length - 1 ? -1 : undefined);
    const column = columns.find(({ name }) => bare.includes(placeholderOf(name)));
    if (!column) return undefined;
    const placeholder = placeholderOf(column.name);
    const type = textOf(column);
    const counts = NUMERIC.test(type);
    const [, left, comparison, right] = /^(.+?) (>=|<=|>|<) (.+)$/.exec(bare) ?? [];
    const number = right === undefined ? undefined : numberIn(right);
    if (left === placeholder && counts && number !== undefined)
      return `${placeholder} ${comparison!} ${number}`;
    const [, length, operator, count] = /^char_length\((.+?)\) (>=|<=) (\d+)$/.exec(bare) ?? [];
    if (length === (type === "text" ? placeholder : `(${placeholder})::text`))
      return `char_length(${placeholder}) ${operator!} ${count!}`;
    return unspellText(bare, placeholder, type) ?? unspellList(bare, placeholder, type, counts);
  });
  return read.every(part => part !== undefined) ? read.join(" AND ") : text;
}

/** `({stage})::text = 'sold'::text` */
function unspellText(text: string, placeholder: string, type: string): string | undefined {
  const left = type === "text" ? placeholder : `(${placeholder})::text`;
  if (!text.startsWith(left) || !/^(?:text$|varchar)/.test(type)) return undefined;
  const [, operator, literal] = /^ (=|<>) ('(?:[^']|'')*')::text$/.exec(text.slice(left.length)) ?? [];
  return operator === undefined ? undefined : `${placeholder} ${operator} ${literal!}`;
}

function unspellList(text: string, placeholder: string, type: string, counts: boolean): string | undefined {
  const left = type === "text" || counts ? placeholder : `(${placeholder})::text`;
  const head = `${left} = ANY (`;
  if (!text.startsWith(head)) return undefined;
  const list = text.slice(head.length, -1);
  const inner = type === "text" || counts ? list : /^\((.*)\)::text\[\]$/s.exec(list)?.[1];
  const items = inner === undefined ? undefined : /^ARRAY\[(.*)\]$/s.exec(inner)?.[1];
  if (items === undefined) return undefined;
  if (counts) {
    const numbers = items.split(", ").map(numberIn);
    return numbers.length > 1 && numbers.every(each => each !== undefined)
      ? `${placeholder} IN (${numbers.join(", ")})`
      : undefined;
  }
  const cast = `::${castSql(type)}`;
  const literal = "'(?:[^']|'')*'";
  const found = [...items.matchAll(new RegExp(`(${literal})${cast}(?:, |$)`, "g"))];
  if (found.map(([all]) => all).join("") !== items || found.length < 2) return undefined;
  return `${placeholder} IN (${found.map(([, item]) => item).join(", ")})`;
}

/** Without the parentheses that the server puts around a whole condition. */
function outer(text: string): string {
  return text.startsWith("(") && text.endsWith(")") ? text.slice(1, -1) : text;
}

import { mapTexts } from "../map-texts.js";
import { addressOf, tablesByAddress } from "../schema/address.js";
import { definitionKey, isObject } from "../schema/types.js";
import type { Check, Column, Definition, Index, Schema, SqlText, Table } from "../schema/types.js";

/**
 * Some engines give an expression back in their own spelling: `IN ('a')` as `= ANY (ARRAY['a'::text])`. No SQL is
 * parsed to compare the two. What was sent and what came back are noted after each run, by the slot the expression
 * stands in, and looked up when a database is compared with what its migrations say.
 */
export type Spellings = Readonly<Record<string, string>>;

/** What came back for each expression that was sent, where it is spelled otherwise. */
export function learnSpellings(sent: Schema, held: Schema): Spellings {
  const found = new Map<string, string>();
  const learn = <T>(
    ours: T,
    theirs: T,
    visit: (each: T, change: (slot: string, text: string) => string) => T,
    key: (each: T, slot: string, text: string) => string,
  ): void => {
    const texts = new Map<string, string>();
    visit(theirs, (slot, text) => (texts.set(slot, text), text));
    visit(ours, (slot, text) => {
      const spelled = texts.get(slot);
      if (spelled !== undefined && spelled !== text) found.set(key(ours, slot, text), spelled);
      return text;
    });
  };
  const heldTables = tablesByAddress(held);
  for (const table of sent.tables) {
    const other = heldTables.get(addressOf(table));
    if (other) learn(table, other, respellTable, keyOf);
  }
  const heldTypes = new Map((held.definitions ?? []).map(each => [definitionKey(each), each]));
  for (const type of sent.definitions ?? []) {
    const other = heldTypes.get(definitionKey(type));
    if (other) learn(type, other, respellDefinition, keyOfDefinition);
  }
  return Object.fromEntries(found);
}

/** What is noted of each expression that a schema sends: what slot it stands in, and its text. */
export function sentIn({ tables, definitions = [] }: Schema): Set<string> {
  const keys = new Set<string>();
  const note = (key: (slot: string, text: string) => string) => (slot: string, text: string) => {
    keys.add(key(slot, text));
    return text;
  };
  for (const table of tables)
    respellTable(
      table,
      note((slot, text) => keyOf(table, slot, text)),
    );
  for (const each of definitions)
    respellDefinition(
      each,
      note((slot, text) => keyOfDefinition(each, slot, text)),
    );
  return keys;
}

/** The schema with every expression as the engine spells it, as far as that is known. */
export function respell(sent: Schema, spellings: Spellings): Schema {
  return {
    ...sent,
    ...(sent.definitions && {
      definitions: sent.definitions.map(each =>
        respellDefinition(each, (slot, text) => spellings[keyOfDefinition(each, slot, text)] ?? text),
      ),
    }),
    tables: sent.tables.map(table =>
      respellTable(table, (slot, text) => spellings[keyOf(table, slot, text)] ?? text),
    ),
  };
}

/** The inverse for data that speaks of parts of a schema, such as changes: texts that an engine spells so, as they were sent. */
export function asSent<T>(data: T, spellings: Spellings): T {
  const sent = new Map(
    Object.entries(spellings).map(([key, spelled]) => [spelled, (JSON.parse(key) as string[]).at(-1)!]),
  );
  return mapTexts(data, text => sent.get(text) ?? text);
}

function keyOf(table: Table, slot: string, text: string): string {
  return JSON.stringify([addressOf(table), slot, text]);
}

function keyOfDefinition(definition: Definition, slot: string, text: string): string {
  return JSON.stringify([definitionKey(definition), slot, text]);
}

/** Every expression of a definition handed to `change`: only domains have some, and an object is one. */
function respellDefinition(
  definition: Definition,
  change: (slot: string, text: string) => string,
): Definition {
  if (isObject(definition)) {
    const { sql } = definition;
    return typeof sql === "string" ? { ...definition, sql: change("sql", sql) } : definition;
  }
  if (definition.kind !== "domain") return definition;
  const { default: value, checks } = definition;
  return {
    ...definition,
    ...(value !== undefined && { default: change("default", value) }),
    checks: checks.map(check => ({ ...check, sql: change(`check ${check.name}`, check.sql) })),
  };
}

/** Every expression of a table handed to `change`, with the name of the slot it stands in. */
function respellTable(table: Table, change: (slot: string, text: string) => string): Table {
  const spell = (slot: string, sql: SqlText) => (typeof sql === "string" ? change(slot, sql) : sql);
  return {
    ...table,
    columns: table.columns.map((column): Column => ({
      ...column,
      ...(column.default?.kind === "sql" && {
        default: { kind: "sql", sql: spell(`default ${column.name}`, column.default.sql) },
      }),
      ...(column.computed && {
        computed: { ...column.computed, sql: spell(`computed ${column.name}`, column.computed.sql) },
      }),
    })),
    indexes: table.indexes.map((index): Index => ({
      ...index,
      parts: index.parts.map((part, at) =>
        "sql" in part ? { ...part, sql: spell(`index ${index.name} ${at}`, part.sql) } : part,
      ),
      ...(index.where !== undefined && { where: spell(`where ${index.name}`, index.where) }),
    })),
    checks: table.checks.map((check): Check => ({
      ...check,
      rules: check.rules.map(rule =>
        rule.kind === "sql" ? { ...rule, sql: spell(`check ${check.name}`, rule.sql) } : rule,
      ),
    })),
  };
}

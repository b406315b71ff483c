import { describePart, describeRule, showSql, describeDefault } from "../change/words.js";
import { addressOf } from "../schema/address.js";
import { showDataType } from "../schema/data-type.js";
import { uniqueLists } from "../schema/lookups.js";
import { columnsOfRule } from "../schema/rules.js";
import type { Chart, ChartFacts, ChartLink, ChartRow, ChartTable, Role } from "./types.js";
import { DEFAULT_DIALECT, dialectNamed } from "../dialect/registry.js";
import { mentionsIn } from "../sql/object-head.js";
import {
  isObject,
  TYPE_RULE_KINDS,
  type Column,
  type ForeignKey,
  type ObjectDefinition,
  type Rule,
  type Schema,
  type Table,
} from "../schema/types.js";

/** The chart of a schema. */
export function chartOf({ tables, definitions = [] }: Schema, facts?: ChartFacts): Chart {
  const objects = definitions.filter(isObject);
  const views = objects.filter(({ kind }) => kind.endsWith("view"));
  const read = views.map(view => ({ view, names: namesRead(view) }));
  const isRead = ({ name }: Table) => read.some(({ names }) => names.has(name.toLowerCase()));
  const pairs = new Set(tables.filter(table => isPair(table, tables) && !isRead(table)).map(addressOf));
  const drawn = tables.filter(table => !pairs.has(addressOf(table)));
  return {
    tables: [...drawn.map(table => tableOf(table, facts, objects)), ...views.map(viewBox)],
    links: [
      ...tables.flatMap(table => (pairs.has(addressOf(table)) ? [pairLink(table)] : linksOf(table))),
      ...read.flatMap(({ view, names }) =>
        [...drawn, ...views]
          .filter(each => each !== view && names.has(each.name.toLowerCase()))
          .map(each => readLink(view, addressOf(each))),
      ),
    ],
    isDifference: false,
  };
}

/** What a view speaks of, by its tokens. */
function namesRead({ sql }: ObjectDefinition): ReadonlySet<string> {
  const [name, text] =
    typeof sql === "string" ? [DEFAULT_DIALECT, sql] : (Object.entries(sql)[0] ?? ["", ""]);
  return mentionsIn(text, dialectNamed(name)?.tokens ?? {}).bound;
}

function viewBox(view: ObjectDefinition): ChartTable {
  const { namespace, kind } = view;
  return {
    address: addressOf(view),
    ...(namespace !== undefined && { group: namespace }),
    role: "view",
    entity: kind,
    rows: [],
    rules: [],
  };
}

function readLink(view: ObjectDefinition, to: string): ChartLink {
  const from = addressOf(view);
  return {
    id: `${from} reads ${to}`,
    ...{ from, columns: [], to, fromEnd: "many", toEnd: "many", any: false, reads: true },
  };
}

/** Whether a table says nothing but which two go together. */
function isPair(table: Table, tables: readonly Table[]): boolean {
  const { columns, foreignKeys, key } = table;
  const own = foreignKeys.flatMap(each => each.columns);
  const address = addressOf(table);
  return (
    foreignKeys.length === 2 &&
    own.length === columns.length &&
    new Set(own).size === own.length &&
    key?.columns.length === columns.length &&
    table.note === undefined &&
    !tables.some(other => other.foreignKeys.some(({ references }) => references.table === address))
  );
}

function tableOf(
  table: Table,
  facts: ChartFacts | undefined,
  objects: readonly ObjectDefinition[],
): ChartTable {
  const address = addressOf(table);
  const entity = facts?.entities.get(address);
  const group = table.namespace ?? facts?.groups.get(address);
  const parts = facts?.parts.get(address);
  return {
    address,
    ...(entity !== undefined && { entity }),
    ...(group !== undefined && { group }),
    ...(table.note !== undefined && { note: table.note }),
    role: roleOf(table),
    rows: table.columns.map(column => rowOf(table, column, parts?.get(column.name))),
    rules: [
      ...rulesOf(table),
      ...objects.filter(({ on }) => on === address).map(({ kind, name }) => `${kind} ${name}`),
    ],
  };
}

function roleOf({ key, foreignKeys }: Table): Role {
  if (foreignKeys.length === 0) return "root";
  const referring = new Set(foreignKeys.flatMap(({ columns }) => columns));
  const isBetween =
    key !== undefined && key.columns.length > 1 && key.columns.every(name => referring.has(name));
  return isBetween ? "between" : "branch";
}

function rowOf(table: Table, column: Column, part: string | undefined): ChartRow {
  const { name } = column;
  const references = table.foreignKeys.filter(({ columns }) => columns.includes(name));
  const isKey = table.key?.columns.includes(name) ?? false;
  const isAlone = (list: readonly string[]) => list.length === 1 && list[0] === name;
  return {
    name,
    type: shortType(column),
    mark: isKey ? "key" : column.nullable ? "optional" : "required",
    unique: !isKey && [...table.uniques.map(({ columns }) => columns), ...uniqueLists(table)].some(isAlone),
    refers: references.map(each => each.references.table),
    ...(references[0] && { onDelete: references[0].onDelete }),
    ...(part !== undefined && { part }),
    remarks: remarksOn(table, column),
  };
}

/** An enumeration of a dialect's own may be as long as a page. */
const LONGEST_TYPE = 28;

function shortType({ type }: Column): string {
  const text = showDataType(type);
  return text.length > LONGEST_TYPE ? `${text.slice(0, LONGEST_TYPE - 1).trimEnd()}…` : text;
}

function remarksOn(
  table: Table,
  { name, type, default: value, computed, stamp, identity, note }: Column,
): string[] {
  const whole = showDataType(type);
  return [
    ...(whole.length > LONGEST_TYPE ? [whole] : []),
    ...(note === undefined ? [] : [note]),
    ...(identity ? ["counted up"] : []),
    ...(stamp ? [`stamped when ${stamp}`] : []),
    ...(computed ? [`computed: ${showSql(computed.sql)}`] : []),
    ...(value ? [`default ${describeDefault(value)}`] : []),
    ...table.checks.flatMap(({ rules }) =>
      rules
        .filter(rule => isAboutOne(rule) && columnsOfRule(rule)[0] === name && !isOfType(rule, type))
        .map(describeRule),
    ),
  ];
}

function rulesOf(table: Table): string[] {
  return [
    ...table.uniques
      .filter(({ columns }) => columns.length > 1)
      .map(part => `unique ${describePart("unique", part)}`),
    ...table.checks.flatMap(({ rules }) => rules.filter(rule => !isAboutOne(rule)).map(describeRule)),
  ];
}

/** What the type says already. */
function isOfType(rule: Rule, type: Column["type"]): boolean {
  if (rule.kind === "max length") return "length" in type && type.length === rule.value;
  return TYPE_RULE_KINDS.some(kind => kind === rule.kind);
}

function isAboutOne(rule: Rule): boolean {
  return columnsOfRule(rule).length === 1;
}

/** References to any of several: one column each of which one is set, or each worked out from a name and a key. */
function linksOf(table: Table): ChartLink[] {
  const several = new Set([
    ...table.checks.flatMap(({ rules }) =>
      rules.flatMap(rule => (rule.kind === "one of" ? rule.columns : [])),
    ),
    ...table.columns.flatMap(({ name, computed }) => (computed ? [name] : [])),
  ]);
  return table.foreignKeys.map(key =>
    linkOf(
      table,
      key,
      key.columns.some(name => several.has(name)),
    ),
  );
}

function linkOf(table: Table, { columns, references, onDelete }: ForeignKey, any: boolean): ChartLink {
  const from = addressOf(table);
  const isSingle = [...uniqueLists(table), ...table.uniques.map(unique => unique.columns)].some(list =>
    list.every(name => columns.includes(name)),
  );
  const isNullable = table.columns.some(({ name, nullable }) => nullable && columns.includes(name));
  return {
    id: `${from}(${columns.join(",")})→${references.table}`,
    ...{ from, columns, to: references.table, any, onDelete },
    fromEnd: isSingle ? "one" : "many",
    toEnd: isNullable ? "maybe one" : "one",
  };
}

function pairLink(table: Table): ChartLink {
  const [one, other] = table.foreignKeys as [ForeignKey, ForeignKey];
  const address = addressOf(table);
  return {
    id: address,
    ...{ from: one.references.table, columns: [], to: other.references.table, any: false, pair: address },
    ...{ fromEnd: "many", toEnd: "many" },
    ...(one.onDelete === other.onDelete && { onDelete: one.onDelete }),
  };
}

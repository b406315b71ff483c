import { cutName } from "../../schema/naming.js";
import type {
  Column,
  Definition,
  Index,
  IndexPart,
  Key,
  Rule,
  Schema,
  Table,
  TypeDefinition,
  Unique,
} from "../../schema/types.js";
import { isServed, leadingLists } from "../../schema/lookups.js";
import { settleSchema, type SettleRules } from "../../lower/settle.js";
import { defaultSql, NOW, ruleSql, unheldPattern } from "./expressions.js";
import { NAME_LIMIT, reserved } from "./names.js";
import { addressOf } from "../../schema/address.js";
import { parseNativeType } from "../../sql/native-type.js";
import { textFor } from "../../sql/placeholders.js";
import { settleNotNull } from "./moments.js";
import { isTextual, isUnbounded, NAME, typeSql } from "./types.js";
import { termsText } from "../shared/terms.js";

export const TOKENS = { backslash: true, hash: true, delimiters: true, reserved } as const;

/** How much of a text or of bytes an index holds where nobody says: fits any index with four bytes a character. */
const PREFIX = 191;

const RULES: SettleRules = {
  dialect: NAME,
  tokens: TOKENS,
  nameLimit: NAME_LIMIT,
  keepsNotes: true,
  roles: true,
  checksBeside: true,
  namespaces: false,
  definition: settleSequence,
  unnamed: false,
  cannotHoldIndex,
  unheld: { part: ["deferrable", "include"], term: ["nulls", "operatorClass", "collation"] },
  identity: () => "serial",
  type: typeSql,
  rule: ruleSql,
  default: (value, column) => defaultSql(value, column),
  // That a default is null is what the engine takes for granted and does not keep.
  defaultSql: text => (/^null$/i.test(text) ? undefined : text),
  now: () => NOW,
  tableOption: (name, value) => (name === "engine" ? engineName(value) : value),
};

/** As the server writes it; every session of ours makes tables of InnoDB by itself. */
function engineName(said: string): string | undefined {
  const name = ENGINES.find(each => each.toLowerCase() === said.toLowerCase()) ?? said;
  return name === "InnoDB" ? undefined : name;
}

/** https://mariadb.com/kb/en/storage-engines/ */
const ENGINES = ["InnoDB", "Aria", "MyISAM", "MEMORY", "ARCHIVE", "CSV"];

const settledTables = new WeakMap<Table, Table>();

/** The schema as MariaDB holds it, expressions as they are sent; the server spells them its own way. */
export function settle(schema: Schema): Schema {
  const { tables: all, ...rest } = settleSchema(schema, RULES);
  const tables = all.map(table => {
    const settled = settledTables.get(table) ?? settleTable(table);
    settledTables.set(table, settled);
    return settled;
  });
  const byAddress = new Map(tables.map(table => [addressOf(table), table]));
  return { ...rest, tables: tables.map(table => withReferredCollations(table, byAddress)) };
}

/** Of what stands beside tables there are sequences, of one type and without notes. */
function settleSequence(definition: TypeDefinition): Definition | undefined {
  if (definition.kind !== "sequence") return undefined;
  const { name, namespace, settings = {} } = definition;
  const { "sequence type": _, ...own } = settings;
  return {
    kind: "sequence",
    name: cutName(namespace === undefined ? name : `${namespace}_${name}`, NAME_LIMIT),
    ...(Object.keys(own).length > 0 && { settings: own }),
  };
}

/** How texts of a column are compared, where that is not as in the database by itself. */
function collationOf({ collation }: Column, { options }: Table): string | undefined {
  return (collation === undefined ? undefined : textFor(collation, NAME)) ?? options?.[NAME]?.["collation"];
}

/** A reference needs texts that are compared as those it refers to: https://mariadb.com/kb/en/foreign-keys/ */
function withReferredCollations(table: Table, byAddress: ReadonlyMap<string, Table>): Table {
  const wanted = new Map<string, string>();
  for (const { columns, references } of table.foreignKeys) {
    const target = byAddress.get(references.table);
    for (const [at, name] of columns.entries()) {
      const [own, key] = [
        table.columns.find(column => column.name === name),
        target?.columns.find(column => column.name === references.columns[at]),
      ];
      if (!own || !key || !target || !isTextual(own)) continue;
      const collation = collationOf(key, target);
      if (collation !== undefined && collation !== collationOf(own, table)) wanted.set(name, collation);
    }
  }
  if (wanted.size === 0) return table;
  const columns = table.columns.map(column => {
    const collation = wanted.get(column.name);
    return collation === undefined ? column : { ...column, collation };
  });
  return { ...table, columns };
}

/** A key has no name of its own, a unique index is a unique constraint, and references are never deferred. */
function settleTable(given: Table): Table {
  // What is computed may be null, whatever it is computed from: https://mariadb.com/kb/en/generated-columns/
  const columns = given.columns.map(column =>
    settleNotNull(column.computed && !column.nullable ? { ...column, nullable: true } : column, given),
  );
  const table = { ...given, columns };
  const held = table.indexes.map(index => settleIndex(index, table));
  const plain = held.filter(isPlainUnique);
  return withServedReferences({
    ...table,
    ...(table.key && { key: { ...table.key, name: "PRIMARY" } }),
    uniques: [...table.uniques, ...plain.map(asUnique)],
    indexes: held.filter(index => !plain.includes(index)),
    foreignKeys: table.foreignKeys.map(({ deferrable: _, ...foreignKey }) => foreignKey),
  });
}

/**
 * A reference needs an index that begins with its columns; where there is none, the server makes one of the
 * reference's name: https://mariadb.com/kb/en/foreign-keys/#syntax
 */
function withServedReferences(table: Table): Table {
  return table.foreignKeys.reduce((so, { name, columns }) => {
    if (isServed(columns, leadingLists(so)) || so.indexes.some(index => index.name === name)) return so;
    return { ...so, indexes: [...so.indexes, { name, parts: columns.map(column => ({ column })) }] };
  }, table);
}

/** The beginning of a text that is no longer is the whole of it, and the server says no more. */
function withWholeParts(index: Index, { columns }: Table): Index {
  const isWhole = (part: IndexPart): boolean => {
    const column = "column" in part ? columns.find(({ name }) => name === part.column) : undefined;
    const { name, numbers } = parseNativeType(column ? typeSql(column.type) : "");
    const [size = Infinity] = /char|binary/.test(name) ? numbers : [];
    return part.length !== undefined && part.length >= size;
  };
  if (!index.parts.some(isWhole)) return index;
  const whole = ({ length: _, ...part }: IndexPart): IndexPart => part;
  return { ...index, parts: index.parts.map(part => (isWhole(part) ? whole(part) : part)) };
}

function settleIndex({ where: _, ...given }: Index, table: Table): Index {
  const index = withWholeParts(given, table);
  const isLong = (part: IndexPart): boolean => {
    const column = "column" in part ? table.columns.find(({ name }) => name === part.column) : undefined;
    return column !== undefined && part.length === undefined && isUnbounded(column.type);
  };
  if (index.method !== undefined || !index.parts.some(isLong)) return index;
  // Unique, it is of a hash, which has no order: https://mariadb.com/kb/en/getting-started-with-indexes/#unique-index
  if (index.unique) return { ...index, parts: index.parts.map(({ descending: _, ...part }) => part) };
  return { ...index, parts: index.parts.map(part => (isLong(part) ? { ...part, length: PREFIX } : part)) };
}

/** Whether a unique index is what MariaDB makes of a unique constraint: it tells the two apart by nothing. */
export function isPlainUnique(index: Index): boolean {
  return (
    index.unique === true &&
    index.method === undefined &&
    index.parts.every(part => "column" in part && !part.descending && part.length === undefined)
  );
}

/** The primary key; of a column it may hold only the beginning, or hold it the other way round. */
export function asKey(index: Index): Key {
  const terms = index.parts.map(({ length, descending }) =>
    [length === undefined ? "" : `(${length})`, descending ? " DESC" : ""].join(""),
  );
  const options = terms.some(term => term !== "") ? { options: { [NAME]: { terms: termsText(terms) } } } : {};
  return { ...asUnique(index), ...options };
}

/** A plain unique index as the unique constraint it is the same as. */
export function asUnique({ name, parts, options }: Index): Unique {
  const columns = parts.flatMap(part => ("column" in part ? [part.column] : []));
  return { name, columns, ...(options && { options }) };
}

/** Why MariaDB cannot hold a rule. */
export function cannotHold(rule: Rule): string | undefined {
  if (rule.kind !== "pattern") return undefined;
  const reason = unheldPattern(rule.pattern, rule.flags);
  return reason === undefined ? undefined : `MariaDB has no pattern that is exactly the same: ${reason}`;
}

const METHODS = ["fulltext", "spatial", "rtree"];

/** Why MariaDB cannot hold an index. */
export function cannotHoldIndex(index: Index): string | undefined {
  if (index.parts.some(part => "sql" in part)) return "MariaDB has no indexes over expressions";
  // The server takes the word and makes an ordered tree: https://mariadb.com/kb/en/storage-engine-index-types/
  if (index.method === "hash") return "MariaDB's InnoDB has no hash indexes, and would make an ordered one";
  if (index.method !== undefined && !METHODS.includes(index.method))
    return `MariaDB has no indexes of the kind ${index.method}`;
  return index.unique && index.where !== undefined
    ? "MariaDB has no unique indexes over some rows only"
    : undefined;
}

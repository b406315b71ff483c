import { addressOf } from "../../../schema/address.js";
import type { Catalog, CatalogRow, LeftAlone } from "../../shared/dialect.js";
import type { Column, Definition, ForeignKey, Index, Schema, Table } from "../../../schema/types.js";
import { objectOf } from "../../shared/object-text.js";
import { stampTriggerSql } from "../expressions.js";
import { stampTriggerName } from "../names.js";
import { spelledAs } from "./names.js";
import { parseIndex } from "./parse-index.js";
import { parseTable, type Pieces } from "./parse-table.js";
import { TOKENS } from "../settle.js";
import { NAME } from "../types.js";

/** A table whose indexes and stamps are still to come. */
type TableDraft = Omit<Table, "indexes" | "columns"> & {
  readonly indexes: Index[];
  columns: readonly Column[];
};

type Entry = readonly [
  type: "table" | "index" | "trigger" | "view",
  name: string,
  table: string,
  sql: string,
];

/**
 * What sqlite_schema says. SQLite keeps every definition as the text that made it, and that text holds all: as many
 * queries whatever the number of tables (https://sqlite.org/schematab.html).
 */
export function readCatalog([rows = [], shadowRows = []]: readonly (readonly CatalogRow[])[]): Catalog {
  const text = String(rows[0]?.["entries"] ?? "[]");
  const shadows = shadowRows.map(({ name }) => String(name));
  const key = `${shadows.join("\n")}\n\n${text}`;
  const catalog = lately.get(key) ?? parseCatalog(text, new Set(shadows));
  if (lately.size > 3) lately.clear();
  lately.set(key, catalog);
  return catalog;
}

/** One after the other, many files say the same. */
const lately = new Map<string, Catalog>();

function parseCatalog(text: string, shadows: ReadonlySet<string>): Catalog {
  const entries = JSON.parse(text) as readonly Entry[];
  const leftAlone: LeftAlone[] = [];
  const objects: Definition[] = [];
  const keep = (sql: string, otherwise: LeftAlone) => {
    const object = objectOf(sql, TOKENS);
    if (object) objects.push(object);
    else leftAlone.push(otherwise);
  };
  const pieces: Pieces = new Map();
  const tables = new Map<string, TableDraft>();
  for (const [type, name, , sql] of entries) {
    if (type !== "table" || name.startsWith("sqlite_") || shadows.has(name)) continue;
    if (/^create\s+virtual\b/i.test(sql)) leftAlone.push({ kind: "virtual table", name });
    else tables.set(name, { ...parseTable(sql, pieces), name, indexes: [] });
  }
  for (const [type, name, table, sql] of entries) {
    if (type === "table") continue;
    const owner = tables.get(table);
    if (type === "index" && owner) {
      owner.indexes.push(parseIndex(sql, name, owner.columns));
    } else if (type === "trigger") {
      const stamped = owner && stampedColumn(owner, name, sql);
      if (stamped) owner.columns = withStamp(owner.columns, stamped);
      else keep(sql, { kind: "trigger", name, table });
    } else if (type === "view") {
      keep(sql, { kind: "view", name });
    }
  }
  const schema = resolveReferences({ tables: [...tables.values()] });
  return { schema: { ...schema, ...(objects.length > 0 && { definitions: objects }) }, leftAlone };
}

/** The column that a trigger of ours keeps; undefined for anybody else's trigger. */
function stampedColumn(table: Table, trigger: string, sql: string): Column | undefined {
  const withoutRowid = table.options?.[NAME]?.["without rowid"] !== undefined;
  return table.columns.find(
    ({ name }) =>
      stampTriggerName(table.name, name) === trigger &&
      sql === stampTriggerSql(table.name, name, table.key?.columns ?? [], withoutRowid),
  );
}

function withStamp(columns: readonly Column[], stamped: Column): Column[] {
  return columns.map(column => (column === stamped ? { ...column, stamp: "updated" as const } : column));
}

/** References in the spelling of what they refer to; one that names no columns means the key. */
function resolveReferences({ tables }: Schema): Schema {
  const byName = new Map(tables.map(table => [table.name.toLowerCase(), table]));
  const resolve = (foreignKey: ForeignKey): ForeignKey => {
    const target = byName.get(foreignKey.references.table.toLowerCase());
    if (!target)
      return {
        ...foreignKey,
        references: { ...foreignKey.references, table: addressOf({ name: foreignKey.references.table }) },
      };
    const { columns } = foreignKey.references;
    return {
      ...foreignKey,
      references: {
        table: addressOf(target),
        columns: columns.length === 0 ? (target.key?.columns ?? []) : spelledAs(columns, target.columns),
      },
    };
  };
  return { tables: tables.map(table => ({ ...table, foreignKeys: table.foreignKeys.map(resolve) })) };
}

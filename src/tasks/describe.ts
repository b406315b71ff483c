import type { Change } from "../core/change/types.js";
import { describeForeignKey, describePart } from "../core/change/words.js";
import type { CatalogRow, LeftAlone } from "../core/dialect/shared/dialect.js";
import { problems } from "../core/problems.js";
import { withoutInternal } from "../core/schema/internal-tables.js";
import { addressOf, quoteAddress } from "../core/schema/address.js";
import {
  definitionKey,
  isObject,
  type Column,
  type ForeignKey,
  type ObjectDefinition,
  type Schema,
  type Table,
} from "../core/schema/types.js";
import { describeDefault, showSql } from "../core/change/words.js";
import { showDataType } from "../core/schema/data-type.js";
import { countRows } from "../database/count-rows.js";
import { withDatabase } from "../database/open.js";
import type { Database } from "../database/session/database.js";
import { textOf } from "../core/dialect/shared/object-text.js";
import { leftAloneOf } from "./adopt.js";
import { besideOf, type Beside, type Difference } from "./beside.js";
import { oneTarget } from "./databases.js";
import { openProject, type OpenProject } from "./open-project.js";
import { namesIn, type TargetOptions, watched } from "./options.js";
import { changesBetween, pointOf, readPoint, type Point } from "./points.js";

export interface DescribeOptions extends TargetOptions {
  /** A table, view or routine, or several; each is told once. @default all */
  readonly table?: string | readonly string[] | undefined;
  /** How many rows of each table are given, too. @default 0 */
  readonly rows?: number | undefined;
  /** A version of the schema from which it may differ: `models`, `history`, a migration's number. @default none */
  readonly beside?: string | undefined;
}

export interface DescribedObject extends LeftAlone {
  /** Whether the history has it; others are left alone. */
  readonly known: boolean;
  /** What makes it, as the engine has it: of one that was asked for. */
  readonly sql?: string;
}

export interface DescribeResult {
  readonly target: string;
  readonly dialect: string;
  /** The file, or the URL without its password. */
  readonly place: string;
  readonly tables: readonly DescribedTable[];
  /** What it was held against, and what of that it has no line for. */
  readonly beside?: Pick<Beside, "missing" | "others"> & { readonly point: string };
  /** What is there but not modelled; only that of the table when one was named. */
  readonly leftAlone: readonly LeftAlone[];
  /** Views, routines, triggers and events. */
  readonly objects: readonly DescribedObject[];
}

export interface DescribedTable {
  readonly table: string;
  readonly rows: number;
  readonly columns: readonly DescribedColumn[];
  readonly key: readonly string[];
  /** The name of the key's constraint, where it has one. */
  readonly keyName?: string;
  /** Each as `name: (columns)`. */
  readonly uniques: readonly NamedText[];
  readonly indexes: readonly NamedText[];
  readonly checks: readonly NamedText[];
  /** References from this table. */
  readonly refersTo: readonly Reference[];
  /** References from others to this table. */
  readonly referredBy: readonly Reference[];
  /** Where it differs from what it was held against. */
  readonly differs?: readonly Difference[];
  /** The first rows by its key, where they were asked for; values as the driver gives them. */
  readonly first?: readonly Readonly<Record<string, unknown>>[];
}

export interface DescribedColumn {
  readonly name: string;
  /** As the database declares it. */
  readonly type: string;
  readonly required: boolean;
  readonly default?: string;
  /** Remarks: `counted up`, `kept when updated`, `computed: …`, `key`, `→ potters.id`. */
  readonly remarks: readonly string[];
}

export interface NamedText {
  readonly name: string;
  readonly text: string;
}

export interface Reference {
  readonly name: string;
  readonly table: string;
  readonly columns: readonly string[];
  readonly toTable: string;
  readonly toColumns: readonly string[];
  readonly onDelete: string;
  readonly onUpdate: string;
  /** `(potter_id) → potters (id), on delete restrict` */
  readonly text: string;
}

/** What a database really holds. @throws Problem E104, E107, E400 to E406 */
export async function describe({
  table,
  rows: wanted = 0,
  beside,
  ...options
}: DescribeOptions): Promise<DescribeResult> {
  const project = await openProject(options);
  const other = beside === undefined ? undefined : await readPoint(project, beside, options);
  const target = await oneTarget(project.settings, options.target, options);
  return withDatabase(target, { mode: "read", ...watched(options, target) }, async database => {
    const catalog = withoutInternal(await database.readCatalog());
    const { tables } = catalog.schema;
    const objects = (catalog.schema.definitions ?? []).filter(isObject);
    const named = namesIn(table);
    const asked = [...new Set(named?.flatMap(name => objectsNamed(objects, name, tables)))];
    const chosen = named ? [...new Set(named.flatMap(name => tablesNamed(tables, name, objects)))] : tables;
    const rows = await countRows(database, chosen);
    const names = new Set(chosen.map(addressOf));
    const isOf = (on: string | undefined) => !named || (on !== undefined && names.has(on));
    const keys = new Set(
      objects.length > 0 ? (project.tornHistory().schema.definitions ?? []).map(definitionKey) : [],
    );
    const references = referencesOf(tables);
    const held = other && besideOf(await changesTo(project, database, catalog.schema, target.name, other));
    const described = (object: ObjectDefinition): DescribedObject => ({
      ...leftAloneOf(object),
      known: keys.has(definitionKey(object)),
    });
    const told: DescribedTable[] = [];
    for (const each of chosen) {
      const address = addressOf(each);
      const differs = held && (held.byTable.get(address) ?? []);
      told.push({
        ...describeTable(each, references, rows.get(address) ?? 0),
        ...(differs && { differs }),
        ...(wanted > 0 && { first: await firstRows(database, each, wanted) }),
      });
    }
    return {
      target: target.name,
      dialect: target.dialect,
      place: target.label,
      tables: told,
      ...(held && {
        beside: {
          point: beside!,
          missing: named ? [] : held.missing,
          others: named ? [] : held.others,
        },
      }),
      objects: [
        ...asked.map(each => ({ ...described(each), sql: textOf(each) })),
        ...objects.filter(each => !asked.includes(each) && isOf(each.on)).map(described),
      ],
      leftAlone: catalog.leftAlone.filter(each => isOf(each.table)),
    };
  });
}

/** What would make another version of a database. */
async function changesTo(
  project: OpenProject,
  database: Database,
  schema: Schema,
  target: string,
  other: Point,
): Promise<readonly Change[]> {
  return changesBetween(project.history(), await pointOf(database, schema, `target:${target}`), other);
}

function firstRows({ dialect, rows }: Database, table: Table, count: number): Promise<CatalogRow[]> {
  const { quote } = dialect.names;
  const order = table.key ? ` ORDER BY ${table.key.columns.map(quote).join(", ")}` : "";
  return rows(
    `SELECT * FROM ${quoteAddress(addressOf(table), quote)}${order} LIMIT ${Math.max(1, Math.floor(count))}`,
  );
}

/** Objects of a name that no table has. */
function objectsNamed(
  objects: readonly ObjectDefinition[],
  wanted: string,
  tables: readonly Table[],
): ObjectDefinition[] {
  const isWanted = (each: Table | ObjectDefinition) => addressOf(each).toLowerCase() === wanted.toLowerCase();
  return tables.some(isWanted) ? [] : objects.filter(isWanted);
}

/** The table of a name; none where an object has it. @throws Problem E107 */
function tablesNamed(
  tables: readonly Table[],
  wanted: string,
  objects: readonly ObjectDefinition[],
): Table[] {
  const found =
    tables.find(each => addressOf(each) === wanted) ??
    tables.find(each => addressOf(each).toLowerCase() === wanted.toLowerCase());
  if (found) return [found];
  if (objectsNamed(objects, wanted, tables).length > 0) return [];
  throw problems.unknownTable({ table: wanted, known: [...tables, ...objects].map(addressOf) });
}

/** References by the table they come from, and by the one they refer to. */
interface References {
  readonly from: ReadonlyMap<string, readonly Reference[]>;
  readonly to: ReadonlyMap<string, readonly Reference[]>;
}

function referencesOf(tables: readonly Table[]): References {
  const from = new Map<string, Reference[]>();
  const to = new Map<string, Reference[]>();
  for (const table of tables) {
    const address = addressOf(table);
    const outward = table.foreignKeys.map(foreignKey => reference(address, foreignKey));
    from.set(address, outward);
    for (const each of outward) {
      const known = to.get(each.toTable);
      if (known) known.push(each);
      else to.set(each.toTable, [each]);
    }
  }
  return { from, to };
}

function describeTable(table: Table, references: References, rows: number): DescribedTable {
  const address = addressOf(table);
  const remarks = remarksOf(table);
  return {
    table: address,
    rows,
    columns: table.columns.map(column => describeColumn(column, remarks.get(column.name))),
    key: table.key?.columns ?? [],
    ...(table.key && table.key.name !== "" && { keyName: table.key.name }),
    uniques: table.uniques.map(part => ({ name: part.name, text: describePart("unique", part) })),
    indexes: table.indexes.map(part => ({ name: part.name, text: describePart("index", part) })),
    checks: table.checks.map(part => ({ name: part.name, text: describePart("check", part) })),
    refersTo: references.from.get(address) ?? [],
    referredBy: references.to.get(address) ?? [],
  };
}

/** Remarks on a table's columns that follow from its constraints. */
function remarksOf(table: Table): Map<string, string[]> {
  const remarks = new Map<string, string[]>();
  const add = (column: string, remark: string) => {
    const known = remarks.get(column);
    if (known) known.push(remark);
    else remarks.set(column, [remark]);
  };
  for (const column of table.key?.columns ?? []) add(column, "key");
  for (const { name, identity } of table.columns) if (identity) add(name, "counted up");
  for (const { columns } of table.uniques) if (columns.length === 1) add(columns[0]!, "unique");
  for (const { columns, references } of table.foreignKeys) {
    for (const [at, column] of columns.entries()) {
      const other = references.columns[at];
      add(column, `→ ${references.table}${other === undefined ? "" : `.${other}`}`);
    }
  }
  return remarks;
}

/** Columns without remarks, by what the catalog says: tables of one hand share many. */
const plainColumns = new WeakMap<Column, DescribedColumn>();

function describeColumn(column: Column, remarks: readonly string[] | undefined): DescribedColumn {
  if (remarks) return describeRemarked(column, remarks);
  const known = plainColumns.get(column);
  if (known) return known;
  const described = describeRemarked(column, []);
  plainColumns.set(column, described);
  return described;
}

function describeRemarked(column: Column, remarks: readonly string[]): DescribedColumn {
  const { stamp, computed, collation, note } = column;
  const all = [...remarks];
  if (stamp) all.push(`stamped when ${stamp}`);
  if (computed) all.push(`computed: ${showSql(computed.sql)}`);
  if (collation !== undefined) all.push(`collation ${showSql(collation)}`);
  if (note !== undefined) all.push(note);
  const [name, type, required] = [column.name, showDataType(column.type), !column.nullable];
  return column.default
    ? { name, type, required, default: describeDefault(column.default), remarks: all }
    : { name, type, required, remarks: all };
}

function reference(table: string, foreignKey: ForeignKey): Reference {
  const { name, columns, references, onDelete, onUpdate } = foreignKey;
  return {
    name,
    table,
    columns,
    toTable: references.table,
    toColumns: references.columns,
    onDelete,
    onUpdate,
    text: describeForeignKey(foreignKey),
  };
}

import { addressOf } from "../../../schema/address.js";
import { groupRows } from "../../shared/catalog-rows.js";
import type { CatalogRow } from "../../shared/dialect.js";
import { addressParts } from "./values.js";

/** The rows of the catalog, by what they are looked up by: mostly the number of a table. */
export interface CatalogIndex {
  readonly tables: readonly CatalogRow[];
  readonly sequences: readonly CatalogRow[];
  readonly types: readonly CatalogRow[];
  /** What is not modelled. */
  readonly others: readonly CatalogRow[];
  /** Views, routines and triggers. */
  readonly objects: readonly CatalogRow[];
  readonly columns: ReadonlyMap<string, readonly CatalogRow[]>;
  readonly constraints: ReadonlyMap<string, readonly CatalogRow[]>;
  readonly indexes: ReadonlyMap<string, readonly CatalogRow[]>;
  readonly triggers: ReadonlyMap<string, readonly CatalogRow[]>;
  /** What roles may do, by table: of a whole table its number is null. */
  readonly grants: ReadonlyMap<string, readonly CatalogRow[]>;
  /** Names of operator classes by their numbers. */
  readonly classes: ReadonlyMap<string, string>;
  readonly addresses: ReadonlyMap<string, string>;
  /** Names of columns by their numbers. */
  readonly names: ReadonlyMap<string, ReadonlyMap<number, string>>;
  /** The sequences that columns own, by table and number of the column. */
  readonly owned: ReadonlyMap<string, CatalogRow>;
}

/** @param results a list for each of the catalog's queries, in their order */
export function indexOf([
  tables = [],
  columnRows = [],
  constraintRows = [],
  indexRows = [],
  classRows = [],
  sequences = [],
  types = [],
  others = [],
  grants = [],
  objects = [],
]: readonly (readonly CatalogRow[])[]): CatalogIndex {
  const columns = groupRows(columnRows, "table_oid");
  const triggers = objects.filter(({ kind }) => kind === "trigger");
  const nameByNumber = (row: CatalogRow) => [Number(row["number"]), String(row["name"])] as const;
  return {
    tables,
    sequences,
    types,
    others,
    objects,
    columns,
    constraints: groupRows(constraintRows, "table_oid"),
    indexes: groupRows(indexRows, "table_oid"),
    triggers: groupRows(triggers, "table_oid"),
    grants: groupRows(grants, "table_oid"),
    classes: new Map(classRows.map(({ oid, name }) => [String(oid), String(name)])),
    addresses: new Map(tables.map(row => [String(row["oid"]), addressOf(addressParts(row))])),
    names: new Map([...columns].map(([oid, rows]) => [oid, new Map(rows.map(nameByNumber))])),
    owned: new Map(
      sequences
        .filter(({ owning }) => owning !== null)
        .map(row => [`${String(row["table_oid"])} ${String(row["number"])}`, row]),
    ),
  };
}

import { addressOf } from "../../../schema/address.js";
import { groupRows } from "../../shared/catalog-rows.js";
import type { CatalogRow } from "../../shared/dialect.js";
import { joined, type Asked, type Joined } from "./joined.js";
import { QUERIES } from "./queries.js";
import { addressParts, listOf } from "./values.js";

/** The rows of the catalog, by what they are looked up by: mostly the number of a table. */
export interface CatalogIndex {
  readonly tables: readonly CatalogRow[];
  readonly sequences: readonly CatalogRow[];
  readonly types: readonly CatalogRow[];
  /** Triggers and other objects by name, and what is not modelled. */
  readonly others: readonly CatalogRow[];
  /** Views, routines, triggers and policies, each with its SQL; undefined: they were not asked for, since there are none. */
  readonly objects: readonly CatalogRow[] | undefined;
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

const known = new WeakMap<readonly CatalogRow[], Joined>();

/** @param results a list for each of the catalog's queries, in their order, and behind them the objects, where they were asked for */
export function indexOf(results: readonly (readonly CatalogRow[])[]): CatalogIndex {
  const names = Object.keys(QUERIES);
  const asked = Object.fromEntries(names.map((name, at) => [name, results[at] ?? []])) as unknown as Asked;
  // Whether there is more to ask for is looked up in the same rows before they are read.
  const together = known.get(asked.namespaces) ?? joined(asked);
  known.set(asked.namespaces, together);
  const { tables, sequences, types, others, columns: columnRows, constraints, indexes } = together;
  const objects = results[names.length];
  const columns = groupRows(columnRows, "table_oid");
  const triggers = others.filter(({ kind }) => kind === "trigger");
  const nameByNumber = (row: CatalogRow) => [Number(row["number"]), String(row["name"])] as const;
  return {
    tables,
    sequences,
    types,
    others,
    objects,
    columns,
    constraints: groupRows(constraints, "table_oid"),
    indexes: groupRows(indexes, "table_oid"),
    triggers: groupRows(triggers, "table_oid"),
    grants: grantsIn(tables, columnRows),
    classes: new Map(asked.classes.map(({ oid, name }) => [String(oid), String(name)])),
    addresses: new Map(tables.map(row => [String(row["oid"]), addressOf(addressParts(row))])),
    names: new Map([...columns].map(([oid, rows]) => [oid, new Map(rows.map(nameByNumber))])),
    owned: new Map(
      sequences
        .filter(({ owning }) => owning !== null)
        .map(row => [`${String(row["table_oid"])} ${String(row["number"])}`, row]),
    ),
  };
}

/** Grants on tables, of which the number is null, and on columns, by table. */
function grantsIn(tables: readonly CatalogRow[], columns: readonly CatalogRow[]): Map<string, CatalogRow[]> {
  const spread = (row: CatalogRow, oid: unknown, number: unknown) =>
    listOf(row["granted"]).map(pair => {
      const [role, verb] = listOf(pair);
      return { table_oid: oid, number, role, verb };
    });
  return groupRows(
    [
      ...tables.flatMap(row => (row["granted"] === null ? [] : spread(row, row["oid"], null))),
      ...columns.flatMap(row =>
        row["granted"] === null ? [] : spread(row, row["table_oid"], row["number"]),
      ),
    ],
    "table_oid",
  );
}

/** Kinds of what is told as an object, where it is asked for. */
export const OBJECT_KINDS: ReadonlySet<string> = new Set([
  "view",
  "materialized view",
  "function",
  "procedure",
  "trigger",
  "policy",
]);

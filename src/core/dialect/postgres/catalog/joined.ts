import { groupRows } from "../../shared/catalog-rows.js";
import type { CatalogRow } from "../../shared/dialect.js";
import type { QUERIES } from "./queries.js";
import { numbersOf } from "./values.js";

/** The rows of each query, by its name. */
export type Asked = Readonly<Record<keyof typeof QUERIES, readonly CatalogRow[]>>;

/** What the catalogs say of each kind of thing, put together from what each says of its own. */
export interface Joined {
  readonly tables: readonly CatalogRow[];
  readonly columns: readonly CatalogRow[];
  readonly constraints: readonly CatalogRow[];
  readonly indexes: readonly CatalogRow[];
  readonly sequences: readonly CatalogRow[];
  readonly types: readonly CatalogRow[];
  /** What is not modelled, and what is told whole by another query. */
  readonly others: readonly CatalogRow[];
}

/** Catalogs by their fixed numbers: https://www.postgresql.org/docs/15/catalogs.html */
const [PG_TYPE, PG_PROC, PG_CLASS] = [1247, 1255, 1259];

/** The usual collation by its fixed number. */
const DEFAULT_COLLATION = 100;

/** Puts namespaces, notes and names to the rows, and leaves out what is an extension's or stands in a namespace that is not told. */
export function joined(asked: Asked): Joined {
  const about = lookups(asked);
  const { isPart, noted, placed } = about;
  const heirs = new Set(asked.heirs.map(({ oid }) => String(oid)));
  const isPlain = ({ relkind, partition, of_type: type, oid }: CatalogRow) =>
    relkind === "r" && partition === null && type === null && !heirs.has(String(oid));
  const relations = placed(asked.relations).filter(({ oid, type }) =>
    type === null ? !isPart(PG_CLASS, oid) : !isPart(PG_TYPE, type),
  );
  const named = (row: CatalogRow) => (row["method"] === null ? row : { ...row, method: about.method(row) });
  const types = placed(asked.types).filter(({ oid }) => !isPart(PG_TYPE, oid));
  const collated = groupRows(
    asked.columns.filter(row => row["collation_oid"] !== null),
    "table_oid",
  );
  return {
    tables: relations.filter(isPlain).map(row => noted(PG_CLASS, row["oid"], named(row))),
    columns: about.hasNotes
      ? asked.columns.map(row => noted(PG_CLASS, row["table_oid"], row, row["number"]))
      : asked.columns,
    constraints: asked.constraints,
    indexes: asked.indexes.map(row => withCollations(named(row), collated)),
    sequences: placed(asked.sequences)
      .filter(({ oid }) => !isPart(PG_CLASS, oid))
      .map(row => noted(PG_CLASS, row["oid"], row)),
    types: types.filter(({ kind }) => kind !== "r").map(row => noted(PG_TYPE, row["oid"], row)),
    others: [
      ...relations
        .filter(row => row["relkind"] !== "c" && !isPlain(row))
        .map(row => ({ ...row, kind: kindOf(row) })),
      ...placed(asked.routines).filter(({ oid }) => !isPart(PG_PROC, oid)),
      ...relations.flatMap(row => (row["relkind"] === "c" ? [{ ...row, kind: "composite type" }] : [])),
      ...types.flatMap(row => (row["kind"] === "r" ? [{ ...row, kind: "range type" }] : [])),
      ...hangingOn(asked, about),
      ...placed(asked.statistics),
      ...asked.placeless.map(row => ({ ...row, namespace: null, here: true })),
    ].map(row => ({ table_oid: null, ...row })),
  };
}

type About = ReturnType<typeof lookups>;

/** What is known of things by their numbers. */
function lookups({ namespaces, notes, parts, methods }: Asked) {
  const places = new Map(namespaces.map(({ oid, ...place }) => [String(oid), place]));
  const key = (catalog: unknown, oid: unknown, number: unknown = 0) =>
    `${String(catalog)} ${String(oid)} ${String(number)}`;
  const said = new Map(notes.map(row => [key(row["catalog"], row["oid"], row["number"]), row["note"]]));
  const others = new Set(parts.map(({ catalog, oid }) => key(catalog, oid)));
  const methodNames = new Map(methods.map(({ oid, name }) => [String(oid), name]));
  return {
    hasNotes: said.size > 0,
    isPart: (catalog: number, oid: unknown) => others.has(key(catalog, oid)),
    /** Those that stand in a namespace that is told, with its name. */
    placed: (rows: readonly CatalogRow[]) =>
      rows.flatMap((row): CatalogRow[] => {
        const place = places.get(String(row["place"]));
        return place ? [{ ...row, ...place }] : [];
      }),
    noted: (catalog: number, oid: unknown, row: CatalogRow, number: unknown = 0): CatalogRow => ({
      ...row,
      note: said.get(key(catalog, oid, number)) ?? null,
    }),
    method: ({ method }: CatalogRow) => methodNames.get(String(method)) ?? null,
  };
}

function kindOf({ relkind, partition, of_type: type }: CatalogRow): string {
  if (relkind === "r" && partition === null) return type === null ? "inheriting table" : "typed table";
  return RELATIONS[String(relkind)] ?? "partition";
}

const RELATIONS: Readonly<Record<string, string>> = {
  ...{ v: "view", m: "materialized view", p: "partitioned table", f: "foreign table" },
};

/** What is where its table is. */
function hangingOn({ relations, constraints, hanging }: Asked, { placed }: About): CatalogRow[] {
  const tables = new Map(relations.map(({ oid, place }) => [String(oid), place]));
  const exclusions = constraints.filter(({ kind }) => kind === "x");
  const asking = relations.filter(row => row["asks_rows"] === true);
  const all: CatalogRow[] = [
    ...exclusions.map(row => ({ ...row, kind: "exclusion constraint" })),
    ...hanging,
    ...asking.map(({ oid, name }) => ({ kind: "row security", name, table_oid: oid })),
  ];
  return placed(all.map(row => ({ ...row, place: tables.get(String(row["table_oid"])) ?? null })));
}

/** An index with the collations of its parts that are not those of their columns. */
function withCollations(row: CatalogRow, columns: ReadonlyMap<string, readonly CatalogRow[]>): CatalogRow {
  if (row["collations"] === null) return row;
  const own = new Map(
    (columns.get(String(row["table_oid"])) ?? []).map(each => [
      Number(each["number"]),
      Number(each["collation_oid"]),
    ]),
  );
  const [numbers, oids] = [numbersOf(row["columns"]), numbersOf(row["collation_oids"])];
  const names = Array.isArray(row["collations"]) ? row["collations"] : [];
  const isOther = (at: number) =>
    oids[at] !== 0 && oids[at] !== (own.get(numbers[at] ?? 0) ?? DEFAULT_COLLATION);
  return { ...row, collations: names.map((name, at) => (isOther(at) ? (name as unknown) : null)) };
}

import { addressOf } from "../../schema/address.js";
import type {
  Action,
  Check,
  Column,
  ForeignKey,
  Index,
  IndexPart,
  Key,
  Table,
  Unique,
} from "../../schema/types.js";
import type { Catalog, CatalogRow, LeftAlone } from "../dialect.js";
import { groupRows } from "../catalog-rows.js";
import { spellExpression } from "../settle.js";
import { stampName } from "./expressions.js";
import { TOKENS } from "./settle.js";
import { NAME, shortType } from "./types.js";

/** What is not the server's own, nor another session's, nor an extension's. */
const USERS = "n.nspname <> 'information_schema' AND n.nspname NOT LIKE 'pg\\_%'";
const NOT_EXTENSION = (catalog: string, oid: string) =>
  `NOT EXISTS (SELECT 1 FROM pg_depend d WHERE d.classid = '${catalog}'::regclass AND d.objid = ${oid} AND d.deptype = 'e')`;

/** https://www.postgresql.org/docs/15/catalogs.html; expressions are asked for only where there are some. */
export const catalogQueries = [
  `SELECT c.oid::int8 AS oid, n.nspname AS namespace, n.nspname = current_schema() AS here, c.relname AS name, d.description AS note
   FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
   LEFT JOIN pg_description d ON d.objoid = c.oid AND d.classoid = 'pg_class'::regclass AND d.objsubid = 0
   WHERE c.relkind = 'r' AND NOT c.relispartition AND ${USERS} AND ${NOT_EXTENSION("pg_class", "c.oid")}
   ORDER BY c.oid`,
  `SELECT a.attrelid::int8 AS table_oid, a.attnum AS number, a.attname AS name, format_type(a.atttypid, a.atttypmod) AS type,
     a.attnotnull AS required, a.attidentity AS identity, a.attgenerated AS computed,
     pg_get_expr(e.adbin, e.adrelid) AS expression, d.description AS note,
     CASE WHEN a.attcollation <> t.typcollation THEN l.collname END AS collation
   FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace
   JOIN pg_type t ON t.oid = a.atttypid
   LEFT JOIN pg_attrdef e ON e.adrelid = a.attrelid AND e.adnum = a.attnum
   LEFT JOIN pg_collation l ON l.oid = a.attcollation
   LEFT JOIN pg_description d ON d.objoid = a.attrelid AND d.classoid = 'pg_class'::regclass AND d.objsubid = a.attnum
   WHERE c.relkind = 'r' AND a.attnum > 0 AND NOT a.attisdropped AND ${USERS}
   ORDER BY a.attrelid, a.attnum`,
  `SELECT k.conrelid::int8 AS table_oid, k.conname AS name, k.contype AS kind, k.conkey::int[] AS columns,
     k.confrelid::int8 AS target, k.confkey::int[] AS target_columns, k.confdeltype AS on_delete, k.confupdtype AS on_update,
     k.condeferrable AS deferrable, k.condeferred AS deferred,
     CASE WHEN k.contype = 'c' THEN pg_get_expr(k.conbin, k.conrelid) END AS expression
   FROM pg_constraint k JOIN pg_namespace n ON n.oid = k.connamespace
   WHERE k.contype IN ('p', 'u', 'f', 'c', 'x') AND k.conrelid <> 0 AND ${USERS}
   ORDER BY k.conrelid, k.conname`,
  `SELECT i.indrelid::int8 AS table_oid, c.relname AS name, i.indisunique AS is_unique, m.amname AS method, i.indkey::int2[]::int[] AS columns,
     i.indoption::int2[]::int[] AS options, i.indnkeyatts AS parts,
     CASE WHEN i.indexprs IS NOT NULL THEN ARRAY(SELECT pg_get_indexdef(i.indexrelid, p, false) FROM generate_series(1, i.indnkeyatts) p) END AS texts,
     CASE WHEN i.indpred IS NOT NULL THEN pg_get_expr(i.indpred, i.indrelid) END AS predicate,
     ARRAY(SELECT CASE WHEN NOT o.opcdefault THEN o.opcname END FROM unnest(i.indclass::oid[]) WITH ORDINALITY u(oid, at) JOIN pg_opclass o ON o.oid = u.oid ORDER BY at)::text[] AS classes
   FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid JOIN pg_namespace n ON n.oid = c.relnamespace JOIN pg_am m ON m.oid = c.relam
   WHERE ${USERS} AND NOT EXISTS (SELECT 1 FROM pg_constraint k WHERE k.conindid = i.indexrelid AND k.contype IN ('p', 'u', 'x'))
   ORDER BY i.indrelid, c.relname`,
  `SELECT 'trigger' AS kind, t.tgname AS name, t.tgrelid::int8 AS table_oid, n.nspname AS namespace, n.nspname = current_schema() AS here
   FROM pg_trigger t JOIN pg_class c ON c.oid = t.tgrelid JOIN pg_namespace n ON n.oid = c.relnamespace
   WHERE NOT t.tgisinternal AND ${USERS}
   UNION ALL
   SELECT CASE c.relkind WHEN 'v' THEN 'view' WHEN 'm' THEN 'materialized view' WHEN 'p' THEN 'partitioned table' WHEN 'f' THEN 'foreign table'
     WHEN 'S' THEN 'sequence' ELSE 'partition' END, c.relname, NULL, n.nspname, n.nspname = current_schema()
   FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
   WHERE (c.relkind IN ('v', 'm', 'p', 'f') OR c.relkind = 'r' AND c.relispartition
     OR c.relkind = 'S' AND NOT EXISTS (SELECT 1 FROM pg_depend d WHERE d.objid = c.oid AND d.classid = 'pg_class'::regclass AND d.deptype IN ('i', 'a')))
     AND ${USERS} AND ${NOT_EXTENSION("pg_class", "c.oid")}
   UNION ALL
   SELECT 'function', p.proname, NULL, n.nspname, n.nspname = current_schema()
   FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace WHERE ${USERS} AND ${NOT_EXTENSION("pg_proc", "p.oid")}
   UNION ALL
   SELECT CASE t.typtype WHEN 'e' THEN 'enum' ELSE 'domain' END, t.typname, NULL, n.nspname, n.nspname = current_schema()
   FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace WHERE t.typtype IN ('e', 'd') AND ${USERS} AND ${NOT_EXTENSION("pg_type", "t.oid")}
   UNION ALL
   SELECT 'extension', e.extname, NULL, NULL, true FROM pg_extension e WHERE e.extname <> 'plpgsql'`,
];

/** What the catalog says; the lists are the answers to `catalogQueries`, in that order. */
export function readCatalog(results: readonly (readonly CatalogRow[])[]): Catalog {
  const [tableRows = [], columnRows = [], constraintRows = [], indexRows = [], otherRows = []] = results;
  const columns = groupRows(columnRows, "table_oid");
  const constraints = groupRows(constraintRows, "table_oid");
  const indexes = groupRows(indexRows, "table_oid");
  const triggers = groupRows(
    otherRows.filter(({ kind }) => kind === "trigger"),
    "table_oid",
  );
  const identity = (row: CatalogRow) => ({
    name: String(row["name"]),
    ...(row["here"] === true ? {} : { namespace: String(row["namespace"]) }),
  });
  const addresses = new Map(tableRows.map(row => [String(row["oid"]), addressOf(identity(row))]));
  const names = new Map(
    [...columns].map(([oid, rows]) => [
      oid,
      new Map(rows.map(row => [Number(row["number"]), String(row["name"])])),
    ]),
  );
  const stamps = new Set<string>();
  const tables = tableRows.map((row): Table => {
    const oid = String(row["oid"]);
    const known = new Set((triggers.get(oid) ?? []).map(({ name }) => String(name)));
    const read = (columns.get(oid) ?? []).map(readColumn).map((column): Column => {
      const stamp = stampName(String(row["name"]), column.name);
      if (!known.has(stamp)) return column;
      stamps.add(stamp);
      return { ...column, stamp: "updated" };
    });
    const spell = (text: unknown) => spellExpression(String(text), read, TOKENS);
    const own = (numbers: unknown) => (numbers as number[]).map(number => names.get(oid)?.get(number) ?? "");
    const parts = constraints.get(oid) ?? [];
    const of = (kind: string) => parts.filter(part => part["kind"] === kind);
    const key = of("p").map((part): Key => ({
      name: String(part["name"]),
      columns: own(part["columns"]),
    }))[0];
    const { note } = row as { note: string | null };
    return {
      ...identity(row),
      columns: read.map(column => spellComputed(column, spell)),
      ...(key && { key }),
      uniques: of("u").map((part): Unique => ({ name: String(part["name"]), columns: own(part["columns"]) })),
      indexes: (indexes.get(oid) ?? []).map(index => readIndex(index, own, spell)),
      foreignKeys: of("f").map(part => readReference(part, own, addresses, names)),
      checks: of("c").map((part): Check => ({
        name: String(part["name"]),
        rules: [{ kind: "sql", sql: spell(part["expression"]) }],
      })),
      ...(note !== null && { note }),
    };
  });
  return { schema: { tables }, leftAlone: leftAlone(otherRows, addresses, stamps) };
}

function readColumn(row: CatalogRow): Column {
  const { name, type, required, identity, computed, expression, note, collation } = row as Record<
    string,
    string | boolean | null
  >;
  return {
    name: String(name),
    type: { kind: "native", sql: { [NAME]: shortType(String(type)) } },
    nullable: required !== true,
    ...(computed === "s"
      ? { computed: { sql: String(expression), stored: true } }
      : expression !== null && { default: { kind: "sql", sql: String(expression) } as const }),
    ...(identity === "d"
      ? { identity: "serial" as const }
      : identity === "a"
        ? { identity: "always" as const }
        : {}),
    ...(typeof collation === "string" && { collation }),
    ...(typeof note === "string" && { note }),
  };
}

function spellComputed(column: Column, spell: (text: unknown) => string): Column {
  return column.computed
    ? { ...column, computed: { ...column.computed, sql: spell(column.computed.sql) } }
    : column;
}

const ACTIONS: Readonly<Record<string, Action>> = {
  a: "no action",
  r: "restrict",
  c: "cascade",
  n: "set null",
  d: "set default",
};

function readReference(
  part: CatalogRow,
  own: (numbers: unknown) => string[],
  addresses: ReadonlyMap<string, string>,
  names: ReadonlyMap<string, ReadonlyMap<number, string>>,
): ForeignKey {
  const target = String(part["target"]);
  return {
    name: String(part["name"]),
    columns: own(part["columns"]),
    references: {
      table: addresses.get(target) ?? "",
      columns: (part["target_columns"] as number[]).map(number => names.get(target)?.get(number) ?? ""),
    },
    onDelete: ACTIONS[String(part["on_delete"])] ?? "no action",
    onUpdate: ACTIONS[String(part["on_update"])] ?? "no action",
    ...(part["deferrable"] === true && { deferrable: part["deferred"] === true ? "deferred" : "immediate" }),
  };
}

/** Bits of pg_index.indoption: 1 descending, 2 nulls first. */
function readIndex(
  row: CatalogRow,
  own: (numbers: unknown) => string[],
  spell: (text: unknown) => string,
): Index {
  const [numbers, options] = [row["columns"] as number[], row["options"] as number[]];
  const [texts, classes] = [row["texts"] as string[] | null, row["classes"] as (string | null)[]];
  const parts = numbers.slice(0, Number(row["parts"])).map((number, at): IndexPart => {
    const option = options[at] ?? 0;
    const [descending, first] = [(option & 1) === 1, (option & 2) === 2];
    return {
      ...(number === 0 ? { sql: spell(texts?.[at]) } : { column: own([number])[0]! }),
      ...(descending && { descending }),
      ...(descending !== first && { nulls: first ? "first" : "last" }),
      ...(classes[at] && { operatorClass: classes[at] }),
    };
  });
  return {
    name: String(row["name"]),
    parts,
    ...(row["is_unique"] === true && { unique: true }),
    ...(row["predicate"] !== null && { where: spell(row["predicate"]) }),
    ...(row["method"] !== "btree" && { method: String(row["method"]) }),
  };
}

function leftAlone(
  rows: readonly CatalogRow[],
  addresses: ReadonlyMap<string, string>,
  stamps: ReadonlySet<string>,
): LeftAlone[] {
  return rows.flatMap(row => {
    const [kind, name, oid] = [String(row["kind"]), String(row["name"]), row["table_oid"]];
    if ((kind === "trigger" || kind === "function") && stamps.has(name)) return [];
    const shown = row["here"] === true ? name : `${String(row["namespace"])}.${name}`;
    const table = oid === null ? undefined : addresses.get(String(oid));
    return [{ kind, name: shown, ...(table !== undefined && { table }) }];
  });
}

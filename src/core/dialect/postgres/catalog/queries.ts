import { EVERYONE } from "../../../schema/grants.js";
import { ATTIC } from "../../../schema/internal-tables.js";

/** What is not the server's own, nor another session's, nor an extension's, nor put away. */
const IN_ATTIC = `n.nspname LIKE '${ATTIC.replaceAll("_", "\\_")}%'`;
const USERS = `n.nspname <> 'information_schema' AND n.nspname NOT LIKE 'pg\\_%' AND NOT (${IN_ATTIC})`;
const NOT_EXTENSION = (catalog: string, oid: string) =>
  `NOT EXISTS (SELECT 1 FROM pg_depend d WHERE d.classid = '${catalog}'::regclass AND d.objid = ${oid} AND d.deptype = 'e')`;
const PLACE = "n.nspname AS namespace, n.nspname = current_schema() AS here";

/** A column of the catalog that older servers do not have: by way of the whole row, and only where it can matter. */
const YOUNG = (row: string, column: string, where: string) =>
  `CASE WHEN ${where} THEN to_jsonb(${row})->>'${column}' END`;

/** Role and verb of each grant; what an owner may do with what is his is nowhere told: https://www.postgresql.org/docs/15/ddl-priv.html */
const GRANTED = (acl: string) =>
  `CASE WHEN ${acl} IS NOT NULL THEN (SELECT json_agg(json_build_array(CASE x.grantee WHEN 0 THEN '${EVERYONE}' ELSE pg_get_userbyid(x.grantee) END, x.privilege_type))
     FROM aclexplode(${acl}) x WHERE x.grantee <> c.relowner) END AS granted`;

const CALLED = (name: string) =>
  `CASE WHEN n.nspname = current_schema() THEN quote_ident(${name}) ELSE quote_ident(n.nspname) || '.' || quote_ident(${name}) END`;
/** `COMMENT ON VIEW v IS '…'` behind what it is of. */
const SAID_OF = (kind: string, name: string, note: string) =>
  `coalesce(E';\\nCOMMENT ON ' || ${kind} || ' ' || ${name} || ' IS ' || quote_literal(${note}), '')`;
const TABLE = CALLED("c.relname");

/**
 * Views, routines and triggers as SQL that makes them again, with what goes with them: notes, the indexes of a
 * materialized view, a trigger's state. https://www.postgresql.org/docs/15/functions-info.html
 */
export const objectsQuery = `SELECT CASE c.relkind WHEN 'v' THEN 'view' ELSE 'materialized view' END AS kind, c.relname::text AS name, NULL::int8 AS table_oid, ${PLACE},
     c.oid::int8 AS oid, '' AS arguments, 'CREATE ' || o.kind || ' ' || ${TABLE}
     || coalesce(' WITH (' || array_to_string(c.reloptions, ', ') || ')', '') || E' AS\\n' || rtrim(pg_get_viewdef(c.oid), E'; \\n')
     || coalesce((SELECT string_agg(E';\\n' || pg_get_indexdef(i.indexrelid), '' ORDER BY x.relname)
          FROM pg_index i JOIN pg_class x ON x.oid = i.indexrelid WHERE i.indrelid = c.oid), '')
     || ${SAID_OF("o.kind", TABLE, "obj_description(c.oid, 'pg_class')")}
     || coalesce((SELECT string_agg(E';\\nCOMMENT ON COLUMN ' || ${TABLE} || '.' || quote_ident(a.attname) || ' IS ' || quote_literal(d.description), '' ORDER BY a.attnum)
          FROM pg_description d JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum = d.objsubid
          WHERE d.objoid = c.oid AND d.classoid = 'pg_class'::regclass AND d.objsubid > 0), '') AS sql
   FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
   CROSS JOIN LATERAL (SELECT CASE c.relkind WHEN 'v' THEN 'VIEW' ELSE 'MATERIALIZED VIEW' END AS kind) o
   WHERE c.relkind IN ('v', 'm') AND ${USERS} AND ${NOT_EXTENSION("pg_class", "c.oid")}
   UNION ALL
   SELECT lower(o.kind), p.proname, NULL, n.nspname, n.nspname = current_schema(), p.oid::int8, a.list,
     'CREATE ' || o.kind || ' ' || ${CALLED("p.proname")}
     || rtrim(substr(f.sql, length('CREATE OR REPLACE ' || o.kind || ' ' || quote_ident(n.nspname) || '.' || quote_ident(p.proname)) + 1), E' \\n')
     || ${SAID_OF("o.kind", `${CALLED("p.proname")} || '(' || a.list || ')'`, "obj_description(p.oid, 'pg_proc')")}
   FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace
   CROSS JOIN LATERAL (SELECT CASE p.prokind WHEN 'p' THEN 'PROCEDURE' ELSE 'FUNCTION' END AS kind) o
   CROSS JOIN LATERAL (SELECT pg_get_function_identity_arguments(p.oid) AS list) a
   CROSS JOIN LATERAL (SELECT CASE WHEN p.prokind <> 'a' THEN pg_get_functiondef(p.oid) END AS sql) f
   WHERE p.prokind <> 'a' AND ${USERS} AND ${NOT_EXTENSION("pg_proc", "p.oid")}
     AND NOT EXISTS (SELECT 1 FROM pg_depend d WHERE d.classid = 'pg_proc'::regclass AND d.objid = p.oid AND d.deptype = 'i')
   UNION ALL
   SELECT 'trigger', t.tgname, t.tgrelid::int8, n.nspname, n.nspname = current_schema(), t.oid::int8, '', pg_get_triggerdef(t.oid, true)
     || CASE t.tgenabled WHEN 'O' THEN '' ELSE E';\\nALTER TABLE ' || ${TABLE} || CASE t.tgenabled WHEN 'D' THEN ' DISABLE' WHEN 'A' THEN ' ENABLE ALWAYS' ELSE ' ENABLE REPLICA' END || ' TRIGGER ' || quote_ident(t.tgname) END
     || ${SAID_OF("'TRIGGER'", `quote_ident(t.tgname) || ' ON ' || ${TABLE}`, "obj_description(t.oid, 'pg_trigger')")}
   FROM pg_trigger t JOIN pg_class c ON c.oid = t.tgrelid JOIN pg_namespace n ON n.oid = c.relnamespace
   WHERE NOT t.tgisinternal AND ${USERS}
   UNION ALL
   SELECT 'policy', p.polname, p.polrelid::int8, n.nspname, n.nspname = current_schema(), p.oid::int8, '',
     'CREATE POLICY ' || quote_ident(p.polname) || ' ON ' || ${TABLE} || CASE WHEN p.polpermissive THEN '' ELSE ' AS RESTRICTIVE' END
     || CASE p.polcmd WHEN 'r' THEN ' FOR SELECT' WHEN 'a' THEN ' FOR INSERT' WHEN 'w' THEN ' FOR UPDATE' WHEN 'd' THEN ' FOR DELETE' ELSE '' END
     || ' TO ' || array_to_string(ARRAY(SELECT CASE r WHEN 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(r)) END FROM unnest(p.polroles) r), ', ')
     || coalesce(' USING (' || pg_get_expr(p.polqual, p.polrelid) || ')', '') || coalesce(' WITH CHECK (' || pg_get_expr(p.polwithcheck, p.polrelid) || ')', '')
     || CASE WHEN c.relrowsecurity THEN E';\\nALTER TABLE ' || ${TABLE} || ' ENABLE ROW LEVEL SECURITY' ELSE '' END
   FROM pg_policy p JOIN pg_class c ON c.oid = p.polrelid JOIN pg_namespace n ON n.oid = c.relnamespace WHERE ${USERS}
   ORDER BY kind, name, arguments, oid`;

/** Whether anything stands in a namespace that is not the server's. */
export const anyTable = `SELECT 1 AS found FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE ${USERS} LIMIT 1`;

/** What is nobody's but a user's: https://www.postgresql.org/docs/15/system-catalog-initial-data.html#SYSTEM-CATALOG-OID-ASSIGNMENT */
const OURS = (oid: string) => `${oid} >= 16384`;

/** What stands in a namespace that is told: of that the server knows how much it is, of the newest numbers it does not. */
const PLACED = (namespace: string) =>
  `${namespace} = ANY (ARRAY(SELECT n.oid FROM pg_namespace n WHERE ${USERS}))`;

/** The usual methods of tables and of indexes, heap and btree, by their fixed numbers. */
const USUAL_METHODS = "2, 403";

/** A collation by the name of its namespace and its own. */
const COLLATION = (oid: string) => `(pg_identify_object('pg_collation'::regclass, ${oid}, 0)).identity`;

/** Namespaces whose things are told. */
const namespaces = `SELECT n.oid::int8 AS oid, ${PLACE}, quote_ident(n.nspname) AS quoted_namespace
   FROM pg_namespace n WHERE ${USERS}`;

/** What is part of an extension (e), or made by the server for something else (i). */
const parts = `SELECT classid::int8 AS catalog, objid::int8 AS oid FROM pg_depend
   WHERE refclassid = 'pg_extension'::regclass AND deptype = 'e' AND ${OURS("objid")}
   UNION ALL SELECT classid::int8, objid::int8 FROM pg_depend WHERE classid = 'pg_proc'::regclass AND deptype = 'i' AND ${OURS("objid")}`;

const notes = `SELECT classoid::int8 AS catalog, objoid::int8 AS oid, objsubid AS number, description AS note FROM pg_description
   WHERE ${OURS("objoid")} AND classoid IN ('pg_class'::regclass, 'pg_type'::regclass)`;

const methods = `SELECT oid::int8 AS oid, amname AS name FROM pg_am WHERE oid NOT IN (${USUAL_METHODS})`;

/** Tables that have others' columns, partitions among them. */
const heirs = "SELECT DISTINCT inhrelid::int8 AS oid FROM pg_inherits";

/** Tables, views, and composite types (c). */
const relations = `SELECT c.oid::int8 AS oid, c.relnamespace::int8 AS place, c.relname AS name, c.relkind AS relkind, c.relpersistence AS persistence,
     NULLIF(c.relispartition, false) AS partition, NULLIF(c.reloftype, 0)::int8 AS of_type, NULLIF(c.relrowsecurity, false) AS asks_rows,
     c.reloptions AS settings, CASE WHEN c.relam NOT IN (0, ${USUAL_METHODS}) THEN c.relam::int8 END AS method,
     CASE WHEN c.relkind = 'c' THEN c.reltype::int8 END AS type, ${GRANTED("c.relacl")}
   FROM pg_class c WHERE c.relkind IN ('r', 'v', 'm', 'p', 'f', 'c') AND ${OURS("c.oid")} ORDER BY c.oid`;

const columns = `SELECT a.attrelid::int8 AS table_oid, a.attnum AS number, a.attname AS name, format_type(a.atttypid, a.atttypmod) AS type,
     NULLIF(a.attnotnull, false) AS required, NULLIF(a.attidentity, '') AS identity, NULLIF(a.attgenerated, '') AS computed,
     CASE WHEN a.atthasdef THEN pg_get_expr(e.adbin, e.adrelid) END AS expression,
     CASE WHEN a.attcollation NOT IN (0, 100) THEN a.attcollation::int8 END AS collation_oid,
     CASE WHEN a.attcollation <> t.typcollation THEN ${COLLATION("a.attcollation")} END AS collation,
     CASE WHEN a.attstorage <> t.typstorage THEN a.attstorage END AS storage, NULLIF(a.attcompression, '') AS compression,
     NULLIF(a.attstattarget, -1) AS statistics, ${GRANTED("a.attacl")}
   FROM pg_attribute a JOIN pg_class c ON c.oid = a.attrelid JOIN pg_type t ON t.oid = a.atttypid
   LEFT JOIN pg_attrdef e ON e.adrelid = a.attrelid AND e.adnum = a.attnum
   WHERE c.relkind = 'r' AND ${PLACED("c.relnamespace")} AND a.attnum > 0 AND NOT a.attisdropped
   ORDER BY a.attrelid, a.attnum`;

const constraints = `SELECT k.conrelid::int8 AS table_oid, k.conname AS name, k.contype AS kind, k.conkey::text AS columns,
     NULLIF(k.confrelid, 0)::int8 AS target, k.confkey::text AS target_columns, NULLIF(k.confdeltype, ' ') AS on_delete,
     NULLIF(k.confupdtype, ' ') AS on_update, NULLIF(k.confmatchtype, ' ') AS matching, NULLIF(k.condeferrable, false) AS deferrable,
     NULLIF(k.condeferred, false) AS deferred, NULLIF(k.convalidated, true) AS valid, NULLIF(k.contype = 'c' AND k.connoinherit, false) AS alone, CASE WHEN k.contype = 'c' THEN pg_get_expr(k.conbin, k.conrelid) END AS expression,
     ${YOUNG("k", "confdelsetcols", "k.contype = 'f' AND k.confdeltype IN ('n', 'd')")} AS set_columns,
     CASE WHEN i.indnatts > i.indnkeyatts THEN i.indkey::text END AS carried,
     ${YOUNG("i", "indnullsnotdistinct", "k.contype = 'u'")} AS nulls_same, x.reloptions AS settings
   FROM pg_constraint k LEFT JOIN pg_index i ON i.indexrelid = k.conindid AND k.contype IN ('p', 'u') LEFT JOIN pg_class x ON x.oid = i.indexrelid
   WHERE k.contype IN ('p', 'u', 'f', 'c', 'x') AND ${OURS("k.conrelid")} AND (k.conparentid = 0 OR k.contype = 'x')
   ORDER BY k.conrelid, k.conname`;

const ODD_COLLATION = "NOT i.indcollation::oid[] <@ '{0,100}'";

const indexes = `SELECT i.indrelid::int8 AS table_oid, c.relname AS name, i.indisunique AS is_unique,
     CASE WHEN c.relam NOT IN (${USUAL_METHODS}) THEN c.relam::int8 END AS method, i.indkey::text AS columns,
     i.indoption::text AS options, i.indnkeyatts AS parts, i.indisvalid AS valid, c.reloptions AS settings,
     ${YOUNG("i", "indnullsnotdistinct", "i.indisunique")} AS nulls_same,
     CASE WHEN i.indexprs IS NOT NULL THEN ARRAY(SELECT pg_get_indexdef(i.indexrelid, p, false) FROM generate_series(1, i.indnkeyatts) p) END AS texts,
     CASE WHEN i.indpred IS NOT NULL THEN pg_get_expr(i.indpred, i.indrelid) END AS predicate, i.indclass::text AS classes,
     CASE WHEN ${ODD_COLLATION} THEN i.indcollation::text END AS collation_oids,
     CASE WHEN ${ODD_COLLATION} THEN ARRAY(SELECT CASE WHEN u.oid <> 0 THEN ${COLLATION("u.oid")} END
       FROM unnest(i.indcollation::oid[]) WITH ORDINALITY u(oid, at) ORDER BY at) END AS collations
   FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid
   WHERE ${PLACED("c.relnamespace")} AND NOT EXISTS (SELECT 1 FROM pg_constraint k WHERE k.conindid = i.indexrelid AND k.contype IN ('p', 'u', 'x'))
   ORDER BY i.indrelid, c.relname`;

const classes = "SELECT oid::int8::text AS oid, opcname AS name FROM pg_opclass WHERE NOT opcdefault";

const sequences = `SELECT c.oid::int8 AS oid, c.relname AS name, c.relnamespace::int8 AS place, quote_ident(c.relname) AS quoted,
     format_type(s.seqtypid, NULL) AS type, s.seqstart::text AS start, s.seqincrement::text AS increment, s.seqmax::text AS maximum,
     s.seqmin::text AS minimum, s.seqcache::text AS cache, s.seqcycle AS cycle, p.refobjid::int8 AS table_oid,
     p.refobjsubid AS number, p.deptype AS owning
   FROM pg_sequence s JOIN pg_class c ON c.oid = s.seqrelid
   LEFT JOIN pg_depend p ON p.objid = c.oid AND p.classid = 'pg_class'::regclass AND p.refclassid = 'pg_class'::regclass AND p.deptype IN ('a', 'i')
   WHERE ${OURS("c.oid")} ORDER BY c.oid`;

/** Enums (e), domains (d) and ranges (r). */
const types = `SELECT t.oid::int8 AS oid, t.typtype AS kind, t.typname AS name, t.typnamespace::int8 AS place,
     CASE WHEN t.typtype = 'e' THEN ARRAY(SELECT e.enumlabel::text FROM pg_enum e WHERE e.enumtypid = t.oid ORDER BY e.enumsortorder) END AS labels,
     CASE WHEN t.typtype = 'd' THEN format_type(t.typbasetype, t.typtypmod) END AS base, t.typnotnull AS required, t.typdefault AS value,
     CASE WHEN t.typtype = 'd' AND t.typcollation <> (SELECT b.typcollation FROM pg_type b WHERE b.oid = t.typbasetype) THEN ${COLLATION("t.typcollation")} END AS collation,
     CASE WHEN t.typtype = 'd' THEN (SELECT json_agg(json_build_array(k.conname, pg_get_constraintdef(k.oid)) ORDER BY k.conname)
       FROM pg_constraint k WHERE k.contypid = t.oid AND k.contype = 'c') END AS checks
   FROM pg_type t WHERE t.typtype IN ('e', 'd', 'r') AND ${OURS("t.oid")} ORDER BY t.oid`;

const routines = `SELECT p.oid::int8 AS oid, CASE p.prokind WHEN 'p' THEN 'procedure' WHEN 'a' THEN 'aggregate' ELSE 'function' END AS kind, p.proname AS name,
     p.pronamespace::int8 AS place FROM pg_proc p WHERE ${OURS("p.oid")}`;

/** What hangs on tables, and is where its table is. */
const hanging = `SELECT 'trigger' AS kind, tgname AS name, tgrelid::int8 AS table_oid FROM pg_trigger WHERE NOT tgisinternal
   UNION ALL SELECT 'policy', polname, polrelid::int8 FROM pg_policy
   UNION ALL SELECT 'rule', rulename, ev_class::int8 FROM pg_rewrite WHERE rulename <> '_RETURN' AND ${OURS("ev_class")}`;

const statistics =
  "SELECT 'statistics' AS kind, stxname AS name, stxrelid::int8 AS table_oid, stxnamespace::int8 AS place FROM pg_statistic_ext";

/** What stands in no namespace. */
const placeless = `SELECT 'publication' AS kind, pubname AS name FROM pg_publication
   UNION ALL SELECT 'event trigger', evtname FROM pg_event_trigger
   UNION ALL SELECT 'extension', extname FROM pg_extension WHERE extname <> 'plpgsql'`;

/**
 * https://www.postgresql.org/docs/15/catalogs.html; each asks one catalog for what is its own, and the rows are put together here:
 * a session that is new takes about twice as long to plan how they are joined. Expressions are asked for only where there are
 * some, and what is as usual comes as null: to read a value takes the driver longer than it takes the server to compare it.
 */
export const QUERIES = {
  ...{ namespaces, parts, notes, methods, heirs, relations, columns, constraints, indexes, classes },
  ...{ sequences, types, routines, hanging, statistics, placeless },
};

export const catalogQueries = Object.values(QUERIES);

/** Tables whose file has no page; one that is empty otherwise is counted like any other. */
export const emptyTables = `SELECT c.relname AS name, NULLIF(n.nspname, current_schema()) AS namespace
  FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
  WHERE c.relkind = 'r' AND ${USERS} AND pg_relation_size(c.oid) = 0`;

/** As the last ANALYZE found it: https://www.postgresql.org/docs/15/catalog-pg-class.html */
export const sizes = `SELECT c.relname AS name, NULLIF(n.nspname, current_schema()) AS namespace,
    NULLIF(c.reltuples, -1)::int8 AS rows, pg_total_relation_size(c.oid) AS bytes
  FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.relkind = 'r' AND ${USERS}`;

export const atticTables = `SELECT c.relname AS name, n.nspname AS namespace, pg_total_relation_size(c.oid) AS bytes
  FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
  WHERE c.relkind IN ('r', 'p') AND ${IN_ATTIC} ORDER BY 2, 1`;

/** Views that have followed a table into the attic: https://www.postgresql.org/docs/15/catalog-pg-depend.html */
export const atticViews = `SELECT DISTINCT v.relname AS name, c.relname AS uses
  FROM pg_depend d JOIN pg_rewrite r ON r.oid = d.objid JOIN pg_class v ON v.oid = r.ev_class
  JOIN pg_class c ON c.oid = d.refobjid JOIN pg_namespace n ON n.oid = c.relnamespace
  WHERE d.classid = 'pg_rewrite'::regclass AND d.refclassid = 'pg_class'::regclass AND v.oid <> c.oid AND ${IN_ATTIC}`;

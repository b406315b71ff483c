import { literalSql } from "./expressions.js";

/** Something that a script drops and creates again. */
export interface Recreated {
  readonly kind: "view" | "materialized view" | "routine" | "type";
  /** Its name before, in SQL: `"open_pieces"`, `"price"(integer)`. */
  readonly before: string;
  /** Its name when it is there again. */
  readonly after: string;
  /** Whether it is the same as before: then comments and indexes of it stay, too. */
  readonly same: boolean;
}

/** The settings in which a session keeps what stands around objects, and around types: one may be held while the other is. */
export type Held = "emberset.held" | "emberset.held_type";

/**
 * Keeps in a setting of the session, as a list of statements, what stands around objects: owners, rights, and of views also rules,
 * defaults, triggers, indexes, statistics, and whether they are filled. A new object has the rights that its creator's default
 * privileges give it, so all of those are revoked first. https://www.postgresql.org/docs/15/ddl-priv.html
 */
export function holdSurroundingsSql(objects: readonly Recreated[], held: Held): string {
  const values = objects.map(
    ({ kind, before, after, same }) =>
      `(${literalSql(before)}::${REGISTERED[kind]}::oid, ${literalSql(kind)}, ${literalSql(after)}, ${String(same)})`,
  );
  const kinds = new Set<Kind>(objects.map(({ kind }) => kind));
  const lines = LINES.filter(each => each.of.some(kind => kinds.has(kind))).map(
    ({ turn, line, from, same }) =>
      `SELECT ${turn}, ${line}\n    FROM ${from}${same ? `${from.includes(" WHERE ") ? " AND" : " WHERE"} same` : ""}`,
  );
  return `WITH again (id, kind, name, same) AS (VALUES
    ${values.join(",\n    ")}),
  owned AS (
    ${ownedSql(kinds)}),
  lines (turn, line) AS (
    ${lines.join("\n  UNION ALL\n    ")})
SELECT set_config('${held}', coalesce(json_agg(line ORDER BY turn, line), '[]')::text, false) FROM lines`;
}

/** Gives back what was kept. A column that is no more has nothing around it; what the script itself has made is there already. */
export function giveBackSurroundingsSql(held: Held): string {
  return `DO $emberset$ DECLARE line text; BEGIN
  FOR line IN SELECT json_array_elements_text(current_setting('${held}')::json) LOOP
    BEGIN EXECUTE line; EXCEPTION
      WHEN undefined_column THEN IF line LIKE 'CREATE %' THEN RAISE; END IF;
      WHEN duplicate_object OR duplicate_table THEN NULL;
    END;
  END LOOP;
  PERFORM set_config('${held}', '[]', false);
END $emberset$`;
}

/**
 * All that stands around whatever a database holds, one statement a row that would put it there again, with what it stands around:
 * the catalog and the number of that, and the number of the column (https://www.postgresql.org/docs/15/catalog-pg-depend.html).
 */
export function inventorySql(): string {
  const lines = LINES.map(
    ({
      turn,
      line,
      from,
      same = false,
      about = [
        "CASE kind WHEN 'routine' THEN 'pg_proc'::regclass WHEN 'type' THEN 'pg_type'::regclass ELSE 'pg_class'::regclass END",
        "id",
        "0",
      ],
    }) =>
      `SELECT ${turn}, ${line}, ${about.map(each => `(${each})::bigint`).join(", ")}, kind, name, ${String(same)}\n    FROM ${from}`,
  );
  return `WITH here AS (SELECT oid, nspname FROM pg_namespace WHERE nspname NOT LIKE 'pg\\_%' AND nspname <> 'information_schema' AND nspname NOT LIKE 'emberset\\_attic\\_%'),
  again (id, kind, name, same) AS (
    SELECT c.oid, CASE relkind WHEN 'v' THEN 'view' WHEN 'm' THEN 'materialized view' WHEN 'S' THEN 'sequence' ELSE 'table' END, format('%I.%I', nspname, relname), true
    FROM pg_class c JOIN here n ON n.oid = relnamespace WHERE relkind IN ('v', 'm', 'S', 'r', 'p') AND relname NOT LIKE 'emberset\\_%'
    UNION ALL SELECT p.oid, 'routine', format('%I.%I(%s)', nspname, proname, oidvectortypes(proargtypes)), true
    FROM pg_proc p JOIN here n ON n.oid = pronamespace WHERE prokind IN ('f', 'p')
    UNION ALL SELECT t.oid, 'type', format('%I.%I', nspname, typname), true
    FROM pg_type t JOIN here n ON n.oid = typnamespace WHERE typtype IN ('e', 'd')),
  owned AS (
    ${ownedSql()}),
  lines (turn, line, class, id, sub, kind, name, later) AS (
    ${lines.join("\n  UNION ALL\n    ")})
SELECT * FROM lines ORDER BY turn, line`;
}

type Kind = Recreated["kind"] | "table" | "sequence";

const REGISTERED = {
  view: "regclass",
  "materialized view": "regclass",
  routine: "regprocedure",
  type: "regtype",
} as const;

/** Whose objects are, and what is granted, by the catalog that they stand in; with the sign of their kind in default privileges. */
function ownedSql(kinds?: ReadonlySet<Kind>): string {
  const all: readonly (readonly [readonly Kind[], string])[] = [
    [
      ["view", "materialized view", "table", "sequence"],
      `SELECT again.*, relowner AS owner, relacl AS acl, CASE kind WHEN 'sequence' THEN 'SEQUENCE' ELSE 'TABLE' END AS word,
      CASE kind WHEN 'sequence' THEN 's' ELSE 'r' END::"char" AS sign, CASE kind WHEN 'sequence' THEN 'S' ELSE 'r' END::"char" AS default_sign
    FROM again JOIN pg_class c ON c.oid = id AND kind IN ('view', 'materialized view', 'table', 'sequence')`,
    ],
    [
      ["routine"],
      `SELECT again.*, proowner AS owner, proacl AS acl, 'ROUTINE' AS word, 'f'::"char" AS sign, 'f'::"char" AS default_sign FROM again JOIN pg_proc p ON p.oid = id AND kind = 'routine'`,
    ],
    [
      ["type"],
      `SELECT again.*, typowner AS owner, typacl AS acl, 'TYPE' AS word, 'T'::"char" AS sign, 'T'::"char" AS default_sign FROM again JOIN pg_type t ON t.oid = id AND kind = 'type'`,
    ],
  ];
  return all
    .filter(([own]) => !kinds || own.some(kind => kinds.has(kind)))
    .map(([, sql]) => sql)
    .join("\n    UNION ALL ");
}

/** One kind of thing that stands around others, as the statement that puts it there. */
interface Line {
  /** What comes first: an owner may revoke and grant, and what is created may be altered. */
  readonly turn: number;
  readonly of: readonly Kind[];
  readonly line: string;
  readonly from: string;
  /** Whether it is only for what is the same as before. */
  readonly same?: boolean;
  /** What goes with it: the catalog, the number and the column's. If omitted, the object itself. */
  readonly about?: readonly [string, string, string];
}

const GRANTEE = "CASE grantee WHEN 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(grantee)) END";
const OPTION = "CASE WHEN is_grantable THEN ' WITH GRANT OPTION' ELSE '' END";
const DEFAULTS =
  "pg_default_acl d WHERE d.defaclrole = current_user::regrole AND d.defaclobjtype = owned.default_sign";
const IS_GRANTED = `(owned.acl IS NOT NULL OR EXISTS (SELECT 1 FROM ${DEFAULTS}))`;
const ALL: readonly Kind[] = ["view", "materialized view", "routine", "type", "table", "sequence"];
const VIEWS: readonly Kind[] = ["view", "materialized view"];
const MATERIALIZED: readonly Kind[] = ["materialized view"];
const WITH_ROWS: readonly Kind[] = ["materialized view", "table"];
const WITH_COLUMNS: readonly Kind[] = [...VIEWS, "table"];
const OF_COLUMN = ["'pg_class'::regclass", "id", "attnum"] as const;

const among = (kinds: readonly Kind[]) => `kind IN (${kinds.map(literalSql).join(", ")})`;

const LINES: readonly Line[] = [
  {
    turn: 1,
    of: ALL,
    line: "format('ALTER %s %s OWNER TO %I', upper(kind), name, pg_get_userbyid(owner))",
    // A sequence of a column is its table's owner's.
    from: `owned WHERE pg_get_userbyid(owner) <> current_user
      AND NOT (kind = 'sequence' AND EXISTS (SELECT 1 FROM pg_depend d WHERE d.classid = 'pg_class'::regclass AND d.objid = owned.id AND d.deptype IN ('a', 'i')))`,
  },
  {
    turn: 2,
    of: ALL,
    line: `format('REVOKE ALL ON %s %s FROM PUBLIC, %s', word, name, (SELECT string_agg(DISTINCT quote_ident(pg_get_userbyid(who)), ', ')
      FROM (SELECT owner UNION SELECT x.grantee FROM ${DEFAULTS.replace(" WHERE", ", aclexplode(d.defaclacl) x WHERE")}) roles (who) WHERE who <> 0))`,
    from: `owned WHERE ${IS_GRANTED}`,
  },
  {
    turn: 3,
    of: ALL,
    line: `format('GRANT %s ON %s %s TO %s%s', privilege_type, word, name, ${GRANTEE}, ${OPTION})`,
    from: `owned, aclexplode(coalesce(acl, acldefault(sign, owner))) WHERE ${IS_GRANTED}`,
  },
  {
    turn: 4,
    of: ["routine"],
    same: true,
    line: "format('COMMENT ON ROUTINE %s IS %L', name, obj_description(id, 'pg_proc'))",
    from: "again WHERE kind = 'routine' AND obj_description(id, 'pg_proc') IS NOT NULL",
  },
  {
    turn: 4,
    of: WITH_COLUMNS,
    about: OF_COLUMN,
    line: `format('GRANT %s (%I) ON %s TO %s%s', privilege_type, attname, name, ${GRANTEE}, ${OPTION})`,
    from: `again JOIN pg_attribute a ON attrelid = id AND ${among(WITH_COLUMNS)}, aclexplode(attacl)`,
  },
  {
    turn: 4,
    of: ["view"],
    line: "format('ALTER VIEW %s ALTER COLUMN %I SET DEFAULT %s', name, attname, pg_get_expr(adbin, adrelid))",
    from: "again JOIN pg_attrdef ON adrelid = id AND kind = 'view' JOIN pg_attribute ON attrelid = id AND attnum = adnum",
  },
  {
    turn: 4,
    of: VIEWS,
    same: true,
    line: "format('ALTER %s %s SET (%s)', upper(kind), name, array_to_string(reloptions, ', '))",
    from: `again JOIN pg_class c ON c.oid = id AND ${among(VIEWS)} WHERE reloptions IS NOT NULL`,
  },
  {
    turn: 4,
    of: VIEWS,
    same: true,
    line: "format('COMMENT ON %s %s IS %L', upper(kind), name, obj_description(id, 'pg_class'))",
    from: `again WHERE ${among(VIEWS)} AND obj_description(id, 'pg_class') IS NOT NULL`,
  },
  {
    turn: 4,
    of: VIEWS,
    same: true,
    line: "format('COMMENT ON COLUMN %s.%I IS %L', name, attname, col_description(id, attnum))",
    from: `again JOIN pg_attribute ON attrelid = id AND ${among(VIEWS)} WHERE col_description(id, attnum) IS NOT NULL`,
  },
  {
    turn: 4,
    of: WITH_COLUMNS,
    about: ["'pg_rewrite'::regclass", "r.oid", "0"],
    line: "pg_get_ruledef(r.oid)",
    from: `again JOIN pg_rewrite r ON ev_class = id AND ${among(WITH_COLUMNS)} WHERE rulename <> '_RETURN'`,
  },
  {
    turn: 4,
    of: WITH_COLUMNS,
    line: "pg_get_triggerdef(t.oid)",
    from: `again JOIN pg_trigger t ON tgrelid = id AND ${among(WITH_COLUMNS)} WHERE NOT tgisinternal`,
  },
  {
    turn: 4,
    of: MATERIALIZED,
    same: true,
    line: "pg_get_indexdef(indexrelid)",
    from: `again JOIN pg_index ON indrelid = id AND ${among(MATERIALIZED)}`,
  },
  {
    turn: 4,
    of: WITH_ROWS,
    about: ["'pg_statistic_ext'::regclass", "s.oid", "0"],
    line: "pg_get_statisticsobjdef(s.oid)",
    from: `again JOIN pg_statistic_ext s ON stxrelid = id AND ${among(WITH_ROWS)}`,
  },
  {
    turn: 5,
    of: WITH_ROWS,
    about: ["'pg_statistic_ext'::regclass", "s.oid", "0"],
    line: "format('ALTER STATISTICS %I.%I OWNER TO %I', stxnamespace::regnamespace, stxname, pg_get_userbyid(stxowner))",
    from: `again JOIN pg_statistic_ext s ON stxrelid = id AND ${among(WITH_ROWS)} WHERE pg_get_userbyid(stxowner) <> current_user`,
  },
  {
    turn: 5,
    of: MATERIALIZED,
    about: OF_COLUMN,
    line: "format('ALTER TABLE %s ALTER COLUMN %I SET STATISTICS %s', name, attname, attstattarget)",
    from: `again JOIN pg_attribute ON attrelid = id AND ${among(MATERIALIZED)} WHERE attnum > 0 AND attstattarget >= 0`,
  },
  {
    turn: 5,
    of: ["table"],
    // What models say of it a script sets itself.
    same: true,
    about: OF_COLUMN,
    line: "format('ALTER TABLE %s ALTER COLUMN %I SET STATISTICS %s', name, attname, attstattarget)",
    from: "again JOIN pg_attribute ON attrelid = id AND kind = 'table' WHERE attnum > 0 AND attstattarget >= 0",
  },
  {
    turn: 5,
    of: WITH_ROWS,
    about: OF_COLUMN,
    line: "format('ALTER TABLE %s ALTER COLUMN %I SET (%s)', name, attname, array_to_string(attoptions, ', '))",
    from: `again JOIN pg_attribute ON attrelid = id AND ${among(WITH_ROWS)} WHERE attoptions IS NOT NULL`,
  },
  {
    turn: 5,
    of: WITH_COLUMNS,
    about: ["'pg_rewrite'::regclass", "r.oid", "0"],
    line: "format('ALTER TABLE %s %s RULE %I', name, CASE ev_enabled WHEN 'D' THEN 'DISABLE' WHEN 'A' THEN 'ENABLE ALWAYS' ELSE 'ENABLE REPLICA' END, rulename)",
    from: `again JOIN pg_rewrite r ON ev_class = id AND ${among(VIEWS)} WHERE rulename <> '_RETURN' AND ev_enabled <> 'O'`,
  },
  {
    turn: 6,
    of: WITH_ROWS,
    same: true,
    line: "format('ALTER %s %s CLUSTER ON %I', upper(kind), name, c.relname)",
    from: `again JOIN pg_index ON indrelid = id AND ${among(WITH_ROWS)} AND indisclustered JOIN pg_class c ON c.oid = indexrelid`,
  },
  {
    turn: 6,
    of: ["table"],
    line: `format('ALTER TABLE %s REPLICA IDENTITY %s', name, CASE relreplident WHEN 'f' THEN 'FULL' WHEN 'n' THEN 'NOTHING' ELSE
      (SELECT 'USING INDEX ' || quote_ident(x.relname) FROM pg_index JOIN pg_class x ON x.oid = indexrelid WHERE indrelid = id AND indisreplident) END)`,
    from: "again JOIN pg_class c ON c.oid = id AND kind = 'table' WHERE relreplident <> 'd'",
  },
  {
    turn: 6,
    of: MATERIALIZED,
    line: "format('REFRESH MATERIALIZED VIEW %s WITH NO DATA', name)",
    from: `again JOIN pg_class c ON c.oid = id AND ${among(MATERIALIZED)} WHERE NOT relispopulated`,
  },
];

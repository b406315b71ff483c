import { namesThrough } from "../../../change/names.js";
import type { Change } from "../../../change/types.js";
import type { Block, RenderPlan } from "../../shared/render-plan.js";
import { addressOf } from "../../../schema/address.js";
import type { ObjectDefinition } from "../../../schema/types.js";
import { createStatements, heads } from "../../shared/object-text.js";
import type { ObjectSyntax } from "../../shared/objects.js";
import { literalSql } from "../expressions.js";
import { quote, quoteTable } from "../names.js";
import { TOKENS } from "../settle.js";

/**
 * PostgreSQL knows what a view, a trigger or the head of a routine is made of, and lets nothing of it go
 * (https://www.postgresql.org/docs/15/ddl-depend.html); what a body in quotes speaks of it does not look at.
 */
export const OBJECTS: ObjectSyntax = {
  tokens: TOKENS,
  minds: (_, change) => MINDED.has(change.kind),
  isOff: () => true,
  // Another result, or other arguments, are another function.
  replaces: (before, after) =>
    isRoutine(before) &&
    heads(before, TOKENS)
      .map(({ signature }) => signature)
      .join() ===
      heads(after, TOKENS)
        .map(({ signature }) => signature)
        .join(),
  isForTables: isRoutine,
  dropSql: object => {
    const word = object.kind.toUpperCase();
    if (object.on !== undefined) return [`DROP ${word} ${quote(object.name)} ON ${quoteTable(object.on)}`];
    const name = quoteTable(addressOf(object));
    if (!isRoutine(object)) return [`DROP ${word} ${name}`];
    return heads(object, TOKENS).map(({ takes }) => `DROP ${word} ${name}(${takes})`);
  },
  createSql: (object, inPlace) => createStatements(object, inPlace, TOKENS),
  atLast: withoutPolicies,
  holdGrants: objects => {
    const views = objects.filter(({ kind }) => /view$/.test(kind)).map(each => quoteTable(addressOf(each)));
    if (views.length === 0) return undefined;
    const list = views.map(literalSql).join(", ");
    return { hold: holdSql(list), giveBack: GIVE_BACK };
  },
};

/** Where the last policy is gone, rows are no longer asked about. */
function withoutPolicies(
  old: readonly ObjectDefinition[],
  now: readonly ObjectDefinition[],
  { changes, after }: RenderPlan,
): Block[] {
  const names = namesThrough(changes);
  const placesOf = (objects: readonly ObjectDefinition[]) =>
    new Set(objects.flatMap(({ kind, on }) => (kind === "policy" && on !== undefined ? [on] : [])));
  const kept = placesOf(now);
  const there = new Set(after.tables.map(addressOf));
  return [...placesOf(old)]
    .map(place => names.after(place))
    .filter(place => there.has(place) && !kept.has(place) && !names.arrives(place))
    .map(place => ({
      title: `all rows of ${place} are seen again`,
      statements: [`ALTER TABLE ${quoteTable(place)} DISABLE ROW LEVEL SECURITY`],
    }));
}

function isRoutine({ kind }: ObjectDefinition): boolean {
  return kind === "function" || kind === "procedure";
}

/** Of columns that arrive a view learns only when it is made anew: `*` is what there was. */
const MINDED: ReadonlySet<Change["kind"]> = new Set<Change["kind"]>([
  "drop table",
  "rename table",
  "add column",
  "drop column",
  "rename column",
  "alter column",
  "alter definition",
]);

/** Whose a view is, and what is granted on it and its columns, as statements: https://www.postgresql.org/docs/15/ddl-priv.html */
function holdSql(views: string): string {
  const to = `CASE grantee WHEN 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(grantee)) END,
      CASE WHEN is_grantable THEN ' WITH GRANT OPTION' ELSE '' END`;
  return `WITH views AS (SELECT * FROM pg_class WHERE oid = ANY (ARRAY[${views}]::regclass[])), lines (line) AS (
    SELECT format('GRANT %s ON %s TO %s%s', privilege_type, oid::regclass,
      ${to})
    FROM views, aclexplode(relacl) WHERE grantee <> relowner
  UNION ALL
    SELECT format('GRANT %s (%I) ON %s TO %s%s', privilege_type, attname, views.oid::regclass,
      ${to})
    FROM views JOIN pg_attribute ON attrelid = views.oid, aclexplode(attacl)
  UNION ALL
    SELECT format('ALTER TABLE %s OWNER TO %I', oid::regclass, pg_get_userbyid(relowner))
    FROM views WHERE pg_get_userbyid(relowner) <> current_user)
SELECT set_config('${HELD}', coalesce(json_agg(line), '[]')::text, false) FROM lines`;
}

const HELD = "emberset.held";

/** A column that is no more has nothing granted on it. */
const GIVE_BACK = `DO $emberset$ DECLARE line text; BEGIN
  FOR line IN SELECT json_array_elements_text(current_setting('${HELD}')::json) LOOP
    BEGIN EXECUTE line; EXCEPTION WHEN undefined_column THEN NULL; END;
  END LOOP;
  PERFORM set_config('${HELD}', '[]', false);
END $emberset$`;

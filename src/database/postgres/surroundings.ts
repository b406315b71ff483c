import { postgres } from "../../core/dialect/postgres/index.js";
import { literalSql } from "../../core/dialect/postgres/expressions.js";
import { dollarQuoted } from "../../core/dialect/postgres/names.js";
import { inventorySql } from "../../core/dialect/postgres/surroundings.js";
import type { CatalogRow } from "../../core/dialect/shared/dialect.js";
import type { Statement } from "../../core/sql/statements.js";
import { meaningfulTokens } from "../../core/sql/tokens.js";
import { Breakage, type Database } from "../session/database.js";

type Asked = Pick<Database, "rows" | "run">;

/** What stands around the objects of a database before a script that drops some of them. */
export interface Surroundings {
  /**
   * Puts what went with something back where that is there again.
   * @returns statements for what is not there any more, which the way back needs
   * @throws Breakage where something went that would not come back
   */
  readonly restore: () => Promise<readonly string[]>;
}

/** Notes what stands around all objects, where a script may drop something. @param roles those whose rights on columns a script itself grants */
export async function noteSurroundings(
  asked: Asked,
  statements: readonly Statement[],
  roles: readonly string[],
): Promise<Surroundings | undefined> {
  if (!statements.some(({ sql }) => /\bdrop\b/i.test(sql))) return undefined;
  const { quote } = postgres.names;
  const all = (await asked.rows(inventorySql())) as unknown as readonly Line[];
  const granted = roles.flatMap(role => [` TO ${role}`, ` TO ${quote(role)}`]);
  const isGranted = ({ line, sub }: Line) =>
    sub > 0 &&
    line.startsWith("GRANT ") &&
    granted.some(end => line.replace(/ WITH GRANT OPTION$/, "").endsWith(end));
  const lines = all.filter(each => !isGranted(each));
  const exclusions = await asked.rows(EXCLUSIONS);
  const isSpokenOf = (name: string) =>
    statements.some(({ sql }) => sql.includes(name) || sql.includes(quote(name)));
  return {
    restore: async () => {
      await refuseLost(asked, exclusions, isSpokenOf);
      const gone = await goneOf(asked, lines);
      // What a script drops by its own words is to go; what goes with a column is not.
      const own = gone.filter(({ line }) => !isOwnDrop(line, statements));
      // What is only for the same may be for another here; on the way back it is the same again.
      const isNow = (each: (typeof own)[number]) => each.again && !each.later;
      const left = await giveBackLines(
        asked,
        own.filter(isNow).map(({ line }) => line),
      );
      return [...own.filter(each => !isNow(each)).map(({ line }) => line), ...left];
    },
  };
}

/**
 * Runs statements that put something around others; what they are about may be gone. They may come from the ledger, which others
 * may have written to: what is none of the inventory's is left out.
 * @returns those for what is not there
 */
export async function giveBackLines(
  { rows, run }: Asked,
  given: readonly string[],
): Promise<readonly string[]> {
  const lines = given.filter(line => OF_SURROUNDINGS.test(line) && isOneStatement(line));
  if (lines.length === 0) return [];
  await run(giveBackSql(lines));
  const [row] = await rows(`SELECT current_setting('${LEFT}') AS lines`);
  return JSON.parse(String(row?.["lines"])) as string[];
}

/** The statements of the inventory, and no others that begin as they do. */
const OF_SURROUNDINGS = new RegExp(
  [
    "^ALTER (?:TABLE|VIEW|MATERIALIZED VIEW|SEQUENCE|ROUTINE|TYPE|STATISTICS) [^]+ (?:OWNER TO|ALTER COLUMN|SET \\(|CLUSTER ON|REPLICA IDENTITY|RULE) ?",
    "^REVOKE ALL ON (?:TABLE|SEQUENCE|ROUTINE|TYPE) ",
    '^GRANT [A-Z, ]+?(?: \\((?:\\w+|"(?:[^"]|"")+")\\))? ON ',
    "^COMMENT ON ",
    "^CREATE (?:OR REPLACE )?(?:RULE|(?:CONSTRAINT )?TRIGGER|(?:UNIQUE )?INDEX|STATISTICS) ",
    "^REFRESH MATERIALIZED VIEW ",
  ].join("|"),
);

/** Whether a semicolon stands only within brackets, as in a rule, or at the end. */
function isOneStatement(line: string): boolean {
  const { texts } = meaningfulTokens(line, postgres.tokens);
  let depth = 0;
  return texts.every((text, at) => {
    if (text === "(") depth += 1;
    if (text === ")") depth -= 1;
    return text !== ";" || depth > 0 || at === texts.length - 1;
  });
}

const LEFT = "emberset.left";

/** https://www.postgresql.org/docs/15/errcodes-appendix.html */
function giveBackSql(lines: readonly string[]): string {
  const block = ` DECLARE line text; missing json[] := '{}'; BEGIN
  FOR line IN SELECT json_array_elements_text(${literalSql(JSON.stringify(lines))}::json) LOOP
    BEGIN EXECUTE line; EXCEPTION
      WHEN undefined_table OR undefined_column OR undefined_function OR undefined_object OR invalid_schema_name OR wrong_object_type THEN missing := missing || to_json(line);
      WHEN duplicate_object OR duplicate_table THEN NULL;
    END;
  END LOOP;
  PERFORM set_config('${LEFT}', array_to_json(missing)::text, false);
END `;
  return `DO ${dollarQuoted(block, "emberset")}`;
}

/** A line of the inventory: a statement, and what it goes with. */
interface Line {
  readonly line: string;
  readonly class: number;
  readonly id: number;
  readonly sub: number;
  readonly kind: string;
  /** As SQL calls it. */
  readonly name: string;
  /** Whether it is only for what is the same as before. */
  readonly later: boolean;
}

/** Those whose object is no more, and whether another is there by its name. */
async function goneOf(
  { rows }: Asked,
  lines: readonly Line[],
): Promise<readonly (Line & { readonly again: boolean })[]> {
  if (lines.length === 0) return [];
  const values = lines.map(
    (each, at) =>
      `(${at}, ${each.class}::oid, ${each.id}::oid, ${each.sub}, ${literalSql(each.kind)}, ${literalSql(each.name)})`,
  );
  const found = await rows(`SELECT at, CASE kind
    WHEN 'routine' THEN EXISTS (SELECT 1 FROM pg_proc p JOIN pg_namespace n ON n.oid = pronamespace
      WHERE format('%I.%I(%s)', nspname, proname, oidvectortypes(proargtypes)) = lines.name)
    WHEN 'type' THEN to_regtype(name) IS NOT NULL
    ELSE to_regclass(name) IS NOT NULL END AS again
  FROM (VALUES ${values.join(", ")}) AS lines (at, class, id, sub, kind, name)
  WHERE CASE class
    WHEN 'pg_proc'::regclass THEN NOT EXISTS (SELECT 1 FROM pg_proc WHERE oid = id)
    WHEN 'pg_type'::regclass THEN NOT EXISTS (SELECT 1 FROM pg_type WHERE oid = id)
    WHEN 'pg_rewrite'::regclass THEN NOT EXISTS (SELECT 1 FROM pg_rewrite WHERE oid = id)
    WHEN 'pg_statistic_ext'::regclass THEN NOT EXISTS (SELECT 1 FROM pg_statistic_ext WHERE oid = id)
    ELSE CASE sub WHEN 0 THEN NOT EXISTS (SELECT 1 FROM pg_class WHERE oid = id)
      ELSE NOT EXISTS (SELECT 1 FROM pg_attribute WHERE attrelid = id AND attnum = sub AND NOT attisdropped) END
  END ORDER BY at`);
  return found.map(row => ({ ...lines[Number(row["at"])]!, again: row["again"] === true }));
}

/** Whether a script itself drops the rule or the statistics that a line creates. */
function isOwnDrop(line: string, statements: readonly Statement[]): boolean {
  const [, name] = /^CREATE (?:RULE|STATISTICS) (?:[^ ]+\.)?("(?:[^"]|"")+"|\w+)/.exec(line) ?? [];
  return (
    name !== undefined &&
    statements.some(({ sql }) => /^drop\s+(?:rule|statistics)\b/i.test(sql) && sql.includes(name))
  );
}

/** Exclusion constraints, of which no model can speak, by the tables that they stand on. */
const EXCLUSIONS = `SELECT c.oid::text AS id, conname AS name, conrelid::regclass::text AS place, conrelid::text AS table
  FROM pg_constraint c WHERE contype = 'x' AND conrelid::regclass::text NOT LIKE 'emberset%'`;

/** A constraint that went with a column would let rows in that it kept out. @throws Breakage */
async function refuseLost(
  { rows }: Asked,
  before: readonly CatalogRow[],
  isSpokenOf: (name: string) => boolean,
): Promise<void> {
  if (before.length === 0) return;
  const now = new Set((await rows(EXCLUSIONS)).map(({ id }) => id));
  const tables = new Set(
    (await rows("SELECT oid::text AS id FROM pg_class WHERE relkind IN ('r', 'p')")).map(({ id }) => id),
  );
  const lost = before.filter(
    ({ id, name, table }) => !now.has(id) && tables.has(table) && !isSpokenOf(String(name)),
  );
  if (lost.length === 0) return;
  throw new Breakage(
    "objects",
    lost.map(({ name, place }) => `exclusion constraint ${String(name)} on ${String(place)}`),
    "they go with a column, and would let rows in that they keep out",
  );
}

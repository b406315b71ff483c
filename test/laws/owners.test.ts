import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import { addressOf } from "../../src/core/schema/address.js";
import type { Schema } from "../../src/core/schema/types.js";
import { objectOf } from "../../src/core/dialect/shared/object-text.js";
import { openDatabase } from "../../src/database/open.js";
import { dumpServer, sortDump } from "../engines/dump.js";
import { targetFor, type Engine } from "../engines/engine.js";
import { postgresEngine } from "../engines/postgres.js";
import { arbitrarySchema, hintsBetween } from "./arbitrary-schema.js";
import { withObjects } from "./arbitrary-objects.js";
import { withObjectsSeenTo } from "./objects-seen-to.js";
import { PATIENCE, RUNS, SEED } from "./runs.js";
import { isAboutOthers } from "./surroundings.js";
import { buildWithRows, described, isAboutRows, runner } from "./there-and-back.js";

/**
 * Databases as they are where several people work: the one who runs migrations is no superuser, things belong to others and are
 * granted to others, there are default privileges, and around tables and views stands what no model says. The server's whole dump,
 * with owners and rights, judges.
 */
const engine = await postgresEngine();

/** Who runs migrations, two whose member that one is, and one who is only given something. */
const ROLES = ["runs", "owns", "also", "reads"].map(name => `emberset_${name}_${process.pid}`);
const [RUNS_MIGRATIONS, OWNS, ALSO, READS] = ROLES as [string, string, string, string];

describe("on a real PostgreSQL, among other owners", () => {
  beforeAll(async () => {
    if (!engine) return;
    for (const role of ROLES) await engine.run(`CREATE ROLE ${role} LOGIN PASSWORD 'hush'`);
    await engine.run(`GRANT ${OWNS}, ${ALSO} TO ${RUNS_MIGRATIONS}`);
    const [row] = await engine.rows("SELECT current_database() AS name");
    await engine.run(`ALTER DATABASE "${String(row!["name"])}" OWNER TO ${RUNS_MIGRATIONS}`);
  });
  afterAll(async () => {
    if (!engine) return;
    const [row] = await engine.rows("SELECT current_database() AS name");
    await engine.run(`ALTER DATABASE "${String(row!["name"])}" OWNER TO current_user`);
    for (const role of ROLES) await engine.run(`DROP OWNED BY ${role} CASCADE; DROP ROLE ${role}`);
    await engine.close();
  });

  test.runIf(engine)(
    "functions of one name keep each its own rights when one of them goes, or comes",
    async () => {
      await engine!.empty();
      const database = await engine!.open();
      const rights = async () =>
        (
          await engine!.rows(
            "SELECT oid::regprocedure::text AS name, (SELECT array_agg(x::text ORDER BY x::text) FROM unnest(proacl) x)::text AS rights FROM pg_proc WHERE proname = 'price' ORDER BY 1",
          )
        ).map(({ name, rights: given }) => `${String(name)} ${String(given)}`);
      try {
        const a = overloaded("integer", "text");
        const b = overloaded("text", "date");
        await buildWithRows(database, a);
        await engine!.run(
          `REVOKE ALL ON FUNCTION price(text) FROM PUBLIC; GRANT EXECUTE ON FUNCTION price(integer) TO ${READS}`,
        );
        const before = await rights();
        const { run } = runner(database, { a, b, changes: diff(a, b) });
        await run("forward");
        expect(await rights()).toContain(before.find(each => each.startsWith("price(text)")));
        await run("back");
        expect(await rights()).toEqual(before);
      } finally {
        await database.close();
      }
    },
  );

  test.runIf(engine)(
    "the whole dump is as it was after a run there and back, and what the models leave alone keeps owner and rights",
    async () => {
      const told = { went: 0, refused: 0, around: 0 };
      const schema = arbitrarySchema({ without: "", hostile: true });
      await fc.assert(
        fc.asyncProperty(
          schema,
          schema,
          fc.nat(30),
          fc.nat(),
          fc.nat(),
          async (a, b, seed, objects, turn) => {
            await isWhole(engine!, { a, b, seed, objects, turn }, told);
          },
        ),
        {
          seed: SEED,
          numRuns: Math.ceil(RUNS / 6),
          ...(process.env["LAW_TELL"] && { endOnFailure: true }),
          ...(process.env["LAW_PATH"] && { path: process.env["LAW_PATH"] }),
        },
      );
      if (process.env["LAW_TELL"]) process.stdout.write(`${JSON.stringify(told)}\n`);
      expect(told.went).toBeGreaterThan(told.refused);
      expect(told.around).toBeGreaterThan(told.went);
    },
    PATIENCE,
  );
});

const WORDS: readonly string[] = ["select", "order"];

interface Case {
  readonly a: Schema;
  readonly b: Schema;
  readonly seed: number;
  readonly objects: number;
  readonly turn: number;
}

async function isWhole(
  engine: Engine,
  { a, b, seed, objects, turn }: Case,
  told: Record<"went" | "refused" | "around", number>,
): Promise<void> {
  for (const role of ROLES) await engine.run(`DROP OWNED BY ${role} CASCADE`);
  await engine.empty();
  await engine.run(
    `ALTER SCHEMA public OWNER TO ${RUNS_MIGRATIONS}; GRANT USAGE, CREATE ON SCHEMA public TO ${OWNS}, ${ALSO}`,
  );
  const url = new URL(engine.url);
  [url.username, url.password] = [RUNS_MIGRATIONS, "hush"];
  const database = await openDatabase(targetFor("postgres", url.href), { mode: "change" });
  const dump = () =>
    sortDump(dumpServer("postgres", new URL(engine.url), decodeURIComponent(url.pathname.slice(1)), true));
  try {
    const start = withObjects(a, database.dialect, objects);
    await buildWithRows(database, start);
    const raw = diff(a, b, hintsBetween(a, b, seed));
    // Objects cannot be followed here through a trade of names, a name that is cut, or one that is a word of SQL.
    const ends = new Set(b.tables.map(addressOf));
    const isShort = ({ name }: { readonly name: string }) => name.length < 60;
    fc.pre(a.tables.every(table => isShort(table) && table.columns.every(isShort)));
    const views = new Set((start.definitions ?? []).map(({ name }) => name.toLowerCase()));
    fc.pre(b.tables.every(({ name }) => !views.has(name.toLowerCase())));
    fc.pre(
      raw.every(
        change =>
          change.kind !== "rename table" ||
          (ends.has(change.to) && !WORDS.includes(change.from) && change.to.length < 60),
      ),
    );
    const { changes, after } = withObjectsSeenTo(start, raw, database.dialect);
    expect(apply(start, changes)).toEqual(after);
    const said = await standAround(engine, turn);
    told.around += said.length;
    const before = dump();
    const { run, scripts } = runner(database, { a: start, b: after, changes });
    const text = `${said.join(";\n")}\n---- forward\n${scripts.forward.text}\n---- back\n${scripts.back.text}`;
    try {
      await run("forward");
    } catch (error) {
      if (!isAboutRows(error) && !isAboutOthers(error)) throw described(error, text);
      told.refused += 1;
      expect(dump(), text).toEqual(before);
      return;
    }
    told.went += 1;
    const reached = dump();
    // What has another name has it everywhere.
    if (!changes.some(({ kind }) => kind === "rename table"))
      expect(lostBetween(before, reached), text).toEqual([]);
    try {
      await run("back");
    } catch (error) {
      throw described(error, text);
    }
    expect(dump(), text).toEqual(before);
  } finally {
    await database.close();
  }
}

/** A file with functions of one name, by their arguments. */
function overloaded(...types: readonly string[]): Schema {
  const sql = types.map(type => `CREATE FUNCTION price(x ${type}) RETURNS int LANGUAGE sql AS 'SELECT 1'`);
  const object = objectOf(sql.join(";\n"), engine!.dialect.tokens)!;
  return { tables: [], definitions: [{ ...object, sql: { postgres: object.sql as string } }] };
}

/** Owners and rights of what both dumps have, which the second has not. */
function lostBetween(before: readonly string[], after: readonly string[]): string[] {
  const [place, owner] = [/^ALTER (\S+ .+) OWNER TO /m, /^(?:GRANT|REVOKE) [^(]+? ON (\S+ .+) (?:TO|FROM) /m];
  const there = new Set(after.flatMap(each => place.exec(each)?.[1] ?? []));
  return before.filter(each => {
    const about = (place.exec(each) ?? owner.exec(each))?.[1];
    return about !== undefined && there.has(about) && !after.includes(each);
  });
}

/** Puts owners, rights and other things around what there is, by chance. @returns what was put there */
async function standAround(engine: Engine, turn: number): Promise<string[]> {
  let state = turn + 1;
  const roll = (sides: number) => (state = (state * 48_271) % 2_147_483_647) % sides;
  const pick = (list: readonly string[]) => list[roll(list.length)]!;
  const grantee = () => pick([READS, OWNS, "PUBLIC"]);
  const done: string[] = [];
  const put = async (sql: string) => {
    // A row may be in the way, or a column of a type that has no order.
    await engine.run(sql).then(
      () => done.push(sql),
      () => undefined,
    );
  };
  if (roll(2) > 0)
    for (const what of [
      `SELECT ON TABLES TO ${READS}`,
      `EXECUTE ON FUNCTIONS TO ${READS}`,
      `USAGE ON TYPES TO ${ALSO}`,
    ])
      await put(`ALTER DEFAULT PRIVILEGES FOR ROLE ${RUNS_MIGRATIONS} GRANT ${what}`);
  const found = await engine.rows(THERE);
  for (const row of found) {
    const { kind, name, column } = row as Record<"kind" | "name" | "column", string>;
    switch (kind) {
      case "r":
        if (roll(2) > 0)
          await put(`GRANT ${pick(["SELECT", "UPDATE", "ALL"])} ON TABLE ${name} TO ${grantee()}`);
        if (roll(3) === 0)
          await put(`GRANT SELECT (${column}) ON TABLE ${name} TO ${grantee()} WITH GRANT OPTION`);
        if (roll(4) === 0) await put(`ALTER TABLE ${name} ALTER ${column} SET STATISTICS ${roll(50)}`);
        if (roll(4) === 0) await put(`ALTER TABLE ${name} ALTER ${column} SET (n_distinct = ${1 + roll(9)})`);
        if (roll(6) === 0) await put(`ALTER TABLE ${name} REPLICA IDENTITY FULL`);
        if (roll(5) === 0)
          await put(
            `ALTER TABLE ${name} ADD CONSTRAINT "their exclusion ${done.length}" EXCLUDE USING btree (${column} WITH =)`,
          );
        break;
      case "v":
        if (roll(2) > 0) await put(`GRANT ${pick(["SELECT", "INSERT"])} ON TABLE ${name} TO ${grantee()}`);
        if (roll(3) === 0) await put(`GRANT SELECT (${column}) ON TABLE ${name} TO ${READS}`);
        if (roll(3) === 0) await put(`REVOKE INSERT ON TABLE ${name} FROM ${RUNS_MIGRATIONS}`);
        if (roll(3) === 0)
          await put(
            `CREATE RULE "their rule" AS ON DELETE TO ${name} DO INSTEAD ${pick(["NOTHING", "(NOTIFY one; NOTIFY two)"])}`,
          );
        if (roll(3) === 0) await put(`ALTER VIEW ${name} SET (security_barrier = true)`);
        if (roll(3) === 0) await put(`COMMENT ON COLUMN ${name}.${column} IS 'theirs; it''s $emberset$'`);
        if (roll(3) === 0) await put(`ALTER VIEW ${name} OWNER TO ${OWNS}`);
        break;
      case "m":
        if (roll(2) > 0) await put(`GRANT SELECT ON TABLE ${name} TO ${grantee()}`);
        if (roll(2) > 0)
          await put(`ALTER MATERIALIZED VIEW ${name} ALTER ${column} SET STATISTICS ${roll(50)}`);
        if (roll(2) > 0) await put(`CREATE INDEX "their index ${done.length}" ON ${name} (${column})`);
        if (roll(2) > 0) await put(`REFRESH MATERIALIZED VIEW ${name} WITH NO DATA`);
        if (roll(2) > 0) await put(`ALTER MATERIALIZED VIEW ${name} OWNER TO ${ALSO}`);
        break;
      case "S":
        if (roll(2) > 0) await put(`GRANT USAGE ON SEQUENCE ${name} TO ${grantee()}`);
        break;
      case "routine":
        if (roll(2) > 0) await put(`REVOKE ALL ON ROUTINE ${name} FROM PUBLIC`);
        if (roll(2) > 0) await put(`GRANT EXECUTE ON ROUTINE ${name} TO ${READS}`);
        if (roll(2) > 0) await put(`ALTER ROUTINE ${name} OWNER TO ${pick([OWNS, ALSO])}`);
        break;
      default:
        if (roll(2) > 0) await put(`REVOKE ALL ON TYPE ${name} FROM PUBLIC`);
        if (roll(2) > 0) await put(`GRANT USAGE ON TYPE ${name} TO ${READS}`);
        if (roll(2) > 0) await put(`ALTER TYPE ${name} OWNER TO ${pick([OWNS, ALSO])}`);
    }
  }
  return done;
}

/** All that there is, with one column of each that has columns. */
const THERE = `WITH here AS (SELECT oid FROM pg_namespace WHERE nspname NOT LIKE 'pg\\_%' AND nspname <> 'information_schema')
  SELECT relkind::text AS kind, c.oid::regclass::text AS name,
    (SELECT quote_ident(attname) FROM pg_attribute WHERE attrelid = c.oid AND attnum > 0 AND NOT attisdropped ORDER BY attnum DESC LIMIT 1) AS column
  FROM pg_class c WHERE relnamespace IN (SELECT oid FROM here) AND relkind IN ('r', 'v', 'm', 'S') AND relname NOT LIKE 'emberset%'
  UNION ALL SELECT 'routine', p.oid::regprocedure::text, NULL FROM pg_proc p WHERE pronamespace IN (SELECT oid FROM here) AND prorettype <> 'trigger'::regtype
  UNION ALL SELECT 'type', t.oid::regtype::text, NULL FROM pg_type t WHERE typnamespace IN (SELECT oid FROM here) AND typtype IN ('e', 'd')
  ORDER BY 1, 2`;

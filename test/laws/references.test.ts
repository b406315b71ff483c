import fc from "fast-check";
import LibSql from "libsql";
import { describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import { invert } from "../../src/core/change/invert.js";
import { sqlite } from "../../src/core/dialect/sqlite/index.js";
import type { Change } from "../../src/core/change/types.js";
import { Problem } from "../../src/core/problems.js";
import { groupBy } from "../../src/core/lists.js";
import { planFor, type Keeping } from "../../src/core/plan/plan.js";
import { EMPTY_SCHEMA, type DataType, type Schema } from "../../src/core/schema/types.js";
import { textFor } from "../../src/core/sql/placeholders.js";
import { splitStatements, type Statement } from "../../src/core/sql/statements.js";
import { openDatabase } from "../../src/database/open.js";
import { runAtOnce, stepFailing, unlessUnsure } from "../../src/database/run-at-once.js";
import { targetFor } from "../engines/engine.js";
import { arbitrarySchema, renamesBetween } from "./arbitrary-schema.js";
import { RUNS, SEED } from "./runs.js";

const options = { seed: SEED, numRuns: RUNS };

/** What somebody may write by hand, each harmless or not by what stands beside it. */
const FRAGMENTS = [
  "ALTER TABLE pieces ADD COLUMN maker integer DEFAULT 7 REFERENCES potters (id)",
  "alter table pieces add column maker integer default 1 references potters (id)",
  "ALTER TABLE pieces ADD COLUMN helper integer REFERENCES potters (id)",
  "ALTER TABLE pieces ADD COLUMN grade integer DEFAULT 7",
  "ALTER TABLE potters RENAME TO makers",
  'ALTER TABLE "potters" RENAME TO emberset_attic_1',
  "PRAGMA legacy_alter_table = ON",
  "PRAGMA legacy_alter_table = OFF",
  "ALTER TABLE pieces RENAME TO pots",
  "ALTER TABLE potters RENAME COLUMN id TO number",
  "ALTER TABLE pieces DROP COLUMN potter",
  "ALTER TABLE pieces DROP COLUMN title",
  "DROP INDEX ix_title",
  "DROP INDEX IF EXISTS uq_code",
  "DROP TABLE potters",
  "DROP TABLE IF EXISTS pieces",
  "DROP TABLE firings",
  "DROP VIEW titles",
  "CREATE TABLE potters (id integer PRIMARY KEY, code text UNIQUE)",
  "CREATE TABLE kept AS SELECT * FROM pieces",
  "CREATE INDEX ix_code ON pieces (code)",
  "INSERT INTO pieces (title, potter) VALUES ('c', 9)",
  "INSERT INTO pieces (title, potter) VALUES ('c', 2)",
  "UPDATE pieces SET potter = 9 WHERE title = 'a'",
  "UPDATE pieces SET code = code WHERE title = 'a'",
  "UPDATE potters SET code = 'z' WHERE id = 1",
  "DELETE FROM potters WHERE id = 1",
  "DELETE FROM firings",
  "REPLACE INTO potters (id, code) VALUES (1, 'y')",
  saidAnew("'(code)'", "'(title)'"),
  saidAnew("'title text'", "'title text REFERENCES firings (id)'"),
  saidAnew("'title text'", "'title text COLLATE nocase'"),
];

function saidAnew(from: string, to: string): string {
  return `PRAGMA writable_schema = ON;
UPDATE sqlite_schema SET sql = replace(sql, ${from}, ${to}) WHERE type = 'table' AND name = 'pieces' COLLATE NOCASE;
PRAGMA writable_schema = RESET`;
}

const SCHEMA = `CREATE TABLE potters (id integer PRIMARY KEY, code text);
CREATE UNIQUE INDEX uq_code ON potters (code);
CREATE TABLE firings (id integer PRIMARY KEY, cone integer);
CREATE TABLE pieces (title text, code text REFERENCES potters (code), potter integer REFERENCES potters, firing REFERENCES firings (id));
CREATE INDEX ix_title ON pieces (title);
CREATE VIEW titles AS SELECT 1;
INSERT INTO potters VALUES (1, 'x'), (2, null), (3, 'w');
INSERT INTO firings VALUES (5, 6);`;
const PIECES = ["'a', 'x', 1, null", "'b', null, 2, 5", "'c', 'w', null, null"];
const DANGLING = ["'d', null, 8, null", "'e', 'q', null, 4"];

describe("after a script rows refer to nothing that did not before", () => {
  test("where the engine says so of a script of one's own, and only there", async () => {
    const script = fc.record({
      statements: fc.uniqueArray(fc.constantFrom(...FRAGMENTS), { minLength: 1, maxLength: 4 }),
      rows: fc.subarray([...PIECES, ...DANGLING]),
    });
    const seen = { refused: 0, done: 0, failed: 0 };
    await fc.assert(
      fc.asyncProperty(script, async ({ statements, rows }) => {
        // What dangled before is told by the names of two tables, which the one they refer to is to keep.
        const own = statements.some(sql => /potters"? RENAME TO/.test(sql)) ? without(rows, DANGLING) : rows;
        const made = [SCHEMA, ...own.map(values => `INSERT INTO pieces VALUES (${values})`)].join(";\n");
        await holds({ made, script: `${statements.join(";\n")};` }, seen);
      }),
      { ...options, numRuns: RUNS * 3 },
    );
    expect(Math.min(seen.refused, seen.done)).toBeGreaterThan(RUNS / 8);
  });

  test("where the engine says so of a script as drafted, also in tables that are not of the models", async () => {
    const seen = { refused: 0, done: 0, failed: 0 };
    const schema = arbitrarySchema({ hostile: true });
    // What is done where a table stands: references, and what others refer to, come and go.
    const otherwise = fc.constantFrom<(schema: Schema) => Schema | undefined>(
      () => undefined,
      ({ tables }) => ({ tables: tables.map(table => ({ ...table, foreignKeys: [] })) }),
      ({ tables }) => ({ tables: tables.map(table => ({ ...table, uniques: [], foreignKeys: [] })) }),
      ({ tables }) => ({ tables: tables.map(table => ({ ...table, indexes: [] })) }),
    );
    await fc.assert(
      fc.asyncProperty(
        schema,
        schema,
        otherwise,
        fc.nat(),
        fc.boolean(),
        async (a, other, how, seed, keep) => {
          const b = how(a) ?? other;
          const changes = diff(a, b, renamesBetween(a, b, seed));
          const keeping: Keeping | undefined = keep ? { number: "0001", direction: "forward" } : undefined;
          await holds({ made: madeOf(a, seed), script: scriptFor(a, changes, keeping), of: a }, seen);
          if (keep) return;
          const reached = apply(a, changes);
          const script = scriptFor(reached, invert(changes));
          await holds({ made: madeOf(reached, seed), script, of: reached }, seen);
        },
      ),
      options,
    );
    expect(Math.min(seen.refused, seen.done)).toBeGreaterThan(RUNS / 20);
  });
});

interface Case {
  readonly made: string;
  readonly script: string;
  /** The schema that it is drafted on; absent: it is somebody's own. */
  readonly of?: Schema;
}

type Outcome = "done" | "refused" | "failed";

/** The same script run by hand, with a look of the engine's own at all rows, and as a migration is run. */
async function holds({ made, script, of }: Case, seen: Record<Outcome, number>): Promise<void> {
  const statements = splitStatements(script, sqlite.tokens);
  const told = byHand(made, statements, of !== undefined);
  seen[told] += 1;
  if (told === "failed") return;
  const database = await openDatabase(targetFor("sqlite", ":memory:"), { mode: "write" });
  try {
    for (const { sql } of splitStatements(made, sqlite.tokens))
      await database.run(sql).catch(() => undefined);
    const about = {
      ...{ statements, drafted: () => of !== undefined, agreed: [], failed: stepFailing(database, "tried") },
      managed: () => (of ? sqlite.render.managedObjectNames(sqlite.types.settle(of)) : []),
    };
    const outcome = await unlessUnsure(careful =>
      database.exclusively(() => runAtOnce(database, about, careful)),
    ).then(
      () => "done",
      (error: unknown) => (error instanceof Problem ? "refused" : String(error)),
    );
    expect({ outcome, script }).toEqual({ outcome: told, script });
  } finally {
    await database.close();
  }
}

/** @param isClean whether nothing may dangle to begin with */
function byHand(made: string, statements: readonly Statement[], isClean: boolean): Outcome {
  const database = new LibSql(":memory:");
  const dangling = () => {
    // A table in the attic is freed of its references.
    const sql = `SELECT made.name AS child, parent FROM sqlite_schema made, pragma_foreign_key_check(made.name)
      WHERE made.type = 'table' AND made.name NOT LIKE 'emberset%'`;
    const rows = database.prepare(sql).all() as { child: string; parent: string }[];
    return groupBy(rows, ({ child, parent }) => `${child === "pots" ? "pieces" : child} ${parent}`);
  };
  try {
    database.exec("PRAGMA foreign_keys = OFF");
    for (const { sql } of splitStatements(made, sqlite.tokens)) {
      try {
        database.exec(sql);
      } catch {
        // A check refuses the row: the table has fewer.
      }
    }
    const before = dangling();
    if (isClean && before.size > 0) return "failed";
    database.exec("BEGIN");
    for (const { sql } of statements) database.exec(sql);
    return isWorse(before, dangling) ? "refused" : "done";
  } catch {
    return "failed";
  } finally {
    database.close();
  }
}

/** A reference to what cannot be referred to makes the look itself fail. */
function isWorse(before: ReadonlyMap<string, readonly unknown[]>, look: () => typeof before): boolean {
  try {
    return [...look()].some(([where, rows]) => rows.length > (before.get(where)?.length ?? 0));
  } catch {
    return true;
  }
}

function without<T>(all: readonly T[], some: readonly T[]): T[] {
  return all.filter(each => !some.includes(each));
}

function scriptFor(before: Schema, changes: readonly Change[], keeping?: Keeping): string {
  const blocks = sqlite.render.blocks(planFor(sqlite, before, changes, keeping));
  return blocks.flatMap(({ statements }) => statements.map(sql => `${sql};\n`)).join("");
}

/** The tables with a few rows, all of which refer to something, and a table of somebody else's that refers to each. */
function madeOf(schema: Schema, seed: number): string {
  const { tables } = sqlite.types.settle(schema);
  const { quote } = sqlite.names;
  const rows = tables.flatMap(({ name, columns }, table) =>
    [1, 2, 3].map(row => {
      const free = columns.filter(({ computed }) => !computed);
      const values = free.map(({ type, nullable }, at) => {
        const n = 1 + ((seed + table * 7 + at * 3 + row) % 5);
        if (nullable && (seed + row + at) % 3 === 0) return "NULL";
        return /int|double|decimal|boolean/.test(
          textFor((type as Extract<DataType, { kind: "native" }>).sql, "sqlite")!,
        )
          ? `${n}`
          : `'made${n}'`;
      });
      return `INSERT INTO ${quote(name)} (${free.map(column => quote(column.name)).join(", ")}) VALUES (${values.join(", ")})`;
    }),
  );
  const clean = tables.map(
    ({ name }) =>
      `DELETE FROM ${quote(name)} WHERE _rowid_ IN (SELECT rowid FROM pragma_foreign_key_check('${name.replaceAll("'", "''")}'))`,
  );
  const strangers = tables.flatMap(({ name, key, uniques }, at) =>
    [...(key ? [key] : []), ...uniques]
      .filter(({ columns }) => columns.length === 1)
      .map(({ columns: [column] }) => [
        `CREATE TABLE stranger_${at}_${quoteless(column!)} (it REFERENCES ${quote(name)} (${quote(column!)}))`,
        `INSERT INTO stranger_${at}_${quoteless(column!)} SELECT ${quote(column!)} FROM ${quote(name)}`,
      ]),
  );
  return [
    scriptFor(EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)),
    ...[...rows, ...Array.from({ length: 12 }, () => clean).flat(), ...strangers.flat()].map(
      sql => `${sql};\n`,
    ),
  ].join("");
}

const quoteless = (name: string) => name.replaceAll(/\W/g, "_");

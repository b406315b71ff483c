import fc from "fast-check";
import { afterAll, describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import { invert } from "../../src/core/change/invert.js";
import type { Change } from "../../src/core/change/types.js";
import { blocksFor } from "../../src/core/plan/plan.js";
import { splitStatements } from "../../src/core/sql/statements.js";
import { JOURNAL, LEDGER } from "../../src/core/schema/internal-tables.js";
import { EMPTY_SCHEMA, type Schema } from "../../src/core/schema/types.js";
import { problems } from "../../src/core/problems.js";
import { readJournal } from "../../src/database/journal.js";
import { readLedger } from "../../src/database/ledger.js";
import { runAtOnce, type AtOnce } from "../../src/database/run-at-once.js";
import type { Engine } from "../engines/engine.js";
import { embeddedEngine } from "../engines/embedded.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { arbitrarySchema, inOrder, renamesBetween } from "./arbitrary-schema.js";
import { PATIENCE, RUNS, SEED } from "./runs.js";

const engines = {
  PostgreSQL: await postgresEngine(),
  "embedded PostgreSQL": await embeddedEngine(),
  MariaDB: await mariadbEngine(),
};

describe.each(Object.entries(engines))("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine)(
    "the forward script makes what a fresh build makes, and the back script what was there",
    async () => {
      let statements = 0;
      // MariaDB takes no characters beyond 16 bits in names: https://mariadb.com/kb/en/identifier-names/
      const schema = arbitrarySchema({ without: name === "MariaDB" ? "🏺" : "", hostile: true });
      await fc.assert(
        fc.asyncProperty(schema, schema, fc.nat(30), async (a, b, seed) => {
          const changes = diff(a, b, renamesBetween(a, b, seed));
          const reached = apply(a, changes);
          const [wasA, wasB] = [await fresh(engine!, a), await fresh(engine!, reached)];
          await fresh(engine!, a);
          statements += await run(engine!, a, changes);
          expect(await read(engine!)).toEqual(wasB);
          await run(engine!, reached, invert(changes));
          expect(await read(engine!)).toEqual(wasA);
        }),
        { seed: SEED, numRuns: RUNS },
      );
      expect(statements).toBeGreaterThan(RUNS);
    },
    PATIENCE,
  );

  test.runIf(engine && !name.includes("embedded"))(
    "what fails is told, sent alone or with others",
    async () => {
      await engine!.empty();
      const database = await engine!.open();
      const sqls = [
        "SELECT 1 -- one\n;",
        "CREATE TABLE a (a integer);",
        "INSERT INTO a VALUES (1);",
        "DROP TABLE a;",
      ];
      const told: string[] = [];
      for (const drafted of [true, false])
        for (let at = 0; at <= sqls.length; at += 1) {
          const statements = splitStatements(sqls.toSpliced(at, 0, "-- none\nDROP TABLE none;").join("\n"));
          const run = { statements, drafted: () => drafted, managed: () => [], agreed: [] };
          const failed: AtOnce["failed"] = (error, { sql, line }, done) => {
            told.push(`${at} ${done} ${sql} ${line - at} ${error.message}`);
            return problems.locked({ target: "a", waited: "0 s" });
          };
          const work = () => runAtOnce(database, { ...run, failed }, false);
          await expect(database.exclusively(work)).rejects.toThrow("Another process");
          await engine!.empty();
        }
      await database.close();
      expect(told).toEqual(
        [0, 1, 2, 3, 4, 0, 1, 2, 3, 4].map(at =>
          expect.stringMatching(`^${at} ${at} DROP TABLE none ${at > 0 ? 3 : 2} .*none`),
        ),
      );
    },
  );

  test.runIf(engine && !name.includes("embedded"))(
    "what is recorded is read without a fault while others make it and drop it",
    async () => {
      await engine!.empty();
      const [reader, maker] = [await engine!.open(), await engine!.open()];
      const { quote } = maker.dialect.names;
      let [turns, isOver] = [0, false];
      const work = (async () => {
        for (; !isOver; turns += 1)
          for (const table of [LEDGER, JOURNAL]) {
            await maker.run(`CREATE TABLE ${quote(table)} (number integer)`);
            await maker.run(`DROP TABLE ${quote(table)}`);
          }
      })();
      try {
        for (let asked = 0; asked < 600; asked += 1)
          expect([await readLedger(reader), await readJournal(reader)]).toEqual([[], undefined]);
      } finally {
        isOver = true;
        await work;
        await Promise.all([reader.close(), maker.close()]);
      }
      expect(turns).toBeGreaterThan(20);
    },
    PATIENCE,
  );
});

/** What a database built from nothing to a schema holds. */
async function fresh(engine: Engine, schema: Schema) {
  await engine.empty();
  await run(engine, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema));
  const held = await read(engine);
  expect(held.tables).toHaveLength(schema.tables.length);
  return held;
}

/** By way of a script's text, as a migration runs. @returns how many statements ran */
async function run(engine: Engine, before: Schema, changes: readonly Change[]): Promise<number> {
  const script = blocksFor(engine.dialect, before, changes)
    .flatMap(({ statements }) => statements.map(sql => `${sql};`))
    .join("\n");
  const statements = splitStatements(script, engine.dialect.tokens);
  for (const { sql } of statements) {
    try {
      await engine.run(sql);
    } catch (error) {
      throw new Error(`${(error as Error).message}\n${sql}\n\nin\n${script}`, { cause: error });
    }
  }
  return statements.length;
}

/** Columns by name too: the order of those that came later cannot be chosen. */
async function read(engine: Engine) {
  const { schema, leftAlone } = await engine.readCatalog();
  expect(leftAlone).toEqual([]);
  return inOrder(schema);
}

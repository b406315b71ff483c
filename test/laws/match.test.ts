import fc from "fast-check";
import { afterAll, describe, expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import { describeChange } from "../../src/core/change/words.js";
import { learnSpellings, respell } from "../../src/core/lower/spellings.js";
import { blocksFor } from "../../src/core/plan/plan.js";
import { Problem, problems } from "../../src/core/problems.js";
import { addressOf } from "../../src/core/schema/address.js";
import { withoutInternal } from "../../src/core/schema/internal-tables.js";
import { EMPTY_SCHEMA, type Schema } from "../../src/core/schema/types.js";
import { fillTables } from "../../src/database/made-up-rows.js";
import type { Database } from "../../src/database/session/database.js";
import { goThere, wayTo } from "../../src/tasks/match.js";
import { emptyOut, whatGoes } from "../../src/tasks/rebuild.js";
import { dumpServer, sortDump } from "../engines/dump.js";
import type { Engine } from "../engines/engine.js";
import { arbitrarySchema, hintsBetween } from "./arbitrary-schema.js";
import { heldRows } from "./held-rows.js";
import { PATIENCE, RUNS, SEED } from "./runs.js";
import { setUp } from "./surroundings.js";
import { allEngines, described } from "./there-and-back.js";

describe.each(await allEngines())("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());
  const schema = arbitrarySchema({ without: name === "MariaDB" ? "🏺" : "", hostile: true });
  const numRuns = Math.ceil(RUNS / 15);

  test.runIf(engine && !name.startsWith("embedded"))(
    "a database that matches a schema is as if it had been built so, and matches it already",
    async () => {
      const told = { matched: 0, rows: 0, refused: 0 };
      await fc.assert(
        fc.asyncProperty(schema, schema, fc.nat(30), async (a, other, seed) => {
          const isNear = seed % 3 === 0;
          const b = isNear ? withoutLast(a) : other;
          await within(engine!, seed, async database => {
            await build(database, b);
            const settled = database.dialect.types.settle(b);
            const { schema: held } = withoutInternal(await database.readCatalog());
            const wanted = { portable: b, spellings: learnSpellings(settled, held) };
            const built = dumpOf(engine!);
            await emptyOut(database);
            await build(database, a);
            await fillTables(database, a, { rows: 3, rules: () => new Map() });
            const { schema: start } = withoutInternal(await database.readCatalog());
            const from = database.dialect.types.raise(start);
            const said = !isNear && sameTables(from, a) ? hintsBetween(a, b, seed) : {};
            const hints = async () => said;
            const there = isNear ? database.dialect.types.settle(b).tables.map(({ name }) => name) : [];
            const stays = await rowsOf(database, there);
            try {
              const way = await wayTo(database, wanted, hints);
              await goThere(database, way, { mayLose: async () => true });
            } catch (error) {
              if (!(error instanceof Problem) || error.code !== problems.rowsUnlikeModels.code)
                throw described(error, "match");
              told.refused += 1;
              return;
            }
            const after = withoutInternal(await database.readCatalog()).schema;
            expect(diff(respell(settled, wanted.spellings), after).map(describeChange)).toEqual([]);
            expect(
              (await wayTo(database, wanted, async () => ({}))).plan.changes.map(describeChange),
            ).toEqual([]);
            if (built) expect(dumpOf(engine!)).toEqual(built);
            expect(await rowsOf(database, there)).toEqual(stays);
            told.matched += 1;
            told.rows += stays.flat().length;
          });
        }),
        { seed: SEED, numRuns, ...(process.env["LAW_PATH"] && { path: process.env["LAW_PATH"] }) },
      );
      if (process.env["LAW_TELL"]) process.stdout.write(`${name}: ${JSON.stringify(told)}\n`);
      expect(told.matched).toBeGreaterThan(numRuns / 4);
      if (numRuns >= 20) expect(told.rows).toBeGreaterThan(0);
    },
    PATIENCE,
  );

  test.runIf(engine && !name.startsWith("embedded"))(
    "a database that is emptied has nothing left, and all that went was told",
    async () => {
      await fc.assert(
        fc.asyncProperty(schema, fc.nat(30), async (a, seed) => {
          await within(engine!, seed, async database => {
            const nothing = dumpOf(engine!);
            await build(database, a);
            await fillTables(database, a, { rows: 2, rules: () => new Map() });
            const { quote } = database.dialect.names;
            const { schema: held } = await database.readCatalog();
            const [first] = held.tables.filter(({ namespace }) => namespace === undefined);
            if (first) {
              await database.run(`CREATE VIEW ${quote("low.view")} AS SELECT * FROM ${quote(first.name)}`);
              await database.run(`CREATE VIEW ${quote("a view")} AS SELECT * FROM ${quote("low.view")}`);
            }
            const told = await whatGoes(database);
            const gone = told.join("\n");
            // A row that came since it was told keeps all of them.
            if (first)
              await expect(emptyOut(database, told.slice(1))).rejects.toMatchObject({
                code: problems.changedMeanwhile.code,
              });
            for (const table of held.tables) expect(gone).toContain(`of ${addressOf(table)}`);
            await emptyOut(database, told);
            expect(dumpOf(engine!)).toEqual(nothing);
            const left = await database.readCatalog();
            expect([left.schema.tables, left.schema.definitions ?? []]).toEqual([[], []]);
          });
        }),
        { seed: SEED, numRuns },
      );
    },
    PATIENCE,
  );
});

async function within(
  engine: Engine,
  seed: number,
  work: (database: Database) => Promise<void>,
): Promise<void> {
  await engine.empty();
  await setUp(engine, seed);
  const database = await engine.open();
  try {
    await work(database);
  } finally {
    await database.close();
  }
}

async function build(database: Database, schema: Schema): Promise<void> {
  for (const { statements } of blocksFor(database.dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)))
    for (const statement of statements) await database.runScripted(statement);
}

/** As the server's own client tells it; undefined: it is a file of this process alone. */
function dumpOf({ dialect, url }: Engine): string[] | undefined {
  if (!dialect.onServer) return undefined;
  const at = new URL(url);
  return sortDump(dumpServer(dialect.name, at, at.pathname.slice(1)));
}

/** The rows of some tables, whatever namespace they stand in. */
async function rowsOf(database: Database, names: readonly string[]): Promise<(readonly string[])[]> {
  // In which order a server lists them is its own affair.
  const held = [...(await heldRows(database))].sort(([a], [b]) => (a < b ? -1 : 1));
  return held.flatMap(([address, rows]) =>
    names.some(name => address === name || address.endsWith(`.${name}`)) ? [rows] : [],
  );
}

/** All but the last table, where none refers to it. */
function withoutLast(schema: Schema): Schema {
  const last = addressOf(schema.tables.at(-1) ?? { name: "" });
  const tables = schema.tables.slice(0, -1);
  const isReferredTo = tables.some(({ foreignKeys }) =>
    foreignKeys.some(({ references }) => references.table === last),
  );
  return isReferredTo ? schema : { ...schema, tables };
}

/** Names are as they were said, not cut. */
function sameTables(a: Schema, b: Schema): boolean {
  const names = ({ tables }: Schema) => tables.map(addressOf).sort().join("\n");
  return names(a) === names(b);
}

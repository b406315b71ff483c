import { setTimeout as wait } from "node:timers/promises";
import fc from "fast-check";
import { afterAll, describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import { blocksFor, planFor } from "../../src/core/plan/plan.js";
import { EMPTY_SCHEMA, type Column, type Schema } from "../../src/core/schema/types.js";
import type { Database } from "../../src/database/session/database.js";
import { fillTables } from "../../src/database/made-up-rows.js";
import { ID, table } from "../core/render-cases.js";
import { openDatabase } from "../../src/database/open.js";
import { cuttingWay, type Moment } from "../engines/cut.js";
import { targetFor, type Engine } from "../engines/engine.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { arbitrarySchema, hintsBetween } from "./arbitrary-schema.js";
import { heldIn, steadyCells, writeUntil, type Cell } from "./busy-client.js";
import { lostForGood } from "./lineage.js";
import { PATIENCE, RUNS, SEED } from "./runs.js";
import { setUp } from "./surroundings.js";
import { described, isAboutRows, runner, type Way } from "./there-and-back.js";

const engines = { PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };
const MOMENTS: readonly Moment[] = ["before", "during", "after"];
const ROWS = 40;
const ROUNDS = RUNS / 50;

const column = (name: string, type: Column["type"]): Column => ({ name, type, nullable: true });
const NOTES = column("notes", { kind: "text" });
const WEIGHT = column("weight", { kind: "integer" });
const pieces = (columns: readonly Column[]): Schema => ({
  tables: [table("pieces", { columns: [ID, ...columns] })],
});

/** What takes the values of notes away, each in another way. */
const WAYS: Readonly<Record<string, Schema>> = {
  "is dropped": pieces([WEIGHT]),
  "becomes another type": pieces([column("notes", { kind: "varchar", length: 60 }), WEIGHT]),
  "goes with its table": { tables: [] },
};

describe.each(Object.entries(engines))("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine).each(Object.entries(WAYS))(
    "whatever another client was told is written is there, or comes back, while a column %s",
    async (_way, b) => {
      const a = pieces([NOTES, WEIGHT]);
      let written = 0;
      for (let round = 0; round < ROUNDS; round += 1)
        await whileBusy(engine!, a, async (database, client) => {
          for (let id = 1; id <= ROWS; id += 1)
            await database.run(`INSERT INTO pieces (notes) VALUES ('first')`);
          const cells = Array.from({ length: ROWS }, (_, at): Cell => {
            return { table: "pieces", column: "notes", where: `id = ${at + 1}`, kind: "text" };
          });
          const changes = diff(a, b);
          written += await thereAndBackBeside(database, client, { a, b: apply(a, changes), changes }, cells);
        });
      expect(written).toBeGreaterThan(ROUNDS);
    },
    600_000,
  );

  test.runIf(engine)(
    "so it is while a column goes online, wherever the run is cut",
    async () => {
      const changes = diff(pieces([NOTES, WEIGHT]), pieces([WEIGHT]));
      const way = { a: pieces([NOTES, WEIGHT]), b: pieces([WEIGHT]), changes, online: true };
      const road = await cuttingWay(engine!.url);
      const dialect = engine!.dialect.name;
      let [written, cuts, most] = [0, 0, Infinity];
      // The first run is not cut, and tells how long it is.
      for (let at = 0; at <= most; at += at === 0 ? 1 : Math.max(1, Math.round(900 / RUNS)))
        await whileBusy(engine!, way.a, async (database, client) => {
          for (let id = 1; id <= ROWS; id += 1)
            await database.run(`INSERT INTO pieces (notes) VALUES ('first')`);
          const cells = Array.from({ length: ROWS }, (_, row): Cell => {
            return { table: "pieces", column: "notes", where: `id = ${row + 1}`, kind: "text" };
          });
          const go = async (direction: "forward" | "back") => {
            const own = await openDatabase(targetFor(dialect as "mariadb", road.url), { mode: "change" });
            await runner(own, way)
              .run(direction)
              .finally(() => own.close());
          };
          const busy = writeUntil(client, cells);
          road.cutAt(at === 0 ? undefined : at, MOMENTS[at % 3]);
          const isCut = await go("forward").then(
            () => false,
            () => true,
          );
          if (at === 0) most = road.sent();
          if (isCut) cuts += 1;
          road.cutAt(undefined);
          // Others write while nobody goes on with it.
          await wait(15);
          if (isCut) await go("forward");
          await go("back");
          busy.stop();
          const acknowledged = await busy.done;
          for (const [cell, value] of acknowledged)
            expect(await heldIn(database, cell), `cut at message ${at} of ${most}`).toBe(value);
          written += acknowledged.size;
        });
      await road.close();
      expect(cuts).toBeGreaterThan(5);
      expect(written).toBeGreaterThan(cuts);
    },
    600_000,
  );

  test.runIf(engine)(
    "whatever another client was told is written is there, or comes back, whatever changes",
    async () => {
      let [written, ways] = [0, 0];
      const schema = arbitrarySchema({ without: name === "MariaDB" ? "🏺" : "", hostile: true });
      await fc.assert(
        fc.asyncProperty(schema, schema, fc.nat(30), async (a, version, seed) => {
          const changes = diff(a, version, hintsBetween(a, version, seed));
          const way = { a, b: apply(a, changes), changes };
          await engine!.empty();
          await setUp(engine!, seed);
          await whileBusy(engine!, a, async (database, client) => {
            await fillTables(database, a, { rows: 4, rules: () => new Map() });
            const cells = await steadyCells(database, way);
            if (cells.length === 0) return;
            ways += 1;
            written += await thereAndBackBeside(database, client, way, cells);
          });
        }),
        {
          seed: SEED,
          numRuns: Math.ceil(RUNS / 10),
          ...(process.env["LAW_TELL"] && { endOnFailure: true }),
          ...(process.env["LAW_PATH"] && { path: process.env["LAW_PATH"] }),
        },
      );
      if (process.env["LAW_TELL"]) process.stdout.write(`${name}: ${JSON.stringify({ ways, written })}\n`);
      expect(ways).toBeGreaterThan(RUNS / 40);
      expect(written).toBeGreaterThan(ways);
    },
    PATIENCE,
  );
});

/** Two connections to a database of a schema. */
async function whileBusy(
  engine: Engine,
  schema: Schema,
  work: (database: Database, client: Database) => Promise<void>,
): Promise<void> {
  await engine.empty();
  const [database, client] = [await engine.open(), await engine.open()];
  try {
    for (const { statements } of blocksFor(database.dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)))
      for (const sql of statements) await database.runScripted(sql);
    await work(database, client);
  } finally {
    await client.close();
    await database.close();
  }
}

/** Forward and back beside a client that writes: what it was told is written is there. @returns in how many cells */
async function thereAndBackBeside(
  database: Database,
  client: Database,
  way: Way,
  cells: readonly Cell[],
): Promise<number> {
  const { run, scripts } = runner(database, way);
  const script = `${scripts.forward.text}\n---- back\n${scripts.back.text}`;
  const settled = planFor(database.dialect, way.a, way.changes);
  const lost = lostForGood(database.dialect.name, settled.before, settled.after, settled.changes);
  const busy = writeUntil(client, cells);
  try {
    await run("forward");
    await run("back");
  } catch (error) {
    // Where each statement is committed by itself, what was done before the refusal is done.
    if (!isAboutRows(error)) throw described(error, script);
    if (database.dialect.render.steps) return 0;
  } finally {
    busy.stop();
    await busy.done;
  }
  const acknowledged = await busy.done;
  for (const [cell, value] of acknowledged)
    if (!lost.has(cell.table))
      expect(await heldIn(database, cell), `${JSON.stringify(cell)}\n${script}`).toBe(value);
  return acknowledged.size;
}

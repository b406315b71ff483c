import fc from "fast-check";
import { afterAll, describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff, fillKey } from "../../src/core/change/diff.js";
import type { Direction } from "../../src/core/direction.js";
import { asOnline } from "../../src/core/plan/online.js";
import { blocksFor, planFor } from "../../src/core/plan/plan.js";
import { EMPTY_SCHEMA, type Schema } from "../../src/core/schema/types.js";
import { openDatabase } from "../../src/database/open.js";
import { readJournal } from "../../src/database/journal.js";
import { fillTables, printRows } from "../../src/database/made-up-rows.js";
import type { Database } from "../../src/database/session/database.js";
import { readAttic } from "../../src/database/attic.js";
import { runBackFromMidst } from "../../src/database/run-migration.js";
import { learnSpellings, respell, type Spellings } from "../../src/core/lower/spellings.js";
import { wayBackFrom } from "../../src/core/plan/halfway.js";
import { withoutInternal } from "../../src/core/schema/internal-tables.js";
import { planText } from "../../src/history/script.js";
import { table } from "../core/render-cases.js";
import { cuttingWay, type CuttingWay, type Moment } from "../engines/cut.js";
import { targetFor } from "../engines/engine.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { withObjects } from "./arbitrary-objects.js";
import { arbitrarySchema, hintsBetween } from "./arbitrary-schema.js";
import { lostForGood } from "./lineage.js";
import { withSmallChanges } from "./small-changes.js";
import { PATIENCE, RUNS, SEED } from "./runs.js";
import { described, driftFrom, isAboutRows, runner, type Way } from "./there-and-back.js";

const engines = { PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };
const MOMENTS: readonly Moment[] = ["before", "during", "after"];

describe.each(Object.entries(engines))("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine)(
    "a run that is cut at any message comes to the same end when it is run again, there and back",
    async () => {
      const told = { ways: 0, cuts: 0, goneOn: 0, takenBack: 0, rows: 0 };
      const schema = arbitrarySchema({ without: name === "MariaDB" ? "🏺" : "", hostile: true });
      const road = await cuttingWay(engine!.url);
      await fc.assert(
        fc.asyncProperty(schema, schema, fc.nat(30), async (first, second, seed) => {
          // Every other way has views, routines and triggers over its tables.
          const made = (given: Schema, own: number) =>
            seed % 2 === 0 ? withObjects(given, engine!.dialect, own) : given;
          const [a, version] = [made(first, seed), made(second, seed + 1)];
          const changes = diff(a, version, hintsBetween(a, version, seed));
          if (changes.length === 0) return;
          await engine!.empty();
          await cutEverywhere(road, engine!.dialect, { a, b: apply(a, changes), changes }, seed, told);
        }),
        {
          seed: SEED,
          numRuns: Math.ceil(RUNS / 30),
          ...(process.env["LAW_TELL"] && { endOnFailure: true }),
          ...(process.env["LAW_PATH"] && { path: process.env["LAW_PATH"] }),
        },
      );
      for (const seed of [0, 1, 2])
        for (const way of [COUNTERS, FILLED]) {
          await engine!.empty();
          await cutEverywhere(road, engine!.dialect, way, seed, told);
        }
      await road.close();
      if (process.env["LAW_TELL"]) process.stdout.write(`${name}: ${JSON.stringify(told)}\n`);
      expect(told.cuts).toBeGreaterThan(told.ways * 10);
      expect(told.rows).toBeGreaterThan(told.ways);
      const isStepwise = engine!.dialect.render.steps !== undefined;
      expect([told.goneOn > 0, told.takenBack > 0]).toEqual([isStepwise, isStepwise]);
    },
    PATIENCE,
  );

  test.runIf(engine && engine.dialect.render.online)(
    "so it does step by step, while others may write",
    async () => {
      const told = { ways: 0, cuts: 0, goneOn: 0, takenBack: 0, rows: 0 };
      const schema = arbitrarySchema({ without: name === "MariaDB" ? "🏺" : "", hostile: true });
      const road = await cuttingWay(engine!.url);
      await fc.assert(
        fc.asyncProperty(schema, fc.nat(2 ** 30), async (a, seed) => {
          const changes = diff(a, withSmallChanges(a, seed));
          const way = { a, b: apply(a, changes), changes, online: true };
          const plan = asOnline(planFor(engine!.dialect, a, changes, KEEPING), engine!.dialect);
          if (changes.length === 0 || !plan.online) return;
          await engine!.empty();
          await cutEverywhere(road, engine!.dialect, way, seed, told);
        }),
        { seed: SEED, numRuns: Math.ceil(RUNS / 20) },
      );
      for (const seed of [0, 1, 2])
        for (const loses of [true, false]) {
          await engine!.empty();
          await cutEverywhere(road, engine!.dialect, { ...FILLED_ONLY, online: true, loses }, seed, told);
        }
      for (const seed of name === "MariaDB" ? [0, 1, 2] : [0]) {
        await engine!.empty();
        await cutEverywhere(road, engine!.dialect, { ...GOING, online: true }, seed, told);
      }
      if (name === "PostgreSQL")
        for (const loses of [true, false]) {
          await engine!.empty();
          await cutEverywhere(road, engine!.dialect, { ...RETYPED, online: true, loses }, 0, told);
        }
      await road.close();
      if (process.env["LAW_TELL"]) process.stdout.write(`${name}: ${JSON.stringify(told)}\n`);
      expect(Math.min(told.ways, told.goneOn, told.takenBack)).toBeGreaterThan(0);
    },
    PATIENCE,
  );
});

const KEEPING = { number: "0001", direction: "forward" } as const;

/** Two that count, and go: what each is to count on from is set in one variable, one after the other. */
const COUNTERS: Way = (() => {
  const ID = { name: "id", type: { kind: "integer" }, nullable: false } as const;
  const counting = { ...ID, identity: "serial" } as const;
  const of = (column: typeof ID | typeof counting): Schema => ({
    tables: ["kilns", "potters"].map(name => table(name, { columns: [column] })),
  });
  const [a, b] = [of(counting), of(ID)];
  return { a, b, changes: diff(a, b) };
})();

/** What is null gets a value and is kept, beside columns that go and that become others: all of it under one lock. */
const FILLED: Way = (() => {
  const of = (columns: Schema["tables"][number]["columns"]): Schema => ({
    tables: [
      table("pieces", { columns: [{ name: "id", type: { kind: "integer" }, nullable: false }, ...columns] }),
    ],
  });
  const weight = { name: "weight", type: { kind: "integer" } } as const;
  const a = of([
    { ...weight, nullable: true },
    { name: "mark", type: { kind: "text" }, nullable: true },
    { name: "price", type: { kind: "integer" }, nullable: true },
  ]);
  const b = of([
    { ...weight, nullable: false },
    { name: "price", type: { kind: "text" }, nullable: true },
  ]);
  const fills = new Map([[fillKey("pieces", "weight"), { kind: "sql", sql: "1" } as const]]);
  return { a, b, changes: diff(a, b, { fills }) };
})();

/** What is null gets a value, and so does a column that arrives, each row its own where an engine has such. */
const FILLED_ONLY: Way = (() => {
  const of = (columns: Schema["tables"][number]["columns"]): Schema => ({
    tables: [
      table("pieces", {
        columns: [{ name: "id", type: { kind: "integer" }, nullable: false }, ...columns],
        key: { name: "pk_pieces", columns: ["id"] },
      }),
    ],
  });
  const weight = { name: "weight", type: { kind: "integer" } } as const;
  const a = of([{ ...weight, nullable: true }]);
  const b = of([
    { ...weight, nullable: false },
    { name: "twice", type: { kind: "integer" }, nullable: false },
  ]);
  const fills = new Map([
    [fillKey("pieces", "weight"), { kind: "sql", sql: "1" } as const],
    [fillKey("pieces", "twice"), { kind: "sql", sql: "1 + 1" } as const],
  ]);
  return { a, b, changes: diff(a, b, { fills }) };
})();

/** Columns that go, of which one has an index. */
const GOING: Way = (() => {
  const of = (columns: Schema["tables"][number]["columns"], indexes: readonly string[]): Schema => ({
    tables: [
      table("pieces", {
        columns: [{ name: "id", type: { kind: "integer" }, nullable: false }, ...columns],
        key: { name: "pk_pieces", columns: ["id"] },
        indexes: indexes.map(column => ({ name: `ix_${column}`, parts: [{ column }] })),
      }),
    ],
  });
  const [mark, weight] = [
    { name: "mark", type: { kind: "text" }, nullable: true },
    { name: "weight", type: { kind: "integer" }, nullable: true },
  ] as const;
  const a = of([mark, weight, { ...weight, name: "height" }], ["weight", "height"]);
  const b = of([{ ...weight, name: "height" }], ["height"]);
  return { a, b, changes: diff(a, b) };
})();

/** Columns that become others, with all that can be about them. */
const RETYPED: Way = (() => {
  const of = (columns: Schema["tables"][number]["columns"]): Schema => ({
    tables: [
      table("potters", { columns: [{ name: "id", type: { kind: "integer" }, nullable: false }] }),
      table("pieces", {
        columns: [{ name: "id", type: { kind: "integer" }, nullable: false }, ...columns],
        indexes: [{ name: "ix_weight", parts: [{ column: "weight" }, { column: "mark" }] }],
        uniques: [{ name: "uq_weight", columns: ["weight", "id"] }],
        checks: [{ name: "weight", rules: [{ kind: "min", column: "weight", value: 1 }] }],
        foreignKeys: [
          {
            ...{ name: "fk_potter", columns: ["potter"], onDelete: "cascade", onUpdate: "no action" },
            references: { table: "potters", columns: ["id"] },
          },
        ],
      }),
    ],
  });
  const mark = { name: "mark", type: { kind: "text" }, nullable: false } as const;
  const [weight, potter] = ["weight", "potter"].map(name => ({ name, nullable: name === "potter" }));
  const a = of([{ ...weight!, type: { kind: "integer" } }, { ...potter!, type: { kind: "integer" } }, mark]);
  const b = of([
    { ...weight!, type: { kind: "bigint" } },
    { ...potter!, type: { kind: "bigint" } },
    { ...mark, type: { kind: "varchar", length: 20 } },
  ]);
  const conversions = new Map([[fillKey("pieces", "mark"), { convert: "'marked'" }]]);
  return { a, b, changes: diff(a, b, { conversions }) };
})();

type Told = Record<"ways" | "cuts" | "goneOn" | "takenBack" | "rows", number>;

type Using = <T>(work: (database: Database) => Promise<T>) => Promise<T>;

/** Takes a run that stopped on its way forward back from there, is cut itself, and does it. @returns false: it cannot be told how */
async function wayBack(
  road: CuttingWay,
  using: Using,
  { a, changes, spellings, online = false }: Way & { readonly spellings: Spellings },
  told: Told,
  at: number,
): Promise<boolean> {
  const found = await using(async database => {
    const { dialect } = database;
    // As the program does: the server may still be at a statement that nobody waits for any more.
    await database.exclusively(async () => undefined);
    const { schema: held } = withoutInternal(await database.readCatalog());
    const before = respell(dialect.types.settle(a), spellings);
    const full = planFor(dialect, a, changes, KEEPING);
    return wayBackFrom({ full: online ? asOnline(full, dialect) : full, before, held }, dialect);
  });
  if (!found) return false;
  const plan = await using(async ({ dialect }) => (online ? asOnline(found, dialect) : found));
  if (online && !plan.online) return false;
  const go = () =>
    using(async database => {
      const { dialect } = database;
      const stopped = await readJournal(database);
      if (!stopped) return;
      const full = asOnline(planFor(dialect, a, changes), dialect);
      const drops = online ? (dialect.render.online?.tidy(full) ?? []) : [];
      const script = planText(plan, dialect, drops);
      const migration = { number: 1, name: "0001-made-up" };
      await runBackFromMidst(database, { migration, ran: [], stopped, script, online });
    });
  road.cutAt(at, MOMENTS[at % 3]!);
  await go().catch(() => (told.cuts += 1));
  road.cutAt(undefined);
  await go();
  told.takenBack += 1;
  return true;
}

/** Cuts a migration's run there and back at each of its messages, runs it again, and looks at what came of it. */
async function cutEverywhere(
  road: CuttingWay,
  { name: dialect, types }: Database["dialect"],
  way: Way,
  seed: number,
  told: Told,
): Promise<void> {
  const target = targetFor(dialect as "mariadb", road.url);
  const using: Using = async work => {
    const database = await openDatabase(target, { mode: "change" });
    try {
      return await work(database);
    } finally {
      await database.close();
    }
  };
  road.cutAt(undefined);
  const tables = types.settle(way.a).tables;
  const start = await using(async database => {
    for (const { statements } of blocksFor(database.dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, way.a)))
      for (const statement of statements) await database.runScripted(statement);
    await fillTables(database, way.a, { rows: 4, rules: () => new Map() });
    return printRows(database, tables);
  });
  // As the run before has noted them.
  const spellings = await using(async database => {
    const { schema } = withoutInternal(await database.readCatalog());
    return learnSpellings(database.dialect.types.settle(way.a), schema);
  });
  const settled = await using(async database => planFor(database.dialect, way.a, way.changes));
  const lost = lostForGood(dialect, settled.before, settled.after, settled.changes);
  let text = "";
  const run = (direction: Direction) =>
    using(async database => {
      const { run: go, scripts } = runner(database, way);
      text = `${scripts.forward.text}\n---- back\n${scripts.back.text}`;
      await go(direction);
    });
  const messages = { forward: 0, back: 0 };
  try {
    for (const direction of ["forward", "back"] as const) {
      road.cutAt(undefined);
      await run(direction);
      messages[direction] = road.sent();
    }
  } catch (error) {
    if (isAboutRows(error)) return;
    throw described(error, text);
  }
  told.ways += 1;
  for (const { rows } of start.values()) told.rows += rows;
  const most = Math.max(messages.forward, messages.back);
  for (let at = 1 + (seed % 3); at <= most; at += 3) {
    for (const direction of ["forward", "back"] as const) {
      const moment = MOMENTS[(at + seed) % 3]!;
      road.cutAt(at, moment);
      await run(direction).then(
        () => undefined,
        () => (told.cuts += 1),
      );
      road.cutAt(undefined);
      const stopped = await using(readJournal);
      if (stopped) told.goneOn += 1;
      const where = `${direction} cut ${moment} message ${at} of ${messages[direction]}`;
      if (
        stopped?.direction === "forward" &&
        at % 2 === 0 &&
        (await wayBack(road, using, { ...way, spellings }, told, at))
      ) {
        expect(await using(database => driftFrom(database, way.a)), `${where}, taken back\n${text}`).toEqual(
          [],
        );
        if (!way.loses)
          expect(
            await using(database => printRows(database, tables)),
            `${where}, taken back\n${text}`,
          ).toEqual(start);
        expect(await using(readAttic), `${where}, taken back\n${text}`).toEqual([]);
      }
      await run(direction).catch((error: unknown) => {
        throw described(error, `${where}\n${text}`);
      });
      const end = direction === "forward" ? way.b : way.a;
      expect(await using(database => driftFrom(database, end)), `${where}\n${text}`).toEqual([]);
      const held = JSON.stringify(await using(database => database.readCatalog()));
      expect(/emberset_(?:fill|new|keep)_/.exec(held), `${where}\n${text}`).toBeNull();
    }
    if (way.loses) continue;
    const found = await using(database => printRows(database, tables));
    for (const address of lost) for (const prints of [start, found]) prints.delete(address);
    expect(found, `cut at ${at}\n${text}`).toEqual(start);
  }
}

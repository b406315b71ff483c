import fc from "fast-check";
import { afterAll, describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import { describeChange } from "../../src/core/change/words.js";
import { learnSpellings, type Spellings } from "../../src/core/lower/spellings.js";
import { blocksFor, planFor } from "../../src/core/plan/plan.js";
import { probes } from "../../src/core/plan/probes.js";
import { addressOf } from "../../src/core/schema/address.js";
import { EMPTY_SCHEMA, type Schema } from "../../src/core/schema/types.js";
import { runProbes } from "../../src/database/count-rows.js";
import { allSpellings, readLedger } from "../../src/database/ledger.js";
import { fillTables } from "../../src/database/made-up-rows.js";
import type { Database } from "../../src/database/session/database.js";
import type { Engine } from "../engines/engine.js";
import { oddMariadbEngine } from "../engines/odd-mariadb.js";
import { arbitrarySchema, hintsBetween } from "./arbitrary-schema.js";
import { heldRows, moveCounters, type HeldRows } from "./held-rows.js";
import { lostForGood } from "./lineage.js";
import { heldOfOthers, isAboutOthers, othersMove, setUp } from "./surroundings.js";
import { PATIENCE, RUNS, SEED } from "./runs.js";
import { allEngines, described, driftFrom, isAboutRows, runner } from "./there-and-back.js";

/** What reads like something else: parameters, placeholders, quotes, ends of lines, numbers, dates, JSON. */
const TEXTS = [
  "what? $1 {x} %s :y",
  "it's a \\ and a \"",
  "two\nlines\r\n",
  "  blanks  ",
  "0042",
  "1e3",
  "2026-03-04",
  '{"a": [1]}',
  "🏺 ünï",
  "",
  "NULL",
  "-- no",
];

/** One step of a chain: how it is run, and what is held before and after it. */
interface Step {
  readonly run: ReturnType<typeof runner>["run"];
  readonly text: string;
  readonly before: HeldRows;
  readonly after: HeldRows;
  /** Tables, as they are called before it, of which something cannot come back. */
  readonly lost: ReadonlySet<string>;
  /** Whether it makes values that are others each time. */
  readonly makes: boolean;
}

const engines: [string, Engine | undefined][] = [
  ...(await allEngines()),
  ["oddly set MariaDB", await oddMariadbEngine()],
];

describe.each(engines)("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine && !name.startsWith("embedded"))(
    "from any point of a chain back to any earlier one and forward again, every row is as it was there",
    async () => {
      const told = { chains: 0, steps: 0, others: 0, refused: 0, foreseen: 0, rows: 0, again: 0 };
      const schema = arbitrarySchema({ without: name.endsWith("MariaDB") ? "🏺" : "", hostile: true });
      await fc.assert(
        fc.asyncProperty(
          schema,
          fc.array(fc.tuple(schema, fc.nat(30)), { minLength: 2, maxLength: 5 }),
          fc.nat(10),
          async (start, versions, turn) => {
            await engine!.empty();
            await setUp(engine!, turn);
            const database = await engine!.open();
            try {
              await chain(database, start, versions, turn, told);
            } finally {
              await database.close();
            }
          },
        ),
        {
          seed: SEED,
          numRuns: Math.ceil(RUNS / 15),
          ...(process.env["LAW_TELL"] && { endOnFailure: true }),
          ...(process.env["LAW_PATH"] && { path: process.env["LAW_PATH"] }),
        },
      );
      if (process.env["LAW_TELL"]) process.stdout.write(`${name}: ${JSON.stringify(told)}\n`);
      expect(told.steps).toBeGreaterThan(told.chains);
      expect(told.rows).toBeGreaterThan(told.chains);
      expect(told.again).toBeGreaterThan(told.chains / 4);
    },
    PATIENCE,
  );
});

type Told = Record<"chains" | "steps" | "others" | "refused" | "foreseen" | "rows" | "again", number>;

async function chain(
  database: Database,
  start: Schema,
  versions: readonly (readonly [Schema, number])[],
  turn: number,
  told: Told,
): Promise<void> {
  const { dialect } = database;
  for (const { statements } of blocksFor(dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, start)))
    for (const statement of statements) await database.runScripted(statement);
  expect(await driftFrom(database, start)).toEqual([]);
  await fillTables(database, start, { rows: 4, rules: () => new Map() });
  await writeTexts(database, start, turn);
  await doubleRows(database, start);
  await moveCounters(database, turn * 7);
  await othersMove(database, start, turn);
  const others = await heldOfOthers(database);
  told.chains += 1;
  const spelled = await spellingsOf(database, start);
  const steps: Step[] = [];
  let at = start;
  for (const [version, seed] of versions) {
    const changes = diff(at, version, hintsBetween(at, version, seed));
    if (changes.length === 0) continue;
    const b = apply(at, changes);
    // What was drafted has nothing left to draft.
    expect(diff(b, version).map(describeChange)).toEqual([]);
    const before = await heldRows(database);
    for (const rows of before.values()) told.rows += rows.length;
    const step = await tryStep(database, { a: at, b, changes }, steps.length + 1, before, told);
    if (!step) {
      // Where each statement is committed by itself, what was done before the refusal is done.
      if (dialect.render.steps) return;
      continue;
    }
    expect(await heldOfOthers(database), step.text).toEqual(others);
    // Each way to tell how the engine spells it comes to the same: what is noted, and what it says.
    const noted = { ...spelled, ...allSpellings(await readLedger(database)) };
    const now = Object.entries(await spellingsOf(database, b));
    expect(
      now.filter(([key, said]) => noted[key] !== said),
      step.text,
    ).toEqual([]);
    steps.push(step);
    at = b;
  }
  told.steps += steps.length;
  await backAndForth(database, steps, turn, told);
  expect(await heldOfOthers(database), steps.map(({ text }) => text).join("\n----\n")).toEqual(others);
}

/** How the engine spells what a schema sends, where it can be told. */
async function spellingsOf(database: Database, schema: Schema): Promise<Spellings> {
  const { types, catalog } = database.dialect;
  if (!catalog.respells) return {};
  return learnSpellings(types.settle(schema), (await database.readCatalog()).schema);
}

async function tryStep(
  database: Database,
  way: { readonly a: Schema; readonly b: Schema; readonly changes: ReturnType<typeof diff> },
  number: number,
  before: HeldRows,
  told: Told,
): Promise<Step | undefined> {
  const { dialect } = database;
  const keeping = { number: String(number).padStart(4, "0"), direction: "forward" } as const;
  const plan = planFor(dialect, way.a, way.changes, keeping);
  const asked = probes(plan, dialect).filter(({ meaning }) => meaning === "refuses");
  const found = await runProbes(database, asked);
  const { run, scripts } = runner(database, way, number);
  const text = `${scripts.forward.text}\n---- back\n${scripts.back.text}`;
  try {
    await run("forward");
  } catch (error) {
    if (isAboutOthers(error)) {
      told.others += 1;
      expect(await heldRows(database), text).toEqual(before);
      return undefined;
    }
    if (!isAboutRows(error)) throw described(error, text);
    told.refused += 1;
    if (found.length > 0) told.foreseen += 1;
    else
      throw described(error, `not foreseen:\n${asked.map(({ question }) => question).join("\n")}\n${text}`);
    if (!dialect.render.steps) expect(await heldRows(database), text).toEqual(before);
    return undefined;
  }
  // A value that would be cut or rounded is told though the engine takes it; nothing else is told in vain.
  // So is a required column without a value, for which an engine may make one up, as MariaDB does for moments.
  const inVain = found.filter(
    ({ question }) =>
      !/cut, rounded|which have no value for the required|without a updated_at/.test(question),
  );
  expect(
    inVain.map(({ question, sql }) => `${question}: ${sql}`),
    text,
  ).toEqual([]);
  expect(await driftFrom(database, way.b), text).toEqual([]);
  const settled = planFor(dialect, way.a, way.changes);
  const lost = lostForGood(dialect.name, settled.before, settled.after, settled.changes);
  return {
    run,
    text,
    before,
    after: await heldRows(database),
    lost,
    makes: /uuid|stamp|now\(|strftime|random/i.test(text),
  };
}

/** From the end to an earlier point and forward again, and then to the start. */
async function backAndForth(
  database: Database,
  steps: readonly Step[],
  turn: number,
  told: Told,
): Promise<void> {
  if (steps.length === 0) return;
  const point = turn % steps.length;
  let spoilt = false;
  const goBack = async (to: number, from: number) => {
    for (const step of steps.slice(to, from).toReversed()) {
      try {
        await step.run("back");
      } catch (error) {
        if (isAboutRows(error) && (spoilt || step.lost.size > 0)) return false;
        // A view that followed what was renamed may be in the way of a type.
        if (isAboutOthers(error)) return false;
        throw described(error, step.text);
      }
      spoilt ||= step.lost.size > 0;
      const held = await heldRows(database);
      if (!spoilt) expect(held, step.text).toEqual(step.before);
    }
    return true;
  };
  if (!(await goBack(point, steps.length))) return;
  for (const step of steps.slice(point)) {
    try {
      await step.run("forward");
    } catch (error) {
      if (spoilt && isAboutRows(error)) return;
      throw described(error, step.text);
    }
    if (spoilt || step.makes) spoilt = true;
    else expect(await heldRows(database), step.text).toEqual(step.after);
    told.again += 1;
  }
  if (!spoilt) await goBack(0, steps.length);
}

/** Rows that nothing tells apart, each twice. */
async function doubleRows(database: Database, { tables }: Schema): Promise<void> {
  const { quote } = database.dialect.names;
  for (const table of database.dialect.types.settle({ tables }).tables) {
    if (table.key || table.uniques.length > 0 || table.indexes.some(({ unique }) => unique)) continue;
    const columns = table.columns.filter(({ computed }) => !computed).map(({ name }) => quote(name));
    const name = quote(addressOf(table).startsWith('"') ? table.name : addressOf(table));
    await database.run(
      `INSERT INTO ${name} (${columns.join(", ")}) SELECT ${columns.join(", ")} FROM ${name}`,
    );
  }
}

/** Texts that somebody means as they are, wherever a row may hold one. */
async function writeTexts(database: Database, { tables }: Schema, turn: number): Promise<void> {
  const { dialect } = database;
  const { quote } = dialect.names;
  for (const [at, table] of dialect.types.settle({ tables }).tables.entries())
    for (const [column, { name, computed }] of table.columns.entries()) {
      const type = tables[at]?.columns[column]?.type.kind;
      const told = [table.key, ...table.foreignKeys].some(part => part?.columns.includes(name));
      if (computed || told || (type !== "text" && type !== "varchar")) continue;
      const text = dialect.rows.literalSql(TEXTS[(turn + at + column) % TEXTS.length] ?? "");
      const address = addressOf(table).startsWith('"') ? table.name : addressOf(table);
      // Where a rule or another row is against it, it stays as it was.
      await database.run(`UPDATE ${quote(address)} SET ${quote(name)} = ${text}`).catch(() => undefined);
    }
}

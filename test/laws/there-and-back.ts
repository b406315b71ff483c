import { expect } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import { invert } from "../../src/core/change/invert.js";
import type { Change } from "../../src/core/change/types.js";
import { describeChange } from "../../src/core/change/words.js";
import { asOnline } from "../../src/core/plan/online.js";
import { keptByFilling } from "../../src/core/dialect/shared/kept-by-triggers.js";
import type { RenderPlan } from "../../src/core/dialect/shared/render-plan.js";
import { blocksFor, mayRespell, planFor } from "../../src/core/plan/plan.js";
import { learnSpellings, respell } from "../../src/core/lower/spellings.js";
import type { Direction } from "../../src/core/direction.js";
import { Problem, problems } from "../../src/core/problems.js";
import { withoutInternal } from "../../src/core/schema/internal-tables.js";
import { EMPTY_SCHEMA, withoutStrangers, type Schema } from "../../src/core/schema/types.js";
import type { Database } from "../../src/database/session/database.js";
import { fillTables, printRows } from "../../src/database/made-up-rows.js";
import { planText } from "../../src/history/script.js";
import { runProbes } from "../../src/database/count-rows.js";
import { probes } from "../../src/core/plan/probes.js";
import { runMigration } from "../../src/database/run-migration.js";
import { embeddedEngine } from "../engines/embedded.js";
import type { Engine } from "../engines/engine.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { sqliteEngine } from "../engines/sqlite.js";
import { inOrder } from "./arbitrary-schema.js";
import { lostForGood } from "./lineage.js";
import { risks } from "../../src/core/change/risk.js";
import { widens } from "../../src/core/dialect/registry.js";

/** Every engine that can be had here, by its name. */
export async function allEngines(): Promise<[string, Engine | undefined][]> {
  return [
    ["SQLite", sqliteEngine()],
    ["PostgreSQL", await postgresEngine()],
    ["embedded PostgreSQL", await embeddedEngine()],
    ["MariaDB", await mariadbEngine()],
  ];
}

/** A way from one schema to another. */
export interface Way {
  readonly a: Schema;
  readonly b: Schema;
  readonly changes: readonly Change[];
  /** Whether it is run while others write, as far as it can be. */
  readonly online?: boolean;
  /** Whether nothing of it is kept. */
  readonly loses?: boolean;
}

/** What became of the ways that were tried. */
export interface Told {
  went: number;
  refused: number;
  rows: number;
  kept: number;
  /** Tables of whose values some could not come back. */
  lost: number;
  /** Scripts in which something is changed without a row being written, as far as the script says so. */
  quick?: number;
  /** Scripts that were run while others may write, and such that fill and keep what was null. */
  online?: number;
  filled?: number;
  /** Such in which a column changes by way of a second one. */
  seconds?: number;
}

/** Makes the tables of a schema, with a few made-up rows. */
export async function buildWithRows(database: Database, schema: Schema): Promise<void> {
  for (const { statements } of blocksFor(database.dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)))
    for (const statement of statements) await database.runScripted(statement);
  await fillTables(database, schema, { rows: 4, rules: () => new Map() });
}

/** Goes forward and back on a real engine, with made-up rows: all is as it was. */
export async function thereAndBack(engine: Engine, way: Way, told: Told): Promise<void> {
  const { a, b, changes, loses } = way;
  await engine.empty();
  const database = await engine.open();
  // Somebody who read what there was reads what there is now.
  const other = engine.dialect.onServer ? await engine.open() : database;
  try {
    const { dialect } = database;
    await buildWithRows(database, a);
    const tables = dialect.types.settle(a).tables;
    const [before, wasHeld] = [await printRows(database, tables), await held(database)];
    expect(await printRows(other, tables)).toEqual(before);
    for (const { rows } of before.values()) told.rows += rows;
    const { run, scripts, plans } = runner(database, way);
    if (way.online && !plans.forward.online) return;
    const refused = await refusals(database, plans.forward);
    try {
      await run("forward");
    } catch (error) {
      if (!isAboutRows(error)) throw described(error, scripts.forward.text);
      told.refused += 1;
      expect(refused, scripts.forward.text).not.toEqual([]);
      // What rows refused was told beforehand as something that they may.
      expect(risks(changes, { widens }).filter(({ level }) => level !== "safe")).not.toEqual([]);
      if (dialect.render.steps || plans.forward.online) return;
      expect(await held(database)).toEqual(wasHeld);
      expect(await printRows(database, tables)).toEqual(before);
      return;
    }
    told.went += 1;
    // MariaDB would put something into a required column itself, which the program does not let it.
    const made = (each: string) => dialect.name === "mariadb" && each.includes("no value for the required");
    expect(
      refused.filter(each => !made(each)),
      scripts.forward.text,
    ).toEqual([]);
    if (plans.forward.online) told.online = (told.online ?? 0) + 1;
    if (plans.forward.online && dialect.render.online?.seconds?.(plans.forward).length)
      told.seconds = (told.seconds ?? 0) + 1;
    if (keptByFilling(plans.forward).length > 0) told.filled = (told.filled ?? 0) + 1;
    if (/writable_schema|ALGORITHM=INSTANT|foreign_key_checks = 0/.test(scripts.forward.text))
      told.quick = (told.quick ?? 0) + 1;
    await expectWhole(database);
    expect(await driftFrom(database, b)).toEqual([]);
    const after = dialect.types.settle(b).tables;
    expect(await printRows(other, after)).toEqual(await printRows(database, after));
    if (/emberset_attic_/.test(scripts.forward.text)) told.kept += 1;
    const settled = planFor(dialect, a, changes);
    // What is not kept comes back without its values, or with those that it became.
    if (loses) {
      const isBack = await run("back").then(
        () => true,
        (error: unknown) => {
          if (!isAboutRows(error)) throw described(error, scripts.back.text);
          return false;
        },
      );
      if (isBack) expect(await driftFrom(database, a)).toEqual([]);
      return;
    }
    const lost = lostForGood(dialect.name, settled.before, settled.after, settled.changes);
    const inTheWay = await refusals(database, plans.back);
    try {
      await run("back");
    } catch (error) {
      if (isAboutRows(error) && lost.size > 0) return;
      throw described(error, `${scripts.forward.text}\n---- back\n${scripts.back.text}`);
    }
    // What was not in the way is not told to be.
    expect(inTheWay, scripts.back.text).toEqual([]);
    await expectWhole(database);
    expect(await held(database)).toEqual(wasHeld);
    const found = await printRows(database, tables);
    for (const address of lost) for (const prints of [before, found]) prints.delete(address);
    told.lost += lost.size;
    expect(found, `${scripts.forward.text}\n---- back\n${scripts.back.text}`).toEqual(before);
  } finally {
    await database.close();
    if (other !== database) await other.close();
  }
}

/** What rows are told to refuse of a plan. */
async function refusals(database: Database, plan: RenderPlan): Promise<string[]> {
  const found = await runProbes(database, probes(plan, database.dialect));
  return found.flatMap(({ question, count, meaning }) =>
    meaning === "refuses" && count > 0 ? [`${count} ${question}`] : [],
  );
}

/** What a database has otherwise than a schema says, its own spellings aside. */
export async function driftFrom(database: Database, schema: Schema): Promise<string[]> {
  const { types, catalog } = database.dialect;
  const { schema: found } = withoutInternal(await database.readCatalog());
  const reached = withoutStrangers(found, [schema]);
  const sent = types.settle(schema);
  const wanted = catalog.respells ? respell(sent, learnSpellings(sent, reached)) : sent;
  // What others made beside it is theirs.
  const beside = (change: Change) => change.kind === "add table" && change.table.name.startsWith("their_");
  return diff(wanted, reached)
    .filter(change => !beside(change))
    .map(describeChange);
}

/** Runs both scripts of a migration as the program does. */
export function runner(database: Database, way: Way, number = 1) {
  const { dialect } = database;
  const plans = {
    forward: planOf(dialect, way, "forward", number),
    back: planOf(dialect, way, "back", number),
  };
  const scripts = {
    forward: scriptOf(dialect, plans.forward, "forward"),
    back: scriptOf(dialect, plans.back, "back"),
  };
  const run = (direction: Direction) =>
    runMigration(database, {
      migration: { number, name: nameOf(number) },
      direction,
      scripts,
      kept: { files: { "forward.sql": scripts.forward.text } },
      respells: mayRespell(plans[direction]),
      ran: Array.from({ length: direction === "forward" ? number - 1 : number }, (_, at) => nameOf(at + 1)),
      after: () => dialect.types.settle(direction === "forward" ? way.b : way.a),
      managed: () =>
        dialect.render.managedObjectNames(dialect.types.settle(direction === "forward" ? way.a : way.b)),
      online: plans[direction].online === true,
    });
  return { run, scripts, plans };
}

/** What a way is to a dialect in a direction. */
function planOf(
  dialect: Database["dialect"],
  { a, b, changes, online, loses }: Way,
  direction: Direction,
  number: number,
): RenderPlan {
  const [from, way] = direction === "forward" ? [a, changes] : [b, invert(changes)];
  const keeping = loses ? undefined : { number: String(number).padStart(4, "0"), direction };
  const plan = planFor(dialect, from, way, keeping);
  return online ? asOnline(plan, dialect) : plan;
}

const nameOf = (number: number) => `${String(number).padStart(4, "0")}-made-up`;

function scriptOf(dialect: Database["dialect"], plan: RenderPlan, direction: Direction) {
  return { file: `${direction}.sql`, text: planText(plan, dialect), checksum: "0".repeat(16) };
}

/** A file is what its schema says: https://sqlite.org/pragma.html#pragma_integrity_check */
async function expectWhole({ dialect, rows }: Database): Promise<void> {
  if (dialect.name !== "sqlite") return;
  expect(await rows("PRAGMA integrity_check")).toEqual([{ integrity_check: "ok" }]);
}

/** Refused for what rows hold, rather than for what the script says. The driver calls a broken check of MariaDB by the wrong name. */
export function isAboutRows(error: unknown): boolean {
  if (!(error instanceof Problem)) return false;
  if (error.code === problems.danglingReferences.code) return true;
  // A code that the driver has no name for.
  if (/^Got overflow when converting /.test((error.cause as Error | undefined)?.message ?? "")) return true;
  const { code } = (error.cause ?? {}) as { code?: string };
  return /^(?:SQLITE_(?:CONSTRAINT|MISMATCH)|2[23]\w{3}$|ER_(?:DUP|CONSTRAINT_FAILED|TRUNC|WRONG_VALUE|BAD_NULL|NO_REFERENCED|DATA_TOO_LONG|WARN_DATA|INVALID_USE_OF_NULL|INVALID_DEFAULT)|WARN_DATA|ER_INNODB_AUTOEXTEND|ER_UNUSED5)/.test(
    code ?? "",
  );
}

export function described(error: unknown, script: string): Error {
  const { words, cause } = error as Problem;
  const code = (cause as { code?: string } | undefined)?.code;
  return new Error(`${code}: ${JSON.stringify(words)}\n\nin\n${script}`, { cause: error });
}

/** What the database holds, but for what is Emberset's own. */
async function held(database: Database) {
  return inOrder(withoutInternal(await database.readCatalog()).schema);
}

import { afterAll, describe, expect, test } from "vitest";
import { planFor } from "../../src/core/plan/plan.js";
import { probes } from "../../src/core/plan/probes.js";
import { withoutInternal } from "../../src/core/schema/internal-tables.js";
import type { Schema } from "../../src/core/schema/types.js";
import { runProbes } from "../../src/database/count-rows.js";
import { fillTables } from "../../src/database/made-up-rows.js";
import type { Database } from "../../src/database/session/database.js";
import { dumpServer, sortDump } from "../engines/dump.js";
import type { Engine } from "../engines/engine.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { sqliteEngine } from "../engines/sqlite.js";
import { heldRows, moveCounters, type HeldRows } from "./held-rows.js";
import { madeUpChange, rollFrom } from "./made-up-change.js";
import { withObjectsSeenTo } from "./objects-seen-to.js";
import { PATIENCE } from "./runs.js";
import { loadSchema, SCHEMAS } from "./real-schemas.js";
import { isAboutOthers } from "./surroundings.js";
import { described, isAboutRows, runner } from "./there-and-back.js";

const CHAINS = Number(process.env["LAW_RUNS"] ?? 3);
const LENGTH = 10;

const engines: Readonly<Record<string, Engine | undefined>> =
  SCHEMAS.length > 0
    ? { sqlite: sqliteEngine(), postgres: await postgresEngine(), mariadb: await mariadbEngine() }
    : {};

afterAll(async () => {
  for (const engine of Object.values(engines)) await engine?.close();
});

const cases = SCHEMAS.flatMap(schema =>
  Array.from({ length: CHAINS }, (_, at) => ({ ...schema, seed: at + 1 })),
);

describe.runIf(cases.length > 0)("a schema of somebody's", () => {
  test.each(cases)(
    "$name goes ten changes forward and back to the same dump, by seed $seed",
    async ({ dialect, file, seed }) => {
      const engine = engines[dialect]!;
      await engine.empty();
      const database = await engine.open();
      try {
        await loadSchema(database, file);
        const told = await chain(database, seed);
        process.stdout.write(`${JSON.stringify(told)}\n`);
        expect(told.done).toBe(LENGTH);
      } finally {
        await database.close();
      }
    },
    PATIENCE,
  );
});

interface Held {
  readonly dump: readonly string[];
  readonly rows: HeldRows;
}

async function chain(database: Database, seed: number) {
  const { dialect } = database;
  const roll = rollFrom(seed);
  const { schema: held } = withoutInternal(await database.readCatalog());
  let at: Schema = dialect.types.raise(dialect.types.unspell(held));
  await fillTables(database, at, { rows: 6, rules: () => new Map() });
  await moveCounters(database, seed);
  const steps: {
    readonly run: ReturnType<typeof runner>["run"];
    readonly before: Held;
    readonly text: string;
  }[] = [];
  const whats: string[] = [];
  let [refused, others] = [0, 0];
  for (let tries = 0; steps.length < LENGTH && tries < 400; tries += 1) {
    const number = steps.length + 1;
    const made = madeUpChange(at, roll, number);
    if (!made) continue;
    const { what } = made;
    const { changes, after } = withObjectsSeenTo(at, made.changes, dialect);
    const plan = planFor(dialect, at, changes, {
      number: String(number).padStart(4, "0"),
      direction: "forward",
    });
    const inTheWay = await runProbes(
      database,
      probes(plan, dialect).filter(({ meaning }) => meaning === "refuses"),
    );
    // As the program does: where rows are in the way, nothing is run.
    if (inTheWay.length > 0) {
      refused += 1;
      continue;
    }
    const before = await holds(database);
    const { run, scripts } = runner(database, { a: at, b: after, changes }, number);
    const text = `${what}\n${scripts.forward.text}\n---- back\n${scripts.back.text}`;
    try {
      await run("forward");
    } catch (error) {
      if (!isAboutOthers(error)) throw described(error, text);
      others += 1;
      expect(await holds(database), text).toEqual(before);
      continue;
    }
    steps.push({ run, before, text });
    whats.push(what);
    at = after;
  }
  for (const step of steps.toReversed()) {
    try {
      await step.run("back");
    } catch (error) {
      throw described(error, `${isAboutRows(error) ? "rows in the way\n" : ""}${step.text}`);
    }
    const found = await holds(database);
    expect(found.dump, step.text).toEqual(step.before.dump);
    expect(found.rows, step.text).toEqual(step.before.rows);
  }
  return { done: steps.length, refused, others, whats: whats.join(", ") };
}

async function holds(database: Database): Promise<Held> {
  return { dump: await dumpOf(database), rows: await heldRows(database) };
}

/** What the engine's own tool, or its own pragmas, tell of the schema, whatever the order of columns. */
async function dumpOf(database: Database): Promise<readonly string[]> {
  if (database.dialect.onServer) {
    const url = new URL(database.target.address);
    return sortDump(dumpServer(database.dialect.name, url, decodeURIComponent(url.pathname.slice(1))));
  }
  const lines: string[] = [];
  const tables = await database.rows(
    "SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'emberset%' AND name NOT LIKE 'sqlite%'",
  );
  for (const { name } of tables) {
    const quoted = `'${String(name).replaceAll("'", "''")}'`;
    for (const [pragma, columns] of PRAGMAS)
      for (const row of await database.rows(`SELECT ${columns} FROM ${pragma}(${quoted})`))
        lines.push(JSON.stringify([name, pragma, row]));
    for (const index of await database.rows(`SELECT name FROM pragma_index_list(${quoted})`))
      for (const row of await database.rows(
        `SELECT seqno, name, "desc", coll, key FROM pragma_index_xinfo('${String(index["name"]).replaceAll("'", "''")}')`,
      ))
        lines.push(JSON.stringify([name, /^sqlite_/.test(String(index["name"])) ? "" : index["name"], row]));
  }
  const others = await database.rows(
    "SELECT type, name, tbl_name FROM sqlite_schema WHERE type IN ('trigger', 'view')",
  );
  return [...lines, ...others.map(row => JSON.stringify(row))].sort();
}

const PRAGMAS = [
  ["pragma_table_xinfo", 'name, lower(type) AS type, "notnull", dflt_value, pk, hidden'],
  ["pragma_foreign_key_list", '"table", "from", "to", on_update, on_delete'],
  [
    "pragma_index_list",
    "CASE WHEN name LIKE 'sqlite_%' THEN '' ELSE name END AS name, \"unique\", origin, partial",
  ],
] as const;

import { execFileSync, spawnSync } from "node:child_process";
import { copyFileSync, mkdirSync, readdirSync, readFileSync, rmSync } from "node:fs";
import { join } from "node:path";
import { afterAll, describe, expect, test } from "vitest";
import type { Engine } from "../engines/engine.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { PATIENCE, RUNS } from "../laws/runs.js";
import { kilnHouse, KILN_HOUSE, Studio } from "./studio.js";

/** Every so many statements; a hunt kills at each (LAW_RUNS=6000), and again a little later, inside statements (12000 and more). */
const STEP = Math.max(1, Math.round(6000 / RUNS));
const PASSES = Math.max(1, Math.floor(RUNS / 6000));

const engines = { SQLite: undefined, PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };
const VERSIONS = {
  v2: { rows: "rows-v1.sql", tables: ["clays", "kilns", "pieces", "potters"] },
  v3: {
    rows: "rows-v2.sql",
    tables: ["clays", "firings", "glazes", "kilns", "pieces", "pieces_glazes", "potters", "shelves"],
  },
} as const;

describe.each(Object.entries(engines))("the program on %s, killed at any statement", (title, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine ?? title === "SQLite")(
    "finishes when it is run again, and so does the other way; nothing is done twice or lost",
    async () => {
      await engine?.empty();
      const studio = atFirst(engine);
      const told = { kills: 0, stopped: 0 };
      for (const [version, { rows, tables }] of Object.entries(VERSIONS)) {
        await put(rows, studio, engine);
        studio.useModels(version as "v2" | "v3").ok("draft", version);
        const ran = Number(version.slice(1)) - 1;
        for (let pass = 0; pass < PASSES; pass += 1)
          await killEverywhere({ studio, engine, ran, tables, told, later: pass * 0.7 });
        studio.ok("forward", "--yes");
      }
      if (process.env["LAW_TELL"]) process.stdout.write(`${title}: ${JSON.stringify(told)}\n`);
      expect(told.kills).toBeGreaterThan(3);
      expect(told.stopped > 0).toBe(title === "MariaDB");
    },
    PATIENCE,
  );
});

interface Kills {
  readonly studio: Studio;
  readonly engine: Engine | undefined;
  /** How many migrations ran before the one that is killed. */
  readonly ran: number;
  readonly tables: readonly string[];
  readonly told: { kills: number; stopped: number };
  /** Milliseconds between a statement's end and the kill. */
  readonly later: number;
}

async function killEverywhere({ studio, engine, ran, tables, told, later }: Kills): Promise<void> {
  const all = async () => {
    const held: unknown[] = [studio.ok("status").includes(`${ran} run · 1 pending · no drift`)];
    for (const table of tables) {
      const query = `SELECT * FROM ${table} ORDER BY 1, 2`;
      held.push(await (engine ? engine.rows(query) : studio.rows(query)));
    }
    return held;
  };
  const isThere = new RegExp(`stopped in statement|${ran + 1} run`);
  const start = await all();
  expect(start[0]).toBe(true);
  for (let at = 1; await studio.killedAfter(at, later, "forward", "--yes"); at += STEP) {
    told.kills += 1;
    const said = studio.ok("status");
    if (said.includes("stopped in statement")) told.stopped += 1;
    if (Math.floor(at / STEP) % 2 === 0) {
      if (isThere.test(said)) studio.ok("back", "--yes");
      expect(await all(), `taken back from statement ${at}`).toEqual(start);
      continue;
    }
    studio.ok("forward", "--yes");
    expect(studio.ok("status", "--strict")).toContain(`${ran + 1} run · 0 pending · no drift`);
    if (await studio.killedAfter(at, later, "back", "--yes")) told.kills += 1;
    if (isThere.test(studio.ok("status"))) studio.ok("back", "--yes");
    expect(await all(), `undone from statement ${at}`).toEqual(start);
  }
  // The last one came to its end.
  studio.ok("back", "--yes");
  expect(await all()).toEqual(start);
}

/** The demo's rows; on a server its booleans are none of SQLite's numbers. */
async function put(file: string, studio: Studio, engine: Engine | undefined): Promise<void> {
  const script = readFileSync(join(KILN_HOUSE, file), "utf8");
  if (!engine) return studio.sql(script);
  const own = script
    .replace(/\('(Celadon|Oatmeal)', 1/g, "('$1', true")
    .replace("('Copper Red', 0", "('Copper Red', false");
  for (const sql of own.split(/;\n/)) if (sql.trim() !== "") await engine.run(sql);
}

/** The demo: its first migration ran. */
function atFirst(engine: Engine | undefined): Studio {
  const studio = engine ? onServer(engine.dialect.name, engine.url) : kilnHouse();
  studio.ok("draft", "first");
  studio.ok("forward");
  return studio;
}

function onServer(dialect: string, url: string): Studio {
  return new Studio({
    "emberset.config.ts": `export default { targets: { local: { dialect: "${dialect}", url: process.env.STUDIO_URL!, lockTimeout: "9s" } } };\n`,
    ".env": `STUDIO_URL=${url}\n`,
  }).useModels("v1");
}

const stepwise = engines.MariaDB;

test.runIf(stepwise)(
  "what has stopped in the midst has run there: no command takes it away, and its folder comes back",
  async () => {
    const engine = await mariadbEngine();
    const studio = new Studio({
      "emberset.config.ts": `export default { home: "first", targets: { first: { dialect: "sqlite", file: "first.db" },
  local: { dialect: "mariadb", url: ${JSON.stringify(engine!.url)}, lockTimeout: "9s" } } };\n`,
    }).useModels("v1");
    studio.ok("draft", "first");
    // As an earlier version made it.
    await engine!.run("CREATE TABLE emberset_journal (number integer PRIMARY KEY, name varchar(255))");
    const isStopped = () => studio.ok("status", "--target", "local").includes("stopped in statement");
    for (let at = 10; (await studio.killedAfter(at, 0, "forward", "--target", "local")) && !isStopped();)
      at += 1;
    expect(isStopped()).toBe(true);
    for (const command of [["discard"], ["discard", "--yes"]])
      expect(studio.emberset(...command).stderr).toMatch(/^E507 [^]*local/);
    studio.useModels("v2");
    expect(studio.emberset("amend").stderr).toMatch(/^E507 [^]*local/);
    const folder = studio.path("migrations/0001-first");
    const files = () => readdirSync(folder).map(name => [name, readFileSync(join(folder, name), "utf8")]);
    const before = files();
    rmSync(folder, { recursive: true });
    expect(studio.emberset("forward", "--target", "local").stderr).toMatch(/^E501 [^]*0001-first/);
    expect(studio.ok("status", "--target", "local", "--recover")).toContain("0001-first");
    expect(files()).toEqual(before);
    studio.ok("forward", "--target", "local");
    expect(studio.ok("status", "--target", "local")).toContain("1 run · 0 pending · no drift");
    await engine!.close();
  },
  PATIENCE,
);

const small = mountSmall();

/** A file system of a few pages; undefined where nobody may mount one. */
function mountSmall(): string | undefined {
  const folder = join(process.env["TMPDIR"] ?? "/tmp", `emberset-small-${process.pid}`);
  mkdirSync(folder, { recursive: true });
  const { status } = spawnSync("mount", ["-t", "tmpfs", "-o", "size=600k", "tmpfs", folder]);
  return status === 0 ? folder : undefined;
}

afterAll(() => small && spawnSync("umount", [small]));

test.runIf(small)("a disk that is full changes nothing, and the same command finishes once it is not", () => {
  const studio = new Studio({
    "emberset.config.ts": `export default { targets: { local: { dialect: "sqlite", file: "${small!}/a.db" } } };\n`,
  }).useModels("v1");
  const file = join(small!, "a.db");
  studio.ok("draft", "first");
  studio.ok("forward");
  execFileSync("sqlite3", [
    file,
    "INSERT INTO kilns (name, fuel, volume_litres) WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 5000) SELECT printf('kiln %030d', i), 'gas', i FROM n",
  ]);
  const before = studio.path("before.db");
  copyFileSync(file, before);
  // A table with a unique constraint more is built anew.
  studio.write(
    "models/kiln.ts",
    studio.read("models/kiln.ts").replace("@IsPositive()", "@IsPositive() @Field({ unique: true })"),
  );
  studio.ok("draft", "unique");
  const { status, stderr } = studio.emberset("forward", "--yes");
  expect([status, stderr]).toEqual([4, expect.stringMatching(/^E40\d [^]*full/)]);
  expect(readFileSync(file).equals(readFileSync(before))).toBe(true);
  execFileSync("mount", ["-o", "remount,size=6000k", small!]);
  expect(studio.ok("forward", "--yes")).toContain("1 migration ran");
});

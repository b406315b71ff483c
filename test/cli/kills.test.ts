import { execFileSync, spawnSync } from "node:child_process";
import { copyFileSync, mkdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, describe, expect, test } from "vitest";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { RUNS } from "../laws/runs.js";
import { drafted, KILN_HOUSE, Studio } from "./studio.js";

/** Every so many statements; a hunt kills at each: LAW_RUNS=3000 and more. */
const STEP = Math.max(1, Math.round(3000 / RUNS));

const engines = { SQLite: undefined, PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };
const TABLES = ["clays", "kilns", "pieces", "potters"];

describe.each(Object.entries(engines))("the program on %s, killed at any statement", (title, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine ?? title === "SQLite")(
    "finishes when it is run again, and so does the other way; nothing is done twice or lost",
    async () => {
      await engine?.empty();
      const studio = engine ? onServer(engine.dialect.name, engine.url) : drafted();
      const script = readFileSync(join(KILN_HOUSE, "rows-v1.sql"), "utf8");
      if (engine)
        for (const sql of script
          .replace(/\('(Celadon|Oatmeal)', 1/g, "('$1', true")
          .replace("('Copper Red', 0", "('Copper Red', false")
          .split(/;\n/))
          if (sql.trim() !== "") await engine.run(sql);
      if (!engine) studio.sql(script);
      const rowsOf = (table: string) =>
        engine
          ? engine.rows(`SELECT * FROM ${table} ORDER BY id`)
          : studio.rows(`SELECT * FROM ${table} ORDER BY id`);
      const all = async () => {
        const held: unknown[] = [/1 run · 1 pending · no drift/.test(studio.ok("status"))];
        for (const table of TABLES) held.push(await rowsOf(table));
        return held;
      };
      studio.ok("back", "--to", "1", "--yes");
      const start = await all();
      let [kills, stopped] = [0, 0];
      for (let at = 1; ; at += STEP) {
        if (!(await studio.killedAfter(at, "forward", "--yes"))) break;
        kills += 1;
        const said = studio.ok("status");
        if (said.includes("stopped in statement")) stopped += 1;
        if (Math.floor(at / STEP) % 2 === 0) {
          if (/stopped in statement|2 run/.test(said)) studio.ok("back", "--yes");
          expect(await all(), `taken back from statement ${at}`).toEqual(start);
          continue;
        }
        studio.ok("forward", "--yes");
        expect(studio.ok("status", "--strict")).toContain("2 run · 0 pending · no drift");
        if (await studio.killedAfter(at, "back", "--yes")) kills += 1;
        if (/stopped in statement|2 run/.test(studio.ok("status"))) studio.ok("back", "--yes");
        expect(await all(), `undone from statement ${at}`).toEqual(start);
      }
      if (process.env["LAW_TELL"]) process.stdout.write(`${title}: ${JSON.stringify({ kills, stopped })}\n`);
      expect(kills).toBeGreaterThan(3);
      expect(stopped > 0).toBe(title === "MariaDB");
    },
    600_000,
  );
});

/** The demo: its first migration ran, and the second is drafted. */
function onServer(dialect: string, url: string): Studio {
  const studio = new Studio({
    "emberset.config.ts": `export default { targets: { local: { dialect: "${dialect}", url: process.env.STUDIO_URL!, lockTimeout: "9s" } } };\n`,
    ".env": `STUDIO_URL=${url}\n`,
  }).useModels("v1");
  studio.ok("draft", "first");
  studio.ok("forward");
  studio.useModels("v2").ok("draft", "second");
  return studio;
}

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
  studio.write("models/kiln.ts", studio.read("models/kiln.ts").replace(/MaxLength\(\d+\)/, "MaxLength(39)"));
  studio.ok("draft", "shorter");
  const { status, stderr } = studio.emberset("forward", "--yes");
  expect([status, stderr]).toEqual([4, expect.stringMatching(/^E40\d [^]*full/)]);
  expect(readFileSync(file).equals(readFileSync(before))).toBe(true);
  execFileSync("mount", ["-o", "remount,size=6000k", small!]);
  expect(studio.ok("forward", "--yes")).toContain("1 migration ran");
});

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

  test.runIf(engine ?? title === "SQLite")(
    "does each of several migrations once, whichever it was at",
    async () => {
      const dialect = engine?.dialect.name ?? "sqlite";
      const place = engine
        ? `url: ${JSON.stringify(engine.url)}, lockTimeout: "9s"`
        : 'file: "kiln-house.db"';
      const studio = new Studio({
        "emberset.config.ts": `export default { targets: { local: { dialect: "${dialect}", ${place} } } };\n`,
      });
      for (const [number, model] of CHAIN.entries()) {
        studio.write("models/all.ts", `${IMPORTS}${model}\n`).ok("draft", `m ${number}`);
        if (number > 0) continue;
        studio.ok("draft", "count", "--blank");
        const scripts = {
          forward: "INSERT INTO counts (id, n) VALUES (7, 0);\nUPDATE counts SET n = n + 1;\n",
          back: "DELETE FROM counts;\n",
        };
        for (const [way, script] of Object.entries(scripts))
          studio.write(`migrations/0002-count/${way}.${dialect}.sql`, script);
      }
      const query = "SELECT n FROM counts";
      const told = { kills: 0, stopped: 0 };
      for (let at = 1; ; at += STEP) {
        await engine?.empty();
        rmSync(studio.path("kiln-house.db"), { force: true });
        if (!(await studio.killedAfter(at, (at % 3) * 0.4, "forward", "--yes"))) break;
        told.kills += 1;
        const said = studio.ok("status");
        if (said.includes("stopped in statement")) told.stopped += 1;
        if (/ [1-9]\d* run|stopped/.test(said) && at % 2 === 0) studio.ok("back", "--yes");
        studio.ok("forward", "--yes");
        const where = `killed after ${at}`;
        expect(studio.ok("status", "--strict"), where).toContain("6 run · 0 pending · no drift");
        const counted = engine ? await engine.rows(query) : studio.rows(query);
        expect(counted.map(row => Object.values(row as object))).toEqual([[1]]);
        if (engine && title === "MariaDB")
          expect(await engine.rows("SELECT * FROM emberset_journal"), where).toEqual([]);
      }
      if (process.env["LAW_TELL"]) process.stdout.write(`${title}: ${JSON.stringify(told)}\n`);
      expect(told.kills).toBeGreaterThan(2);
      expect(told.stopped > 0).toBe(title === "MariaDB");
    },
    PATIENCE,
  );
});

const IMPORTS = `import { IsInt, IsOptional, IsString, MaxLength } from "class-validator";
import { Field, RefersTo, Stored } from "emberset";
`;

/** Versions of models: what each adds can follow at once what came before it, but for the last, which takes something away. */
const CHAIN = [
  "@Stored() export class Count { @IsInt() n!: number; }",
  "@Stored() export class Count { @IsInt() n!: number; @IsOptional() @IsInt() a?: number; }",
  "@Stored() export class Count { @IsInt() n!: number; @IsOptional() @IsInt() a?: number; @IsOptional() @IsInt() b?: number; @IsOptional() @IsInt() c?: number; }",
  `@Stored() export class Count { @IsInt() n!: number; @IsOptional() @IsInt() a?: number; @IsOptional() @IsInt() b?: number; @IsOptional() @IsInt() c?: number; }
@Stored() export class Kiln { @IsString() @MaxLength(40) @Field({ unique: true }) name!: string; @RefersTo(() => Count) count!: Count; }`,
  `@Stored() export class Count { @IsInt() n!: number; @IsOptional() @IsInt() late?: number; }
@Stored() export class Kiln { @IsString() @MaxLength(40) name!: string; @RefersTo(() => Count) count!: Count; }`,
];

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

test.runIf(stepwise)(
  "a run that had only begun when it was killed goes by what there is, and by the script that it had",
  async () => {
    const engine = await mariadbEngine();
    const studio = new Studio({
      "emberset.config.ts": `export default { targets: { local: { dialect: "mariadb", url: ${JSON.stringify(engine!.url)} } } };\n`,
    });
    for (const [number, model] of CHAIN.slice(0, 2).entries())
      studio.write("models/all.ts", `${IMPORTS}${model}\n`).ok("draft", `m ${number}`);
    const file = "migrations/0002-m-1/forward.mariadb.sql";
    const script = studio.read(file);
    const added = /^ALTER TABLE `counts` ADD COLUMN `a`.*;$/m.exec(script)![0];
    const edited = script.replace("`a` int(11)", "`a` bigint(20)");
    const find = async (sql: string) => engine!.rows(sql).catch((): Record<string, unknown>[] => []);
    const isBegun = async () => {
      const [entry] = await find("SELECT doubt FROM emberset_journal");
      return entry?.["doubt"] === "not yet" && (await find("SELECT a FROM counts LIMIT 0").then(() => true));
    };
    const hasColumn = async () => (await find("SHOW COLUMNS FROM counts LIKE 'a'")).map(each => each["Type"]);
    for (const isDone of [false, true]) {
      for (let at = 20; ; at += 1) {
        await engine!.empty();
        if (!(await studio.killedAfter(at, 0, "forward"))) throw new Error("was never at its beginning");
        if ((await isBegun()) && (await hasColumn()).length === 0) break;
      }
      expect(studio.ok("status")).toContain("stopped in statement 1 of 1");
      if (isDone) await engine!.run(added);
      studio.write(file, edited);
      const { status, stderr } = studio.emberset("forward");
      expect([status, stderr]).toEqual(
        isDone ? [3, expect.stringMatching(/^E519 [^]* 1 statement done/)] : [0, ""],
      );
      expect(await hasColumn()).toEqual([isDone ? "int(11)" : "bigint(20)"]);
      studio.write(file, script);
      if (isDone) expect(studio.ok("forward")).toContain("1 migration ran");
    }
    expect(studio.ok("status")).toContain("2 run · 0 pending · no drift");
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

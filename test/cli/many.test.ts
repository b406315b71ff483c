import { mkdirSync } from "node:fs";
import LibSql from "libsql";
import { afterAll, describe, expect, test } from "vitest";
import { openDatabase } from "../../src/database/open.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { targetFor, type Engine } from "../engines/engine.js";
import { Studio } from "./studio.js";

const MODEL = (more = "") =>
  `import { IsString, MaxLength, MinLength } from "class-validator"; import { Stored } from "emberset"; @Stored() export class Kiln { @IsString() @MaxLength(40) name!: string; ${more} }\n`;

/** A project with two migrations, and what its config says of its targets. */
function studioOf(targets: string, env = ""): Studio {
  const studio = new Studio({
    "emberset.config.ts": `export default { home: "tenants", targets: { ${targets} } };\n`,
    ".env": env,
    "models/all.ts": MODEL(),
  });
  studio.ok("draft", "first");
  studio
    .write("models/all.ts", MODEL("@IsString() @MaxLength(9) fuel!: string;"))
    .ok("draft", "fuel", "--fill", "kilns.fuel=wood");
  return studio;
}

interface Many {
  readonly done: number;
  readonly failed: number;
  readonly left: number;
  readonly databases: readonly {
    readonly target: string;
    readonly state: string;
    readonly problem?: { readonly code: string };
    readonly result?: { readonly drift: readonly string[] };
  }[];
}

const of = (result: Many) => [result.done, result.failed, result.left];

test("500 files: one line each, one summary; what is done is not done again; what differs is told", () => {
  const studio = studioOf('tenants: { dialect: "sqlite", files: ["tenants/*.db"] }');
  mkdirSync(studio.path("tenants"));
  const name = (number: number) => `t${String(number).padStart(3, "0")}`;
  for (let number = 1; number <= 500; number += 1) {
    const database = new LibSql(studio.path(`tenants/${name(number)}.db`));
    database.exec("PRAGMA user_version = 1");
    // In one, somebody has made what a migration makes.
    if (number === 300) database.exec("CREATE TABLE kilns (id integer)");
    database.close();
  }
  const first = studio.emberset("forward");
  expect([first.status, first.stdout]).toEqual([
    3,
    expect.stringMatching(
      /E506 [^]*tenants\/t300[^]*299 of 500 databases of tenants: 598 migrations ran, 1 failed, 200 not begun/,
    ),
  ]);
  expect(first.stderr.match(/^ *\d+\/500 ✓ tenants\/t\d+ {2}2 migrations, \d+ ms$/gm)).toHaveLength(299);
  expect(of(studio.json<Many>("forward", "--go-on"))).toEqual([499, 1, 0]);
  studio.sql("DROP TABLE kilns", "tenants/t300.db");
  expect(of(studio.json<Many>("forward"))).toEqual([500, 0, 0]);
  expect(studio.ok("status")).toMatch(/500 databases\n.*\n +500 +2 run · 0 pending · no drift +t001, t002, /);
  studio.sql("CREATE INDEX sly ON kilns (name)", "tenants/t007.db");
  studio.sql("ALTER TABLE kilns ADD COLUMN ash text", "tenants/t009.db");
  expect(studio.ok("describe", "--differs")).toMatch(
    /500 databases, 498 of them alike\n +tenants\/t007\n +add index sly on kilns\n +tenants\/t009\n +add column kilns.ash/,
  );
  expect(studio.emberset("status", "--strict").status).toBe(1);
  expect(studio.ok("describe", "kilns", "--target", "tenants/t007")).toContain("sly");
  expect(studio.emberset("describe").stderr).toMatch(/^E127 [^]*tenants\/t001, [^]*500 of them/);
  expect(studio.emberset("forward", "--target", "tenants/t501").stderr).toMatch(/^E104 /);
});

test("the canary goes first, and where it fails nothing else is begun; rows are agreed to for all", () => {
  const studio = studioOf(
    'tenants: { dialect: "sqlite", guarded: true, canary: "b", files: ["tenants/*.db"] }',
  );
  mkdirSync(studio.path("tenants"));
  for (const name of ["a", "b", "c"]) studio.sql("PRAGMA user_version = 1", `tenants/${name}.db`);
  studio.sql("CREATE TABLE kilns (id integer)", "tenants/b.db");
  const failed = studio.json<Many>("forward", "--go-on");
  expect(failed.databases.map(({ target, state }) => `${target} ${state}`)).toEqual([
    "tenants/b failed",
    "tenants/a left",
    "tenants/c left",
  ]);
  studio.sql("DROP TABLE kilns", "tenants/b.db");
  studio.ok("forward");
  for (const name of ["a", "b", "c"])
    studio.sql("INSERT INTO kilns (name, fuel) VALUES ('One', 'gas')", `tenants/${name}.db`);
  expect(studio.emberset("discard").stderr).toMatch(/^E507 [^]*tenants\/b/);
  const refused = studio.json<Many>("back", "--yes");
  expect([of(refused), refused.databases[0]?.problem?.code]).toEqual([[0, 1, 2], "E503"]);
  expect(of(studio.json<Many>("back", "--confirm", "tenants"))).toEqual([3, 0, 0]);
  expect(studio.ok("status")).toContain("1 run · 1 pending");
});

test("a list that cannot be told is said to be so, and no address of it is shown", () => {
  const secret = "postgres://ada:hunter2@";
  const cases: [string, RegExp][] = [
    ['tenants: { dialect: "sqlite", files: ["none/*.db"] }', /^E128 [^]*there are none/],
    ['tenants: { dialect: "sqlite", files: ["*.ts"], canary: "x" }', /^E128 [^]*there is no x/],
    [`tenants: { dialect: "postgres", urls: ["${secret}"] }`, /^E103 [^]*targets\.tenants\.urls/],
    [
      'tenants: { dialect: "sqlite", files: { of: "nobody", query: "SELECT 1" } }',
      /^E103 [^]*files\.of must name/,
    ],
    ['tenants: { dialect: "sqlite", files: ["*.db"], parallel: 0 }', /^E103 [^]*parallel/],
    [
      'control: { dialect: "sqlite", file: "emberset.db" }, tenants: { dialect: "sqlite", files: { of: "control", query: "SELECT 1" } }',
      /^E400 /,
    ],
  ];
  for (const [targets, expected] of cases) {
    const studio = new Studio({
      "emberset.config.ts": `export default { home: "tenants", targets: { ${targets} } };\n`,
      "models/all.ts": MODEL(),
    });
    const { stderr } = studio.emberset("forward");
    expect(stderr).toMatch(expected);
    expect(stderr).not.toContain("hunter2");
  }
});

const engines: [string, Engine | undefined][] = [
  ["PostgreSQL", await postgresEngine()],
  ["MariaDB", await mariadbEngine()],
];

describe.each(engines)("on %s", (_, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine)("50 databases that a table of another one tells, several at once", async () => {
    await engine!.empty();
    const dialect = engine!.dialect.name as "postgres" | "mariadb";
    const number = dialect === "postgres" ? 50 : 12;
    const names = Array.from({ length: number }, (_each, at) => `emberset_tenant_${process.pid}_${at + 1}`);
    await engine!.run("CREATE TABLE tenants (name varchar(60), live integer)");
    for (const name of names) {
      await engine!.run(`CREATE DATABASE ${name}`);
      await engine!.run(`INSERT INTO tenants VALUES ('${name}', 1)`);
    }
    await engine!.run("INSERT INTO tenants VALUES ('gone', 0)");
    try {
      const url = engine!.url.replace(/\/[^/?]*(?=\?|$)/, "/{name}");
      const studio = studioOf(
        `control: { dialect: "${dialect}", url: process.env.CONTROL! }, tenants: { dialect: "${dialect}", parallel: 4, urls: { of: "control", query: "SELECT name FROM tenants WHERE live = 1 ORDER BY name", url: process.env.TENANT! } }`,
        `CONTROL=${engine!.url}\nTENANT=${url}\n`,
      );
      expect(of(studio.json<Many>("forward"))).toEqual([number, 0, 0]);
      expect(studio.ok("status", "--target", "tenants")).toContain(`2 run · 0 pending · no drift`);
      expect(of(studio.json<Many>("back", "--yes"))).toEqual([number, 0, 0]);
      expect(studio.ok("describe", "--differs")).toContain(`${number} databases, ${number} of them alike`);
      expect(studio.ok("describe", "--target", `tenants/${names[3]!}`)).toContain("kilns");
      // What the engine makes of a rule is taken from the first, but where it comes out otherwise: of a text without a type.
      const other = names[5]!;
      const address = url.replace("{name}", other);
      const there = await openDatabase(targetFor(dialect, address), { mode: "change" });
      const wide = { postgres: "ALTER name TYPE text", mariadb: "MODIFY name text NOT NULL" };
      await there.run(`ALTER TABLE kilns ${wide[dialect]}`);
      await there.close();
      const model = MODEL("@IsString() @MaxLength(9) fuel!: string;");
      studio.write("models/all.ts", model.replace("@IsString()", "@MinLength(2) @IsString()"));
      studio.ok("draft", "named");
      const run = studio.json<Many>("forward");
      expect([of(run), run.databases.flatMap(({ result }) => result?.drift)]).toEqual([[number, 0, 0], []]);
      const state = JSON.stringify(studio.json("status", "--target", `tenants/${other}`));
      expect([/kilns\.name/.test(state), /ck_kilns/.test(state)], state).toEqual([true, false]);
    } finally {
      for (const name of names) await engine!.run(`DROP DATABASE ${name}`);
    }
  });
});

import { hostname } from "node:os";
import { readFileSync } from "node:fs";
import LibSql from "libsql";
import { join } from "node:path";
import { expect, test, vi } from "vitest";
import { drafted, kilnHouse, KILN_HOUSE, smallStudio, Studio } from "./studio.js";

const rowsOf = (version: string) => readFileSync(join(KILN_HOUSE, `rows-${version}.sql`), "utf8");

test("a newcomer's five minutes: init, check, compare, draft, forward, describe, back", () => {
  const studio = new Studio();
  expect(studio.ok("init")).toContain("emberset.config.ts");
  expect(studio.ok("check")).toContain("1 entity in 1 file, 1 table: nothing to correct, 3 notes");
  expect(studio.ok("compare")).toMatch(/add table potters +4 columns +safe/);
  expect(studio.emberset("compare", "--strict").status).toBe(1);
  expect(studio.ok("draft", "First tables!")).toContain("migrations/0001-first-tables/back.sqlite.sql");
  expect(studio.ok("draft", "again")).toContain("Nothing to draft");
  expect(studio.ok("compare", "--strict")).toContain("no difference");
  expect(studio.emberset("status", "--strict").status).toBe(1);
  expect(studio.ok("forward", "--show")).toBe(studio.read("migrations/0001-first-tables/forward.sqlite.sql"));
  expect(studio.ok("forward")).toContain("1 migration ran");
  expect(studio.ok("forward")).toContain("Nothing is pending");
  expect(studio.ok("status", "--strict")).toContain("1 run · 0 pending · no drift");
  expect(studio.ok("describe", "Potters")).toMatch(/email +varchar\(320\) +may be null +unique/);
  expect(studio.ok("back")).toContain("1 migration undone");
  expect(studio.ok("status")).toContain("0 run · 1 pending");
  const again = studio.emberset("init");
  expect([again.status, again.stderr.split(" ")[0]]).toEqual([2, "E105"]);
});

test("the co-operative's three versions, forward with rows, and back to where each began", () => {
  const studio = kilnHouse();
  const dumps: string[] = [];
  for (const version of ["v1", "v2", "v3"] as const) {
    studio.useModels(version).ok("draft", `models ${version}`);
    dumps.push(withoutLedger(studio.dump()));
    expect(studio.ok("forward", "--yes")).toContain("1 migration ran");
    expect(studio.ok("compare", "--strict")).toContain("no difference");
    if (version !== "v3") studio.sql(rowsOf(version));
  }
  expect(studio.rows("SELECT title, weight_grams FROM pieces ORDER BY id")).toEqual([
    ["Tall jug", 1450],
    ["Salt pig", 900],
    ["Tea bowl", 1],
    ["Tea bowl", 310],
    ["Bread crock", 5200],
  ]);
  expect(studio.rows("SELECT label FROM racks")).toHaveLength(3);

  expect(studio.emberset("back", "--count", "1").stderr).toContain("3 values of pieces_glazes.layers");
  studio.ok("back", "--count", "1", "--yes");
  expect(studio.rows("SELECT title, weight, shelf_id FROM pieces WHERE id = 1")).toEqual([
    ["Tall jug", 1450, 1],
  ]);
  expect(studio.rows("SELECT name FROM glazes WHERE food_safe")).toHaveLength(2);
  studio.ok("back", "--to", "0", "--yes");
  expect(withoutLedger(studio.dump())).toBe(dumps[0]);
  expect(studio.ok("forward", "--to", "2")).toContain("2 migrations ran on local, 1 still pending");
});

test("a forgotten unique: correct the model and amend, as often as it takes", () => {
  const model = (more: string) => `import { IsString } from "class-validator";
import { Field, Stored } from "emberset";
@Stored() export class Glaze { @IsString() ${more}name!: string; }`;
  const studio = smallStudio(model(""));
  expect(studio.emberset("amend").stderr).toContain("E109");
  studio.ok("draft", "glazes");
  studio.write("models/all.ts", model("@Field({ unique: true }) "));
  expect(studio.ok("amend")).toContain("It had not run on local");
  studio.ok("forward");
  expect(studio.ok("amend")).toContain("Nothing to amend");

  studio.write("models/all.ts", model('@Field({ unique: true, column: "title" }) '));
  studio.sql("INSERT INTO glazes (name) VALUES ('Celadon')");
  expect(studio.emberset("amend").stderr).toMatch(/E503[^]*1 row of glazes/);
  expect(studio.rows("SELECT name FROM glazes")).toEqual([["Celadon"]]);
  expect(studio.ok("amend", "--yes")).toMatch(/← 0001-glazes[^]*→ 0001-glazes/);
  expect(studio.ok("describe", "glazes")).toMatch(/unique +uq_glazes_title +\(title\)/);
  expect(studio.ok("status", "--strict")).toContain("1 run · 0 pending · no drift");

  const script = "migrations/0001-glazes/forward.sqlite.sql";
  const drafted = studio.read(script);
  studio.write("models/all.ts", model(""));
  studio.write(script, `${drafted}-- mine\n`);
  expect(studio.emberset("amend").stderr).toContain("E508");
  studio
    .write(script, drafted)
    .write("emberset.config.ts", studio.read("emberset.config.ts").replace("file:", "guarded: true, file:"));
  expect(studio.emberset("amend", "--confirm", "local").stderr).toContain("E507");
});

test("renames given on the command line keep the rows; those that cannot be meant are refused", () => {
  const model = (cls: string, field: string) => `import { IsInt } from "class-validator";
import { Field, Stored } from "emberset";
@Stored() export class ${cls} { @IsInt() ${field}!: number; }`;
  const studio = smallStudio(model("Shelf", "weight"));
  studio.ok("draft", "shelves");
  studio.ok("forward");
  studio.sql("INSERT INTO shelves (weight) VALUES (7)");
  studio.write("models/all.ts", model("Rack", "weightGrams"));
  for (const rename of [
    "shelves",
    "shelf=racks",
    "shelves=rack",
    "shelves.wait=racks.weight_grams",
    "shelves.weight=racks.grams",
  ]) {
    expect(studio.emberset("draft", "racks", "--rename", rename).stderr).toContain("E110");
  }
  for (const fill of ["weight_grams=1", "racks.grams=1", "racks.weight_grams=heavy"])
    expect(studio.emberset("draft", "racks", "--fill", fill).stderr).toContain("E118");
  // Without a terminal nothing is asked; what may not be meant is said.
  const check = studio.ok("check");
  expect(check).toMatch(
    /A317 +Rack\n +shelves goes and racks comes, which are \d\d % alike[^]*--rename shelves=racks/,
  );
  const renames = ["--rename", "shelves=racks", "--rename", "shelves.weight=racks.weight_grams"];
  expect(studio.ok("draft", "racks", ...renames)).not.toContain("A317");
  studio.ok("forward");
  // What was said when it was drafted holds when it is amended.
  studio.write(
    "models/all.ts",
    model("Rack", "weightGrams").replace("; }", "; @IsInt() @Field({ default: 2 }) row!: number; }"),
  );
  studio.ok("amend", "--yes");
  expect(studio.rows("SELECT weight_grams, row FROM racks")).toEqual([[7, 2]]);
  // Rows in the way of a correction are so before anything is undone.
  studio.sql("UPDATE racks SET row = 5");
  studio.write(
    "models/all.ts",
    model("Rack", "weightGrams").replace("@IsInt()", "@IsInt() @Min(8)").replace("{ Is", "{ Min, Is"),
  );
  expect(studio.emberset("amend", "--yes").stderr).toMatch(/^E502 [^]*1 row of racks that break/);
  expect(studio.rows("SELECT weight_grams, row FROM racks")).toEqual([[7, 5]]);
  studio.ok("back", "--yes");
  expect(studio.rows("SELECT weight FROM shelves")).toEqual([[7]]);
});

test("triggers, indexes and views of other people live through a rebuild; one that would break stops it", () => {
  const studio = drafted();
  studio.sql(rowsOf("v1"));
  studio.sql(`CREATE VIEW heavy AS SELECT title FROM pieces WHERE weight > 1000;
    CREATE INDEX my_index ON pieces (title);
    CREATE TRIGGER my_trigger AFTER INSERT ON kilns BEGIN UPDATE pieces SET weight = 1 WHERE id = 1; END;
    CREATE TRIGGER own_trigger AFTER DELETE ON pieces BEGIN DELETE FROM kilns WHERE id = OLD.id; END;
    PRAGMA foreign_keys = OFF;
    UPDATE pieces SET potter_id = 99 WHERE id = 2;`);
  // That a row referred to nothing before is not the migration's fault.
  studio.ok("forward");
  const names =
    "SELECT name FROM sqlite_schema WHERE name IN ('heavy', 'my_index', 'my_trigger', 'own_trigger') ORDER BY name";
  expect(studio.rows(names)).toEqual([["heavy"], ["my_index"], ["my_trigger"], ["own_trigger"]]);
  expect(studio.rows("SELECT title FROM heavy")).toHaveLength(2);
  expect(studio.ok("describe")).toMatch(/Left alone:\n {2}view heavy\n {2}trigger/);

  studio.write(
    "models/piece.ts",
    studio
      .read("models/piece.ts")
      .replace(/.*weight\?: number;\n/, "")
      .replace(/,?\n? *checks: \{.*\}/, ""),
  );
  studio.ok("draft", "no more weights");
  const before = studio.dump();
  const { status, stderr } = studio.emberset("forward", "--yes");
  expect(stderr).toMatch(
    /E408[^]*(view heavy|trigger my_trigger)[^]*no such column: (main\.)?(pieces\.)?weight/,
  );
  expect(status).toBe(4);
  expect(studio.dump()).toBe(before);
});

test("eight processes at once: each migration runs once, and a writer who does not let go is named", async () => {
  const studio = drafted();
  const ends = await Promise.all(
    Array.from({ length: 8 }, () => new Promise(resolve => studio.start("forward").once("exit", resolve))),
  );
  expect(ends).toEqual(Array.from({ length: 8 }, () => 0));
  expect(studio.rows("SELECT number FROM emberset_ledger")).toEqual([[1], [2]]);

  const config = studio.read("emberset.config.ts");
  studio.write(
    "emberset.config.ts",
    config.replace('file: "kiln-house.db"', 'file: "kiln-house.db", lockTimeout: "200ms"'),
  );
  const { default: LibSql } = await import("libsql");
  const other = new LibSql(studio.path("kiln-house.db"));
  other.exec("BEGIN IMMEDIATE");
  const { status, stderr } = studio.emberset("back", "--yes");
  other.close();
  if (process.platform === "linux")
    expect(stderr).toContain(
      `waiting for another run to end: process ${process.pid} on ${hostname()}, since `,
    );
  expect(stderr).toMatch(/E404 Another process is writing[^]*waited 0\.2 s/);
  expect(status).toBe(4);
});

test.runIf(process.getuid?.() === 0)("a database that may only be read is said to be so", async () => {
  const { chmodSync, readdirSync } = await import("node:fs");
  const studio = drafted();
  for (const name of ["", ...readdirSync(studio.folder, { recursive: true, encoding: "utf8" })])
    chmodSync(studio.path(name), 0o755);
  chmodSync(studio.path("kiln-house.db"), 0o444);
  // Root may write anything, so the program runs as somebody else.
  const run = (...args: string[]) => studio.as(65534, ...args);
  expect(run("describe", "clays").stdout).toContain("shrinkage_percent");
  const { status, stderr } = run("forward");
  expect(stderr).toMatch(/E403 The database may only be read/);
  expect(status).toBe(4);
});

test("a guarded target wants its own name", () => {
  const studio = drafted();
  studio.sql("INSERT INTO kilns (name, fuel, volume_litres) VALUES ('Bertha', 'gas', 900)");
  studio.write(
    "emberset.config.ts",
    studio.read("emberset.config.ts").replace("file:", "guarded: true, file:"),
  );
  const refused = studio.emberset("back", "--yes");
  expect([refused.status, refused.stderr]).toEqual([3, expect.stringContaining("--confirm local")]);
  expect(studio.emberset("back", "--confirm", "life").status).toBe(3);
  expect(studio.ok("back", "--confirm", "local")).toContain("undone");
});

test("a script that does something else than its migration says is told", () => {
  const studio = drafted();
  const file = "migrations/0002-glazes/forward.sqlite.sql";
  studio.write(file, studio.read(file).replace(/CREATE INDEX "ix_firings_fired_by_id".*\n/, ""));
  expect(studio.ok("forward")).toMatch(
    /differs from what the migrations say[^]*drop index ix_firings_fired_by_id on firings/,
  );
  expect(studio.ok("status")).toMatch(/drift[^]*drop index ix_firings_fired_by_id on firings/);
  studio.sql("ALTER TABLE clays ADD COLUMN colour text");
  expect(studio.ok("status")).toContain("add column clays.colour: text, may be null");
});

test("--json gives one document and nothing else; --trace gives the SQL on stderr", () => {
  const studio = drafted();
  for (const args of [
    ["check"],
    ["compare"],
    ["compare", "--from", "empty", "--to", "1"],
    ["status"],
    ["forward"],
    ["describe"],
    ["back", "--show"],
    ["back"],
  ]) {
    const { status, stdout, stderr } = studio.emberset(...args, "--json", "--trace");
    expect(JSON.parse(stdout)).toBeTypeOf("object");
    expect(status).toBe(0);
    if (args[0] !== "check" && args[0] !== "compare") expect(stderr).toMatch(/ms {2}SELECT/);
  }
  const compared = studio.json<{ changes: unknown[]; counts: object }>(
    "compare",
    "--from",
    "1",
    "--to",
    "history",
  );
  expect(compared.changes.length).toBe(
    Object.values(compared.counts).reduce((sum: number, each: number) => sum + each, 0),
  );
});

/** The ledger holds times, and the counters' own table stays once it is there. */
function withoutLedger(dump: string): string {
  return dump
    .replace(/^(CREATE TABLE|INSERT INTO) ["']?emberset_ledger[^]*?;\n/gm, "")
    .replace(/^DELETE FROM sqlite_sequence;\n/m, "");
}

test("beside the models, a description tells at each line what they have otherwise", () => {
  const studio = kilnHouse();
  studio.ok("draft", "first");
  studio.ok("forward");
  expect(studio.ok("describe", "--beside", "models")).toMatch(/✓ as the models have it\n$/);
  studio.sql("DROP INDEX ix_pieces_stage");
  studio.sql("ALTER TABLE clays ADD COLUMN odd text");
  studio.sql("CREATE TABLE extra (a int)");
  studio.write("models/kiln.ts", studio.read("models/kiln.ts").replace("MaxLength(40)", "MaxLength(60)"));
  studio.write("models/shelf.ts", `import { Stored } from "emberset";\n@Stored() export class Shelf {}`);
  const text = studio.ok("describe", "--beside", "models");
  for (const line of [
    /^ {2}− {2}odd +text +may be null +not in models$/m,
    /^ {2}\+ {2}index +ix_pieces_stage +\(stage\) +missing here$/m,
    /^ {2}≠ {2}name +varchar\(40\) +required +unique +models: varchar\(40\) → varchar\(60\)$/m,
    /^ {2}≠ {2}check +ck_kilns_name +length\(name\) <= 40 +models: length\(name\) <= 60$/m,
    /^extra · 0 rows · − not in models$/m,
    /^\+ shelves · missing here: 1 column$/m,
    /^6 differences from models: /m,
  ])
    expect(text).toMatch(line);
  expect(studio.ok("describe", "pieces", "--beside", "0001")).toContain("1 difference from 0001");
});

test("files and lines are links where the terminal takes them, and plain elsewhere", () => {
  const studio = kilnHouse();
  studio.write("models/kiln.ts", studio.read("models/kiln.ts").replace("MaxLength(40)", "MaxLength(-1)"));
  const plain = studio.emberset("check").stdout;
  vi.stubEnv("FORCE_HYPERLINK", "1");
  const linked = studio.emberset("check").stdout;
  vi.unstubAllEnvs();
  const line = /^models\/kiln\.ts:(\d+) {2}/m.exec(plain)![1]!;
  const url = `file://${hostname()}${studio.path("models/kiln.ts")}#${line}`;
  expect(linked).toContain(`\u001b]8;;${url}\u001b\\models/kiln.ts:${line}\u001b]8;;\u001b\\  `);
  expect(linked.replace(/\u001b\]8;;.*?\u001b\\/g, "")).toBe(plain);
});

test("what a table is said to be changes without its rows, for all who use the file; never where it stands otherwise", () => {
  const model = (title: string, action: string) => `import { IsString, MaxLength } from "class-validator";
import { RefersTo, Stored } from "emberset";
@Stored() export class Potter { @IsString() @MaxLength(40) name!: string; }
@Stored() export class Piece {
  @IsString() @MaxLength(${title}) title!: string;
  @RefersTo(() => Potter, { onDelete: "${action}" }) potter!: Potter;
}\n`;
  const studio = smallStudio(model("40", "restrict"));
  studio.ok("draft", "first");
  studio.ok("forward");
  studio.sql(
    "INSERT INTO potters (name) VALUES ('Ada'); INSERT INTO pieces (title, potter_id) VALUES ('Jug', 1)",
  );
  const other = new LibSql(studio.path("kiln-house.db"));
  const titles = () => other.prepare("SELECT title FROM pieces").all() as { title: string }[];
  expect(titles()).toHaveLength(1);
  studio.write("models/all.ts", model("4", "cascade")).ok("draft", "second");
  const script = studio.read("migrations/0002-second/forward.sqlite.sql");
  expect(script).not.toMatch(/INSERT|CREATE TABLE "emberset_new/);
  expect(studio.ok("compare", "--from", "1", "--to", "2")).toMatch(
    /pieces +read +who writes to it waits +1 row, under 0\.1 s/,
  );
  studio.ok("forward");
  expect(titles()).toMatchObject([{ title: "Jug" }]);
  expect(() => other.exec("INSERT INTO pieces (title, potter_id) VALUES ('Teapot', 1)")).toThrow(
    /ck_pieces_title/,
  );
  other.exec("PRAGMA foreign_keys = ON; DELETE FROM potters");
  expect(titles()).toEqual([]);
  expect(other.prepare("PRAGMA integrity_check").all()).toMatchObject([{ integrity_check: "ok" }]);
  studio.ok("back", "--yes");

  // Rows that do not keep to it, and columns that somebody has put in another order.
  studio.sql(
    "INSERT INTO potters (name) VALUES ('Ada'); INSERT INTO pieces (title, potter_id) SELECT 'Teapot', id FROM potters",
  );
  expect(studio.emberset("forward").stderr).toMatch(/^E502 /);
  studio.sql(`UPDATE pieces SET title = 'Jug'; ALTER TABLE pieces RENAME TO old;
CREATE TABLE pieces (title varchar(40) NOT NULL, id integer CONSTRAINT pk_pieces PRIMARY KEY AUTOINCREMENT, potter_id integer NOT NULL,
  CONSTRAINT fk_pieces_potter_id FOREIGN KEY (potter_id) REFERENCES potters (id) ON DELETE RESTRICT,
  CONSTRAINT ck_pieces_title CHECK (length(title) <= 40));
INSERT INTO pieces (id, title, potter_id) SELECT id, title, potter_id FROM old; DROP TABLE old;
CREATE INDEX ix_pieces_potter_id ON pieces (potter_id)`);
  expect(studio.ok("status")).toContain("no drift");
  expect(studio.emberset("forward").stderr).toMatch(/^E405 [^]*stand otherwise: a script of your own/);
  expect(studio.rows("SELECT id, title FROM pieces")).toEqual([[2, "Jug"]]);

  // A check that asks for less than it did, and of which somebody has taken away what it was.
  studio.write("models/all.ts", model("60", "restrict")).ok("amend");
  studio.sql(`PRAGMA writable_schema = ON;
UPDATE sqlite_schema SET sql = replace(sql, 'length(title) <= 40', '1') WHERE name = 'pieces'; PRAGMA writable_schema = RESET;
UPDATE pieces SET title = '${"Jug ".repeat(20)}'`);
  expect(studio.emberset("forward").stderr).toMatch(/^E405 [^]*rows break ck_pieces_title/);
  other.close();
});

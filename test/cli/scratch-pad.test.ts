import { existsSync } from "node:fs";
import { expect, test } from "vitest";
import { drafted, kilnHouse, smallStudio } from "./studio.js";

const CONFIG = (more = "") =>
  `export default { models: ["models/*.ts"], home: "local", targets: { local: { dialect: "sqlite", file: "kiln-house.db" }${more} } };\n`;

test("a scratch pad is made equal to each version of the models; what would go is asked about, with its rows", () => {
  const studio = kilnHouse();
  expect(studio.ok("match", "--show")).toContain('CREATE TABLE "pieces"');
  expect(existsSync(studio.path("kiln-house.db"))).toBe(false);
  expect(studio.ok("match")).toContain(
    "local is now as the models say (4 changes). No migration was written.",
  );
  expect(studio.ok("match")).toBe("local is as the models say.\n");
  studio.sql("INSERT INTO clays (name, body, shrinkage_percent) VALUES ('Toast', 'stoneware', 9)");
  studio.useModels("v2").ok("match");
  studio.sql("INSERT INTO glazes (name, food_safe, notes) VALUES ('Celadon', 1, 'Thin on rims')");
  const before = studio.dump();
  const refused = studio.useModels("v3").emberset("match");
  expect([refused.status, refused.stderr]).toEqual([
    3,
    expect.stringMatching(/^E526 [^]*1 value of glazes\.notes\n +id 1: notes 'Thin on rims'[^]*say --yes/),
  ]);
  expect(studio.dump()).toBe(before);
  // A rename that the models tell keeps its rows.
  expect(studio.ok("match", "--yes")).toContain("rename table shelves to racks");
  expect(studio.rows("SELECT name FROM clays")).toEqual([["Toast"]]);
  expect(studio.ok("status")).toContain("no migrations yet");
});

test("rows that do not fit the models stop it, and a value for them lets it go on", () => {
  const kiln = (more: string) =>
    `import { IsString } from "class-validator"; import { Stored } from "emberset"; @Stored() export class Kiln { @IsString() name!: string; ${more} }`;
  const studio = smallStudio(kiln(""));
  studio.ok("match");
  studio.sql("INSERT INTO kilns (name) VALUES ('Old'), ('New')");
  studio.write("models/all.ts", kiln("@IsString() fuel!: string;"));
  const refused = studio.emberset("match");
  expect([refused.status, refused.stderr]).toEqual([
    3,
    expect.stringMatching(/^E527 [^]*2 rows of kilns, which have no value for the required fuel/),
  ]);
  studio.ok("match", "--fill", "kilns.fuel=wood");
  expect(studio.rows("SELECT name, fuel FROM kilns")).toEqual([
    ["Old", "wood"],
    ["New", "wood"],
  ]);
});

test("a database is built again once what would go is told and agreed to, and only when all migrations run", () => {
  const studio = drafted();
  studio.ok("forward");
  studio.sql(
    "CREATE VIEW tall AS SELECT * FROM pieces; INSERT INTO clays (name, body, shrinkage_percent) VALUES ('Toast', 'stoneware', 9)",
  );
  const before = studio.dump();
  const refused = studio.emberset("rebuild");
  expect([refused.status, refused.stderr]).toEqual([
    3,
    expect.stringMatching(
      /^E526 [^]*\d+ rows? of clays[^]*view tall\n[^]*the record of what ran: 0001-first-tables/,
    ),
  ]);
  expect(studio.dump()).toBe(before);
  const script = "migrations/0002-glazes/forward.sqlite.sql";
  const text = studio.read(script);
  studio.write(script, `${text}INSERT INTO nowhere VALUES (1);\n`);
  expect(studio.emberset("rebuild", "--yes").stderr).toMatch(/^E405 [^]*nowhere/);
  expect(studio.dump()).toBe(before);
  studio.write(script, text);
  expect(studio.ok("rebuild", "--yes")).toContain("local is built again: 2 migrations ran.");
  expect(studio.rows("SELECT count(*) FROM clays")).toEqual([[0]]);
  expect(studio.ok("status", "--strict")).toContain("2 run · 0 pending · no drift");
});

test("neither runs on a guarded target, whatever is said", () => {
  const studio = kilnHouse();
  studio.write("emberset.config.ts", CONFIG(`, live: { dialect: "sqlite", file: "live.db", guarded: true }`));
  for (const command of ["match", "rebuild"])
    for (const more of [[], ["--yes"]]) {
      const { status, stderr } = studio.emberset(command, "--target", "live", ...more);
      expect([status, stderr]).toEqual([3, expect.stringMatching(/^E525 /)]);
    }
  expect(existsSync(studio.path("live.db"))).toBe(false);
});

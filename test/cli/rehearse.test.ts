import { appendFileSync, existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "vitest";
import type { RehearseResult } from "../../src/tasks/rehearse.js";
import { kilnHouse, KILN_HOUSE, smallStudio, type Studio } from "./studio.js";

const rehearse = (studio: Studio, ...args: string[]) => studio.json<RehearseResult>("rehearse", ...args);

test("the co-operative's three migrations are proven, and what going back cannot bring is said", () => {
  const studio = kilnHouse();
  studio.ok("draft", "first");
  studio.useModels("v2").ok("draft", "second");
  studio.useModels("v3").ok("draft", "third");
  const result = rehearse(studio);
  expect(result).toMatchObject({
    proven: true,
    where: "a scratch file",
    builtWhole: { from: "models", differences: [] },
  });
  expect(result.migrations.map(({ steps }) => steps.map(({ step }) => step))).toEqual(
    Array.from({ length: 3 }, () => ["forward", "back", "forward again"]),
  );
  expect(result.migrations.map(({ rows }) => rows)).toEqual([0, 80, 160]);
  expect(result.migrations.flatMap(({ steps }) => steps.map(({ dropped }) => dropped.length))).toEqual([
    0, 0, 0, 0, 0, 0, 0, 0, 0,
  ]);
  expect(result.migrations.flatMap(({ emptyTables }) => emptyTables)).toEqual([]);
  // What ran already is taken for granted, and the target's own rows are not touched.
  studio.ok("forward", "--to", "2");
  const dump = studio.dump();
  expect(rehearse(studio, "--rows", "3").migrations.map(({ name, rows }) => [name, rows])).toEqual([
    ["0003-third", 24],
  ]);
  expect(studio.dump()).toBe(dump);
  expect(studio.ok("rehearse")).toMatch(/0003-third +forward +as recorded[^]*✓ proven/);
});

const PIECE = (more = "") => `import { IsIn, IsInt, IsOptional, IsString, MaxLength } from "class-validator";
import { Field, Stamp, Stored } from "emberset";
@Stored() export class Piece {
  @IsString() @MaxLength(20) title!: string;
  @IsInt() price!: number;
  @Stamp("updated") updatedAt!: Date;
  ${more}
}
`;

test("a script written by hand is found out when it does not go back, or does more than is recorded", () => {
  const studio = smallStudio(PIECE());
  studio.ok("draft", "pieces");
  expect(studio.ok("draft", "--blank", "dearer")).toContain("to be filled in");
  const script = (direction: string) => studio.path(`migrations/0002-dearer/${direction}.sqlite.sql`);
  expect(rehearse(studio).proven).toBe(true);

  appendFileSync(script("forward"), "UPDATE pieces SET price = price + 100;\n");
  const oneWay = studio.emberset("rehearse");
  expect(oneWay.status).toBe(3);
  expect(oneWay.stdout).toMatch(/back, rows +pieces: price[^]*not proven/);

  appendFileSync(script("back"), "UPDATE pieces SET price = price - 100;\n");
  const both = rehearse(studio);
  expect([both.sound, both.proven, both.exceptions]).toEqual([
    true,
    false,
    ["0002-dearer goes back but for pieces.updated_at"],
  ]);
  expect(studio.ok("rehearse")).not.toContain(" proven: ");

  appendFileSync(script("forward"), "CREATE INDEX sly ON pieces (price);\n");
  expect(studio.emberset("rehearse").stdout).toMatch(/forward, schema +add index sly on pieces/);
  appendFileSync(script("forward"), "UPDATE nowhere SET a = 1;\n");
  const failing = rehearse(studio).migrations[1]!.steps;
  expect(failing.map(({ problem }) => problem?.code)).toEqual(["E405"]);
  expect(existsSync(studio.path("kiln-house.db"))).toBe(false);
});

test("made-up rows are not in the way; what would be is told, and what a fill does", () => {
  const studio = smallStudio(
    PIECE("@IsOptional() @IsString() shelf?: string; @IsIn(['a', 'b', 'c']) kind!: string;"),
  );
  studio.ok("draft", "pieces");
  studio.write("models/all.ts", PIECE("@IsString() shelf!: string; @IsIn(['c']) kind!: string;"));
  studio.ok("draft", "shelves");
  const { proven, migrations } = rehearse(studio);
  expect([proven, migrations[1]!.rows > 0, migrations[1]!.filled]).toEqual([true, true, []]);
  expect(migrations[1]!.avoided).toEqual([
    "rows of pieces without a shelf; a `fill` would give them one",
    "rows of pieces that break ck_pieces_kind",
  ]);
  expect(studio.ok("rehearse")).toMatch(/would be stopped by these[^]*without a shelf; a `fill`/);
  studio.ok("amend", "--fill", "pieces.shelf=floor");
  const filled = rehearse(studio);
  expect(filled.proven).toBe(true);
  expect(filled.migrations[1]!.filled.join()).toMatch(/^\d+ rows of pieces without a shelf, which get one$/);
  expect(smallStudio(PIECE()).ok("rehearse")).toContain("There are no migrations to rehearse");
});

test("rows keep to a check that compares two columns, whichever way it is said", () => {
  for (const holds of ["{last} > {first}", "{first} < {last}", "({last} >= {first})"]) {
    const checks = JSON.stringify({ checks: { in_order: holds } });
    const fields = "@IsInt() first!: number; @IsInt() last!: number;";
    const model = PIECE(fields).replace("@Stored<Piece>()", `@Stored<Piece>(${checks})`);
    const studio = smallStudio(model);
    studio.ok("draft", "pieces");
    studio.write(
      "models/all.ts",
      model.replace("last!: number;", "last!: number; @IsOptional() @IsInt() more?: number;"),
    );
    studio.ok("draft", "more");
    const { proven, migrations } = rehearse(studio);
    expect([proven, migrations[1]!.emptyTables, migrations[1]!.rows > 1], holds).toEqual([true, [], true]);
  }
});

test("made-up texts that are to become numbers are such, so that the conversion can be proven", () => {
  const studio = smallStudio(PIECE("@IsString() @MaxLength(10) cone!: string;"));
  studio.ok("draft", "pieces");
  studio.write("models/all.ts", PIECE("@IsInt() cone!: number;"));
  expect(studio.ok("draft", "cones")).toMatch(/A319 +pieces\.cone[^]*convert/);
  expect(rehearse(studio).proven).toBe(true);
});

test("rows of a target are rehearsed with instead of made-up ones; the target is only read", () => {
  const studio = kilnHouse();
  studio.ok("draft", "first");
  studio.ok("forward");
  studio.sql(readFileSync(join(KILN_HOUSE, "rows-v1.sql"), "utf8"));
  studio.useModels("v2").ok("draft", "second");
  const dump = studio.dump();
  const some = rehearse(studio, "--from-target", "local", "--sample", "2");
  expect(some).toMatchObject({ proven: true, sample: { target: "local" } });
  const all = rehearse(studio, "--from-target", "local");
  expect(all.sample!.rows).toBeGreaterThan(some.sample!.rows);
  expect(all.migrations[0]!.rows).toBe(all.sample!.rows);
  expect(studio.dump()).toBe(dump);
  // Values that a made-up row would hardly have stand in the way.
  studio.sql("UPDATE pieces SET potter_id = 1, title = 'Tea bowl' WHERE id IN (3, 4)");
  expect(rehearse(studio, "--from-target", "local").migrations[0]!.steps[0]!.problem?.code).toBe("E502");
});

test("what a script changed by hand really does is written down", () => {
  const studio = smallStudio(PIECE());
  studio.ok("draft", "pieces");
  studio.ok("draft", "--blank", "by hand");
  const script = (direction: string) => studio.path(`migrations/0002-by-hand/${direction}.sqlite.sql`);
  appendFileSync(script("forward"), "CREATE INDEX sly ON pieces (price);\n");
  const record = (...args: string[]) => studio.emberset("rehearse", "--record", ...args);
  expect([record().status, studio.read("migrations/0002-by-hand/migration.json")]).toEqual([
    3,
    expect.stringContaining('"name":"sly"'),
  ]);
  appendFileSync(script("back"), "DROP INDEX sly;\n");
  expect(rehearse(studio)).toMatchObject({ proven: true, builtWhole: { from: "history" } });
  expect(studio.ok("compare")).toMatch(/pieces\n +\S drop index sly/);
  studio.ok("draft", "away with it");
  appendFileSync(script("forward"), "CREATE INDEX slier ON pieces (title);\n");
  expect(record().stderr).toMatch(/^E121 [^]*0003-away-with-it/);
  expect(studio.emberset("rehearse", "--sample", "3").stderr).toMatch(/^E100 --sample needs/);
  expect(studio.emberset("rehearse", "--from-target", "nowhere").stderr).toMatch(/^E104/);
});

import { afterAll, describe, expect, test } from "vitest";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { kilnHouse, smallStudio, Studio } from "./studio.js";

const engines = { SQLite: undefined, PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };

const TABLES = "clays kilns potters firings glazes racks pieces pieces_glazes remarks".split(" ");

describe.each(Object.entries(engines))("on %s", (title, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine ?? title === "SQLite")(
    "sample rows keep to every rule of the demo, are the same for the same seed, and come in reference order",
    async () => {
      const studio = engine
        ? new Studio({
            "emberset.config.ts": `export default { targets: { local: { dialect: "${engine.dialect.name}", url: "${engine.url}" } } };\n`,
          })
        : kilnHouse();
      studio.useModels("v3");
      for (const file of ["piece", "rack"])
        studio.write(
          `models/${file}.ts`,
          studio.read(`models/${file}.ts`).replace(/,? ?was: "[a-z_A-Z]+",? ?/g, ""),
        );
      studio.ok("draft", "all");
      const rows = async () => {
        const all: unknown[] = [];
        for (const table of TABLES) {
          const query = `SELECT * FROM ${table} ORDER BY 1, 2`;
          all.push(await (engine ? engine.rows(query) : studio.rows(query)));
        }
        return all;
      };
      const filled = async (...args: string[]) => {
        studio.ok("forward");
        const { tables } = studio.json<{ tables: { table: string; rows: number; refused?: unknown }[] }>(
          "fill",
          ...args,
        );
        expect(tables.filter(({ refused }) => refused)).toEqual([]);
        expect(tables.map(({ table }) => table).sort()).toEqual([...TABLES].sort());
        const held = await rows();
        studio.ok("back", "--yes");
        return held;
      };
      const first = await filled("--rows", "40", "--rows", "pieces=90");
      expect(first.map(each => (each as unknown[]).length)).toEqual([40, 40, 40, 40, 40, 40, 90, 40, 40]);
      expect(await filled("--rows", "40", "--rows", "pieces=90")).toEqual(first);
      expect(await filled("--rows", "40", "--rows", "pieces=90", "--seed", "2")).not.toEqual(first);
    },
  );
});

test("rows that are there are left alone unless more is asked for; a guarded target wants its name", () => {
  const studio = kilnHouse();
  studio.ok("draft", "first");
  studio.ok("forward");
  studio.ok("fill", "--rows", "5");
  const { tables } = studio.json<{ tables: { first: { id: number }[] }[] }>(
    "describe",
    "kilns",
    "--rows",
    "2",
  );
  expect(tables[0]!.first.map(({ id }) => id)).toEqual([1, 2]);
  // Each is told once, whatever its capitals.
  const several = studio.ok("describe", "KILNS", "potters", "kilns", "--rows", "1");
  expect(several.match(/^\w+(?= · \d+ rows$)/gm)).toEqual(["kilns", "potters"]);
  expect(studio.ok("describe", "kilns", "--rows", "1")).toMatch(/\n +id {2}name .*\n +1 {2}\S/);
  const before = studio.dump();
  expect(studio.ok("fill")).toContain("left alone, since they have rows: clays, kilns, potters, pieces");
  expect(studio.dump()).toBe(before);
  studio.ok("fill", "--rows", "3", "--more", "--seed", "2");
  expect(studio.rows("SELECT count(*) FROM pieces")).toEqual([[8]]);
  studio.write(
    "emberset.config.ts",
    studio
      .read("emberset.config.ts")
      .replace('file: "kiln-house.db"', 'file: "kiln-house.db", guarded: true'),
  );
  const { status, stderr } = studio.emberset("fill", "--more", "--yes");
  expect([status, stderr]).toEqual([3, expect.stringMatching(/^E135 /)]);
  expect(studio.ok("fill", "--more", "--rows", "1", "--confirm", "local")).toContain("4 rows put into local");
});

const RULED = `import { IsInt, IsString, Matches, MaxLength } from "class-validator";
import { Field, RefersTo, Stored } from "emberset";
@Stored<Kiln>({ checks: { by_seven: "{litres} % 7 = 0" } })
export class Kiln { @IsInt() litres!: number; @IsString() @MaxLength(9) @Matches(/^[A-Z]{2}-\\d{3}$/) @Field({ unique: true }) code!: string; }
@Stored<Shelf>({ checks: { never: "{depth} < {depth} - 1" } })
export class Shelf { @IsInt() depth!: number; }
@Stored() export class Log { @RefersTo(() => Kiln) kiln!: Kiln; @Field({ type: "date" }) openedOn!: Date; @Field({ type: "date" }) closedOn!: Date; }
`;

test("rules in SQL are met by trying, and what cannot be met is named", () => {
  const studio = smallStudio(RULED);
  studio.ok("draft", "first");
  studio.ok("forward");
  const out = studio.ok("fill", "--rows", "30");
  expect(out).toMatch(/kilns +30 rows/);
  expect(out).toMatch(/shelves +0 rows +30 could not be made up: CHECK constraint failed: ck_shelves_never/);
  expect(studio.rows("SELECT count(*), count(DISTINCT code), sum(litres % 7 <> 0) FROM kilns")).toEqual([
    [30, 30, 0],
  ]);
  expect(studio.rows("SELECT count(*) FROM logs WHERE opened_on > closed_on")).toEqual([[0]]);
  expect(studio.rows("SELECT count(DISTINCT kiln_id) < 25 FROM logs")).toEqual([[1]]);
});

test("rows of files: what is wrong is told by file, line and column, and all or nothing is put in", () => {
  const studio = smallStudio(RULED);
  studio.ok("draft", "first");
  studio.ok("forward");
  studio.write("rows/kilns.csv", 'id,litres,code\n1,70,AB-123\n2,7x,AB-124\n3,14,"ab-1"\n4,28,\n');
  studio.write(
    "rows/logs.json",
    JSON.stringify([{ kiln_id: 1, opened_on: "2026-02-30", closed_on: "2026-03-01" }, { kiln: 1 }]),
  );
  const wrong = studio.emberset("fill", "--from", "rows");
  expect(wrong.status).toBe(2);
  for (const words of [
    'kilns.csv:3, litres: it is to be an integer; received "7x"',
    'kilns.csv:4, code: code matches /^[A-Z]{2}-\\d{3}$/; received "ab-1"',
    "kilns.csv:5, code: code matches",
    'logs.json, row 1, opened_on: write a day such as "2026-03-04"; received "2026-02-30"',
    "logs.json, row 2, kiln: logs has no such column",
    "logs.json, row 2, kiln_id: it is required, and not given",
  ])
    expect(wrong.stderr).toContain(words);
  studio.write("rows/kilns.csv", "id,litres,code\n1,70,AB-123\n2,7,AB-123\n3,15,AB-125\n");
  studio.write(
    "rows/logs.json",
    JSON.stringify([{ kiln_id: 9, opened_on: "2026-02-20", closed_on: "2026-03-01" }]),
  );
  const refused = studio.emberset("fill", "--from", "rows");
  expect(refused.stderr).toMatch(
    /^E134 [^]*kilns\.csv:3: UNIQUE constraint failed: kilns\.code[^]*kilns\.csv:4: CHECK constraint failed: ck_kilns_by_seven[^]*logs\.json, row 1: FOREIGN KEY/,
  );
  expect(studio.rows("SELECT count(*) FROM kilns")).toEqual([[0]]);
  studio.write("rows/kilns.csv", "id,litres,code\n1,70,AB-123\n9,7,AB-124\n");
  expect(studio.ok("fill", "--from", "rows")).toContain("3 rows put into local");
  expect(studio.rows("SELECT * FROM logs")).toEqual([[1, 9, "2026-02-20", "2026-03-01"]]);
  expect(studio.emberset("fill", "--from", "nowhere").stderr).toMatch(/^E119 |^E1/);
});

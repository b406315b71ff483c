import { spawnSync } from "node:child_process";
import { Ajv2020, type ValidateFunction } from "ajv/dist/2020.js";
import { describe, expect, test } from "vitest";
import { drafted, kilnHouse, Studio } from "./studio.js";

const sorted = (text: string) => text.trim().split(/\r?\n/).sort();

test("the outline that is exported is the one that sketch reads: there and back without loss", () => {
  const studio = drafted();
  const outline = studio.ok("export", "--as", "csv");
  const other = new Studio({ "emberset.config.ts": studio.read("emberset.config.ts"), "a.csv": outline });
  other.ok("sketch", "--outline", "a.csv");
  expect(sorted(other.ok("export", "--as", "csv"))).toEqual(sorted(outline));
  expect(outline).toContain("pieces,potter,,potters,\r\n");
});

test("all of the schema as one script makes what the migrations made", () => {
  const studio = kilnHouse();
  studio.ok("draft", "first");
  studio.ok("forward");
  studio.ok("export", "--as", "sql", "--out", "all.sql");
  spawnSync("sqlite3", [studio.path("other.db")], { input: studio.read("all.sql") });
  const made = (file: string) =>
    studio.rows(
      "SELECT type, name, sql FROM sqlite_schema WHERE name NOT LIKE 'emberset%' AND name NOT LIKE 'sqlite%' AND type <> 'table' ORDER BY name",
      file,
    );
  expect(made("other.db")).toEqual(made("kiln-house.db"));
  const columns = (file: string) =>
    studio.rows(
      "SELECT m.name, p.* FROM sqlite_schema AS m, pragma_table_xinfo(m.name) AS p WHERE m.type = 'table' AND m.name NOT LIKE 'emberset%' AND m.name NOT LIKE 'sqlite%' ORDER BY 1, 2",
      file,
    );
  expect(columns("other.db")).toEqual(columns("kiln-house.db"));
});

test("the data dictionary says what each column is, and names mean nothing to Markdown", () => {
  const studio = kilnHouse();
  studio.write(
    "models/odd.ts",
    `import { IsString, MaxLength } from "class-validator";
import { Field, Stored } from "emberset";
@Stored({ table: "odd|<b>table</b>", note: "A *note*" })
export class Odd { @IsString() @MaxLength(9) @Field({ note: "a | b", unique: true }) name!: string; }`,
  );
  const text = studio.ok("export", "--as", "markdown");
  expect(text).toContain("## odd\\|\\<b\\>table\\</b\\>\n\nA \\*note\\*\n");
  expect(text).toContain("| name | varchar(9) | yes |  | a \\| b; unique");
  expect(text).toMatch(/\| potter\\_id \| integer \| yes \| \[potters\]\(#potters\) \|/);
  expect(text).toContain("- Referred to by pieces (potter\\_id), on delete restrict");
});

describe("as JSON Schema", () => {
  const withMugs = () => {
    const studio = kilnHouse();
    studio.write(
      "models/mug.ts",
      `import { IsIn, IsInt, IsOptional, IsString, MaxLength, Min } from "class-validator";
import { Field, Inline, RefersTo, RefersToAny, Stored } from "emberset";
import { Clay } from "./clay.js";
import { Potter } from "./potter.js";
export class Size { @IsInt() @Min(1) height!: number; @IsOptional() @IsInt() width?: number; }
@Stored()
export class Mug {
  @IsString() @MaxLength(9) @Field({ note: "What it is called" }) title!: string;
  @IsIn(["wet", "dry"]) @Field({ default: "wet" }) stage!: string;
  @IsOptional() @Inline(() => Size) size?: Size;
  @RefersTo(() => Potter) potter!: Potter;
  @RefersToAny(() => [Potter, Clay]) subject!: Potter | Clay;
}`,
    );
    return studio;
  };
  const mug = { title: "Cup", stage: "dry", potter: 1, subject: { Clay: 2 } };
  const judge = (text: string, place: string): ValidateFunction => {
    const ajv = new Ajv2020({ strict: false, validateFormats: false });
    ajv.addSchema(JSON.parse(text) as object, "made");
    return ajv.getSchema(`made#/${place}`)!;
  };

  test.each([
    ["json-schema", "$defs/Mug"],
    ["openapi", "components/schemas/Mug"],
  ])("objects of a class are judged, in %s", (as, place) => {
    const says = judge(withMugs().ok("export", "--as", as), place);
    const cases: readonly (readonly [boolean, Readonly<Record<string, unknown>>])[] = [
      [true, {}],
      [true, { size: null }],
      [true, { size: { height: 3 } }],
      [false, { size: { width: 3 } }],
      [false, { size: { height: 0 } }],
      [false, { title: undefined }],
      [false, { title: "Ten letters" }],
      [false, { stage: "gone" }],
      [false, { potter: "Ada" }],
      [false, { subject: {} }],
      [false, { subject: { Clay: 2, Potter: 1 } }],
    ];
    for (const [valid, differing] of cases)
      expect([differing, says({ ...mug, ...differing })]).toEqual([differing, valid]);
    expect(says.schema).toMatchObject({ properties: { title: { description: "What it is called" } } });
  });

  test("rows are judged by their columns where no class is known", () => {
    const studio = withMugs();
    studio.ok("draft", "first");
    const says = judge(studio.ok("export", "--as", "json-schema", "--from", "history"), "$defs/mugs");
    const row = { title: "Cup", potter_id: 1, subject_clay_id: 2, size_height: 3 };
    expect(says(row)).toBe(true);
    expect(says({ ...row, subject_potter_id: 1 })).toBe(false);
    expect(says({ ...row, size_height: null, size_width: 2 })).toBe(false);
    expect(says({ ...row, title: null })).toBe(false);
  });
});

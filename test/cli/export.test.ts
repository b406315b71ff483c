import { spawnSync } from "node:child_process";
import { expect, test } from "vitest";
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

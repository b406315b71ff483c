import { expect, test } from "vitest";
import { compileStrictly, smallStudio } from "./studio.js";

const POTTER = `import { IsString } from "class-validator";
import { Stored } from "emberset";
@Stored() export class Potter { @IsString() name!: string; }
`;

test("phrases become a class and its other end; again, nothing that is there changes", () => {
  const studio = smallStudio(POTTER);
  studio.ok(
    "sketch",
    "Piece",
    "title varchar(80) unique",
    "weight integer null check (weight <> title)",
    "potter references Potter on delete cascade",
  );
  const piece = studio.read("models/piece.ts");
  expect(piece).toContain('@Stored<Piece>({ checks: { weight_rule: "{weight} <> {title}" } })');
  expect(piece).toContain('@RefersTo(() => Potter, { onDelete: "cascade" }) potter!: Potter;');
  expect(compileStrictly(studio)).toBe("");
  expect(studio.ok("check")).toContain("2 entities in 2 files, 2 tables");
  studio.write("models/piece.ts", piece.replace("MaxLength(80)", "MaxLength(60)"));
  const edited = studio.read("models/piece.ts");
  const again = studio.json<{ written: string[]; entities: { kept: string[] }[] }>(
    "sketch",
    "Piece",
    "title varchar(80) unique",
    "potter references Potter",
  );
  expect([again.written, again.entities[0]!.kept]).toEqual([[], ["title", "potter"]]);
  expect(studio.read("models/piece.ts")).toBe(edited);
  studio.ok("draft", "pieces");
  studio.ok("forward");
  expect(studio.ok("describe", "pieces")).toContain("→ potters.id");
  expect(studio.ok("export", "--as", "row-types", "--out", studio.path("rows.ts"))).toContain(
    "2 tables, for sqlite",
  );
  expect(studio.read("rows.ts")).toContain(
    "export interface PieceRow {\n  id: number;\n  title: string;\n  weight: number | null;\n  potter_id: number;\n}",
  );
  expect(studio.ok("export", "--as", "row-types", "--from", "target:local")).toContain("interface PieceRow");
});

test("an outline from a spreadsheet becomes classes in one go, with what comes by itself left to the database", () => {
  const studio = smallStudio(POTTER);
  studio.write(
    "outline.csv",
    [
      "Table;Field;Type;Refers to;Note",
      "kiln_logs;id;auto;;",
      ";kiln_id;integer;kilns;Where",
      ';peak;"int check (peak between 600 and 1400)";;"Degrees; Celsius"',
      ";created_at;;;",
      "kilns;;;;Where pots become hard",
      ";name;varchar(40) unique;;",
      ";keeper;null;Potter;",
    ].join("\r\n"),
  );
  const { written } = studio.json<{ written: string[] }>("sketch", "--outline", "outline.csv");
  expect(written.sort()).toEqual(["models/all.ts", "models/kiln-log.ts", "models/kiln.ts"]);
  expect(studio.read("models/kiln-log.ts")).toMatchInlineSnapshot(`
    "import { IsInt, Max, Min } from "class-validator";
    import { Field, RefersTo, Stamp, Stored } from "emberset";
    import { Kiln } from "./kiln.js";

    @Stored<KilnLog>()
    export class KilnLog {
      @RefersTo(() => Kiln) @Field({ note: "Where" }) kiln!: Kiln;
      @IsInt() @Min(600) @Max(1400) @Field({ note: "Degrees; Celsius" }) peak!: number;
      @Stamp("created") createdAt!: Date;
    }
    "
  `);
  expect(studio.read("models/kiln.ts")).toMatchInlineSnapshot(`
    "import { IsOptional, IsString, MaxLength } from "class-validator";
    import { Field, ReferredBy, RefersTo, Stored } from "emberset";
    import { Potter } from "./all.js";
    import { KilnLog } from "./kiln-log.js";

    @Stored<Kiln>({ note: "Where pots become hard" })
    export class Kiln {
      @IsString() @MaxLength(40) @Field({ unique: true }) name!: string;
      @IsOptional() @RefersTo(() => Potter) keeper?: Potter;
      @ReferredBy(() => KilnLog, "kiln") kilnLogs!: KilnLog[];
    }
    "
  `);
  expect(compileStrictly(studio)).toBe("");
  studio.ok("draft", "kilns");
  studio.ok("forward");
  const before = studio.read("models/kiln.ts");
  studio.write("outline.csv", "table,field,type\nkilns,a,strng\nkilns,b,int nope\n");
  const { status, stderr } = studio.emberset("sketch", "--outline", "outline.csv");
  expect(status).toBe(2);
  expect(stderr).toMatch(/E115[^]*row 2, kilns\.a: "strng" is not a type[^]*row 3, kilns\.b: "nope"/);
  expect(studio.read("models/kiln.ts")).toBe(before);
});

import { expect, test } from "vitest";
import { fieldLine } from "../../src/core/model/sketch/class-text.js";
import { readSource } from "../../src/core/model/read/source-classes.js";
import { addLines } from "../../src/core/model/sketch/edit.js";
import { PhraseFault, readPhrase } from "../../src/core/model/sketch/phrase.js";

test.each([
  ["title varchar(80) unique", "@IsString() @MaxLength(80) @Field({ unique: true }) title!: string;"],
  ["title", "@IsString() title!: string;"],
  ["tower_height int not null", "@IsInt() towerHeight!: number;"],
  ["weight integer null check (weight > 0)", "@IsOptional() @IsInt() @IsPositive() weight?: number;"],
  ["peak int check (peak between 600 and 1400)", "@IsInt() @Min(600) @Max(1400) peak!: number;"],
  [
    "seen bigint default -1 index",
    '@IsInt() @Field({ type: "bigint", index: true, default: -1 }) seen!: number;',
  ],
  ["price decimal(18,2)", "@IsNumber({ maxDecimalPlaces: 2 }) price!: number;"],
  [
    "price numeric(10,2) default 0.5",
    '@IsNumber({ maxDecimalPlaces: 2 }) @Field({ type: "decimal(10,2)", default: 0.5 }) price!: number;',
  ],
  ["ratio double precision", "@IsNumber() ratio!: number;"],
  ["sold bool default false", "@IsBoolean() @Field({ default: false }) sold!: boolean;"],
  [
    "stage varchar(20) in ('raw', 'it''s') default 'raw'",
    '@IsIn(["raw", "it\'s"]) @Field({ type: "varchar(20)", default: "raw" }) stage!: "raw" | "it\'s";',
  ],
  ["cone int check (cone IN (6, 10))", "@IsIn([6, 10]) cone!: 6 | 10;"],
  ["cone in (6, 10)", "@IsIn([6, 10]) cone!: 6 | 10;"],
  ["made_on date null", '@IsOptional() @Field({ type: "date" }) madeOn?: Date;'],
  ["fired_at timestamp with time zone", "@IsDate() firedAt!: Date;"],
  ["created_at timestamptz", '@Stamp("created") createdAt!: Date;'],
  ["updated_at", '@Stamp("updated") updatedAt!: Date;'],
  ["noted timestamp default now()", '@Stamp("created") noted!: Date;'],
  ["id uuid primary key", '@Key({ generate: "uuid" }) id!: string;'],
  ["code char(3) primary key", '@IsString() @MaxLength(3) @Key() @Field({ type: "char(3)" }) code!: string;'],
  [
    "token uuid default gen_random_uuid()",
    '@IsUUID() @Field({ default: sql("gen_random_uuid()") }) token!: string;',
  ],
  ["data json comment 'As sent'", '@Field({ type: "json", note: "As sent" }) data!: unknown;'],
  ["potter references Potter", "@RefersTo(() => Potter) potter!: Potter;"],
  [
    "potter_id integer null references potters(id) on delete set null",
    '@IsOptional() @RefersTo(() => Potter, { onDelete: "set null" }) potter?: Potter;',
  ],
  ["lid references Potter unique", "@RefersTo(() => Potter) @Field({ unique: true }) lid!: Potter;"],
  ['"odd name" text', "@IsString() oddName!: string;"],
  ["id", undefined],
  ["id serial primary key", undefined],
  ["g serial", '@Field({ generate: "serial" }) g!: number;'],
  ["n smallserial", '@Field({ type: "smallint", generate: "serial" }) n!: number;'],
  ["no serial primary key", "@Key() no!: number;"],
  ["id bigserial primary key", '@Key() @Field({ type: "bigint" }) id!: number;'],
])("%s", (phrase, line) => {
  expect(fieldLine(readPhrase(phrase), () => "Potter")?.text).toBe(line);
});

test.each([
  ["title varchr(80)", 6, "not a type"],
  ["title text unik", 11, "not known here"],
  ["title text default", 18, "default is missing"],
  ["title text on delete cascade", 11, "no reference yet"],
  ["potter references Potter on delete explode", 35, "not an action"],
  ["stage in (a, b)", 9, "list of values"],
  ["weight check (weight > 0", 24, "not closed"],
  ["", 0, "field's name"],
])("%j is refused at %i", (phrase, at, what) => {
  const fault = (() => {
    try {
      readPhrase(phrase);
      return undefined;
    } catch (error) {
      return error;
    }
  })();
  expect(fault).toBeInstanceOf(PhraseFault);
  expect([(fault as PhraseFault).at, (fault as PhraseFault).what]).toEqual([
    at,
    expect.stringContaining(what),
  ]);
});

test("lines are added to a class as a developer left it, and nothing else changes", () => {
  const source = `// A pot { on its way
import { IsString, Matches } from 'class-validator';
import { Stored } from "emberset";

@Stored<Piece>({ checks: { odd: "{a} <> '}'" } })
export class Piece {
  @IsString() @Matches(/^[}{]$/) title!: string; // }
  nested = { deep: { }, text: \`}\` };}

export class Other {}
`;
  const { classes } = readSource(source);
  expect(classes.map(({ name, decorators }) => [name, decorators])).toEqual([
    ["Piece", ["Stored"]],
    ["Other", []],
  ]);
  expect([...classes[0]!.properties.keys()]).toContain("title");
  const line = fieldLine(readPhrase("weight int"), () => "")!;
  expect(addLines(source, "Piece", [line], () => undefined)).toBe(
    source
      .replace(
        "import { IsString, Matches } from 'class-validator';",
        'import { IsInt, IsString, Matches } from "class-validator";',
      )
      .replace("text: `}` };}", "text: `}` };\n  @IsInt() weight!: number;\n}"),
  );
});

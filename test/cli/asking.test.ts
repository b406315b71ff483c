import { symlinkSync } from "node:fs";
import { join } from "node:path";
import { execFileSync } from "node:child_process";
import { describe, expect, inject, test } from "vitest";
import { drafted, smallStudio, type Studio } from "./studio.js";

const HEAD = `import { IsInt, IsOptional, IsString, MaxLength } from "class-validator";
import { Field, Key, Stamp, Stored } from "emberset";
`;
const piece = (members: string, more = "") =>
  `${HEAD}@Stored<Piece>() export class Piece {
  @IsString() @MaxLength(20) @Field({ unique: true }) title!: string;
  ${members}
}
${more}`;
const GLAZE = `@Stored() export class Glaze { @IsString() @MaxLength(20) name!: string; }`;
const ROWS = `INSERT INTO pieces (id, title, notes, weight) VALUES (1, 'Jug', 'matt', 12), (2, 'Bowl', NULL, NULL)`;
const BEFORE = piece(
  `@IsOptional() @IsString() @MaxLength(40) notes?: string;
  @IsOptional() @IsInt() weight?: number;`,
  GLAZE,
);

/** Ways to lose what rows hold, each with the models that make it, and how many values it befalls. */
const LOSSES: readonly [what: string, models: string, count: number][] = [
  ["a column that goes", piece("@IsOptional() @IsInt() weight?: number;", GLAZE), 1],
  [
    "a table that goes",
    piece(`@IsOptional() @IsString() @MaxLength(40) notes?: string;
  @IsOptional() @IsInt() weight?: number;`),
    1,
  ],
  [
    "values that are converted",
    piece(
      `@IsOptional() @IsString() @MaxLength(40) notes?: string;
  @IsOptional() @IsString() @MaxLength(9) @Field({ convert: "'about ' || {weight}", convertBack: "NULL" }) weight?: string;`,
      GLAZE,
    ),
    1,
  ],
  [
    "nulls that something takes the place of",
    piece(
      `@IsOptional() @IsString() @MaxLength(40) notes?: string;
  @IsInt() @Field({ fill: 0 }) weight!: number;`,
      GLAZE,
    ),
    1,
  ],
  [
    "values that are worked out from now on",
    piece(
      `@IsOptional() @IsString() @MaxLength(40) @Field({ computed: "upper({title})" }) notes?: string;
  @IsOptional() @IsInt() weight?: number;`,
      GLAZE,
    ),
    1,
  ],
];

interface Refusal {
  readonly error: { readonly code: string; readonly details?: readonly string[]; readonly repair: string };
}

function withRows(): Studio {
  const studio = smallStudio(BEFORE);
  studio.ok("draft", "pieces");
  studio.ok("forward");
  studio.sql(`${ROWS}; INSERT INTO glazes (id, name) VALUES (1, 'celadon')`);
  return studio;
}

describe("forward asks before", () => {
  test.each(LOSSES)(
    "%s, where nothing of it is kept, and not where the attic keeps it",
    (_, models, count) => {
      const studio = withRows();
      studio.write("models/all.ts", models).ok("draft", "less", "--lose");
      const before = studio.dump();
      const { error } = studio.json<Refusal>("forward");
      expect(error.code).toBe("E503");
      expect(error.repair).toContain("--yes");
      expect(error.details?.join("\n")).toMatch(new RegExp(`^${count} (?:row|value)s? `));
      expect(studio.dump()).toBe(before);
      expect(studio.ok("forward", "--yes")).toContain("→");

      const keeping = withRows();
      keeping.write("models/all.ts", models).ok("draft", "less");
      const was = keeping.rows("SELECT * FROM pieces ORDER BY id");
      keeping.ok("forward");
      keeping.ok("back", "--yes");
      expect(keeping.rows("SELECT * FROM pieces ORDER BY id")).toEqual(was);
      expect(keeping.rows("SELECT * FROM glazes")).toEqual([[1, "celadon"]]);
    },
  );

  test("nothing, where no row has what goes", () => {
    const studio = withRows();
    studio.sql("UPDATE pieces SET notes = NULL");
    studio.write("models/all.ts", LOSSES[0]![1]).ok("draft", "less", "--lose");
    expect(studio.ok("forward")).toContain("→");
  });
});

describe("a program that calls emberset/tasks", () => {
  /** What is asked for, and what the command line is asked for the same. */
  const FAULTS: readonly [code: string, call: string, command: readonly string[]][] = [
    ["E104", `forward({ target: "nowhere" })`, ["forward", "--target", "nowhere"]],
    ["E108", `back({ to: 99 })`, ["back", "--to", "99"]],
    ["E107", `describe({ table: "vases" })`, ["describe", "vases"]],
    ["E305", `draft({ title: "!" })`, ["draft", "!"]],
    ["E118", `draft({ title: "less", fills: ["nothing"] })`, ["draft", "less", "--fill", "nothing"]],
    ["E110", `draft({ title: "less", renames: ["nothing"] })`, ["draft", "less", "--rename", "nothing"]],
    ["E512", `restoreFromAttic({ number: 1 })`, ["attic", "restore", "1"]],
  ];

  test("is told what is wrong without a word of the command line, which adds its own", () => {
    const studio = drafted();
    symlinkSync(join(inject("installed"), "node_modules"), studio.path("node_modules"));
    const names = [...new Set(FAULTS.map(([, call]) => call.split("(")[0]))].join(", ");
    studio.write(
      "ask.mjs",
      `import { ${names} } from "emberset/tasks";
const asked = [];
for (const ask of [${FAULTS.map(([, call]) => `() => ${call}`).join(", ")}])
  asked.push(await ask().then(() => null, ({ code, words }) => ({ code, words })));
console.log(JSON.stringify(asked));
`,
    );
    const told = JSON.parse(
      execFileSync(process.execPath, ["ask.mjs"], { cwd: studio.folder, encoding: "utf8" }),
    ) as {
      code: string;
      words: Record<string, unknown>;
    }[];
    expect(told.map(each => each?.code)).toEqual(FAULTS.map(([code]) => code));
    for (const { words } of told) expect(JSON.stringify(words)).not.toMatch(/--[a-z]/);
    const commands = FAULTS.map(([, , command]) => studio.json<Refusal>(...command).error);
    expect(commands.map(({ code }) => code)).toEqual(FAULTS.map(([code]) => code));
    for (const { repair } of commands) expect(repair).not.toBe("");
    expect(commands.filter(error => /--[a-z]|`emberset /.test(JSON.stringify(error))).length).toBeGreaterThan(
      3,
    );
  });
});

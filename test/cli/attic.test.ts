import { afterAll, beforeEach, describe, expect, test } from "vitest";
import type { AtticResult } from "../../src/tasks/attic.js";
import type { RehearseResult } from "../../src/tasks/rehearse.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { smallStudio, Studio } from "./studio.js";

const POTTER = `@Stored() export class Potter { @IsString() @MaxLength(80) name!: string; }
`;
const SHELF = `@Stored() export class Shelf { @IsString() @MaxLength(20) label!: string; @RefersTo(() => Potter) potter!: Potter; }
`;
const models = (
  piece: string,
  more = SHELF,
) => `import { IsInt, IsOptional, IsString, MaxLength, Min } from "class-validator";
import { Field, Key, RefersTo, Stored } from "emberset";
${POTTER}${more}@Stored<Piece>() export class Piece {
  @IsString() @MaxLength(80) title!: string;
  ${piece}
}
`;
const BEFORE = models(`@IsOptional() @IsString() notes?: string;
  @IsOptional() @IsString() @MaxLength(20) price?: string;
  @IsOptional() @IsString() @MaxLength(20) stage?: string;`);
/** The notes and the shelves are gone, prices are cents, and every piece has a stage. */
const AFTER = models(
  `@IsOptional() @IsInt() @Min(0) @Field({
    convert: { sqlite: "round(100 * {price})", postgres: "round(100 * {price}::numeric)", mariadb: "round(100 * {price})" },
    convertBack: { sqlite: "printf('%.2f', {price} / 100.0)", postgres: "round({price} / 100.0, 2)", mariadb: "round({price} / 100, 2)" },
  }) price?: number;
  @IsString() @MaxLength(20) @Field({ fill: "raw" }) stage!: string;`,
  "",
);
const ROWS = `INSERT INTO potters (id, name) VALUES (1, 'Ada');
INSERT INTO shelves (id, label, potter_id) VALUES (1, 'top', 1), (2, 'low', 1);
INSERT INTO pieces (id, title, notes, price, stage) VALUES
  (1, 'Jug', 'matt', '12.50', 'fired'), (2, 'Bowl', NULL, '8.00', NULL), (3, 'Cup', 'blue', NULL, NULL)`;

const engines = { SQLite: undefined, PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };

describe.each(Object.entries(engines))("the attic on %s", (title, engine) => {
  beforeEach(() => engine?.empty());
  afterAll(() => engine?.close());

  const open = () => {
    const target = engine
      ? `{ dialect: "${engine.dialect.name}", url: "${engine.url}" }`
      : `{ dialect: "sqlite", file: "kiln-house.db" }`;
    const studio = new Studio({
      "emberset.config.ts": `export default { targets: { local: ${target} } };\n`,
      "models/all.ts": BEFORE,
    });
    const run = async (sql: string) => {
      if (!engine) return studio.sql(sql);
      for (const statement of sql.split(";\n")) await engine.run(statement);
    };
    const rows = async (table: string, columns: string) => {
      const query = `SELECT ${columns} FROM ${table} ORDER BY id`;
      return engine
        ? (await engine.rows(query)).map(row => Object.values(row))
        : (studio.rows(query) as unknown[][]);
    };
    return { studio, run, rows };
  };
  const kept = (studio: Studio) =>
    studio.json<AtticResult>("attic").entries.map(({ kind, things, rows }) => [kind, ...things, rows]);

  test.runIf(engine || title === "SQLite")(
    "what is taken away comes back, but for what was changed since",
    async () => {
      const { studio, run, rows } = open();
      studio.ok("draft", "first");
      studio.ok("forward");
      await run(ROWS);
      studio.write("models/all.ts", AFTER).ok("draft", "cents and stages");
      // Nothing is lost, so nothing is asked.
      studio.ok("forward");
      expect(await rows("pieces", "title, price, stage")).toEqual([
        ["Jug", 1250, "fired"],
        ["Bowl", 800, "raw"],
        ["Cup", null, "raw"],
      ]);
      expect(kept(studio).sort()).toEqual([
        ["columns", "pieces.notes", 3],
        ["table", "shelves", 2],
        ["values", "pieces.price", 3],
        ["values", "pieces.stage", 2],
      ]);
      const listed = studio.json<AtticResult>("attic").entries;
      expect(listed.every(({ since, bytes, comesBack }) => since && bytes !== 0 && comesBack)).toBe(true);
      expect(studio.ok("status", "--strict")).toContain("no drift");
      expect(studio.ok("describe")).not.toContain("emberset_attic");
      await run(`UPDATE pieces SET price = 990 WHERE id = 1;
INSERT INTO pieces (id, title, price, stage) VALUES (4, 'Plate', 700, 'dry')`);
      studio.ok("back");
      expect(await rows("pieces", "title, notes, price, stage")).toEqual([
        ["Jug", "matt", "9.90", "fired"],
        ["Bowl", null, "8.00", null],
        ["Cup", "blue", null, null],
        ["Plate", null, "7.00", "dry"],
      ]);
      expect(await rows("shelves", "label, potter_id")).toEqual([
        ["top", 1],
        ["low", 1],
      ]);
      expect(studio.ok("attic")).toContain("is empty");
    },
  );

  test.runIf(engine || title === "SQLite")("restore, purge, and an attic that lost its rows", async () => {
    const { studio, run, rows } = open();
    studio.ok("draft", "first");
    studio.ok("forward");
    await run(ROWS);
    studio.write("models/all.ts", AFTER).ok("draft", "cents and stages");
    studio.ok("forward");
    const fails = (...args: string[]) => {
      const { status, stderr } = studio.emberset(...args);
      return [status, stderr.slice(0, 4)];
    };
    expect(fails("attic", "restore", "2", "pieces.notes")).toEqual([3, "E514"]);
    expect(fails("attic", "restore", "2", "pieces.colour")).toEqual([2, "E512"]);
    expect(fails("attic", "restore")).toEqual([2, "E100"]);
    studio.write(
      "models/all.ts",
      AFTER.replace("@IsString() @MaxLength(80) title", "@IsOptional() @IsString() notes?: string;\n  $&"),
    );
    studio.ok("draft", "notes after all");
    studio.ok("forward");
    await run("UPDATE pieces SET notes = 'seen' WHERE id = 3");
    expect(studio.ok("attic", "restore", "2", "pieces.notes")).toContain("1 row restored");
    expect(await rows("pieces", "title, notes")).toEqual([
      ["Jug", "matt"],
      ["Bowl", null],
      ["Cup", "seen"],
    ]);
    expect(fails("attic", "purge", "2", "shelves")).toEqual([3, "E513"]);
    expect(kept(studio)).toContainEqual(["table", "shelves", 2]);
    studio.ok("attic", "purge", "2", "shelves", "--yes");
    studio.ok("back", "--yes");
    studio.ok("back", "--yes");
    expect([await rows("shelves", "label"), await rows("pieces", "price")]).toEqual([
      [],
      [["12.50"], ["8.00"], [null]],
    ]);
    // Who takes a table out of the attic by hand is told before anything is undone.
    studio.ok("forward", "--to", "2");
    const { place } = studio.json<AtticResult>("attic").entries.find(({ kind }) => kind === "columns")!;
    await run(`DROP TABLE ${place}`);
    expect(fails("back", "--yes")).toEqual([3, "E511"]);
    expect(await rows("pieces", "price")).toEqual([[1250], [800], [null]]);
  });

  test.runIf(engine || title === "SQLite")(
    "a value that would be cut stops the migration, and no row is touched",
    async () => {
      const { studio, run, rows } = open();
      studio.ok("draft", "first");
      studio.ok("forward");
      await run(ROWS);
      const shorter = BEFORE.replace("@MaxLength(80) title", "@MaxLength(3) title");
      studio.write("models/all.ts", shorter);
      expect(studio.ok("draft", "short titles")).toMatch(/A319 [^]*varchar\(3\)/);
      const refused = studio.emberset("forward");
      expect([refused.status, refused.stderr]).toEqual([
        3,
        expect.stringMatching(/^E502 [^]*1 (?:row|value) of pieces/),
      ]);
      expect(await rows("pieces", "title")).toEqual([["Jug"], ["Bowl"], ["Cup"]]);
      await run("UPDATE pieces SET title = 'Pot' WHERE id = 2");
      studio.ok("forward");
      expect(studio.ok("status", "--strict")).toContain("no drift");
    },
  );
});

describe("what is lost is said, in the script, before it runs, and by a rehearsal", () => {
  const dropped = models("");
  test.each([
    ["draft --lose", ["--lose"], ""],
    ["keepDropped: false", [], "keepDropped: false, "],
  ])("%s", (_, options, setting) => {
    const studio = smallStudio(BEFORE);
    studio.write(
      "emberset.config.ts",
      studio.read("emberset.config.ts").replace("export default {", `export default { ${setting}`),
    );
    studio.ok("draft", "first");
    studio.ok("forward");
    studio.sql(ROWS);
    studio.write("models/all.ts", dropped);
    expect(studio.ok("draft", "no notes", ...options)).toContain("loses data");
    expect(studio.read("migrations/0002-no-notes/forward.sqlite.sql")).toMatch(
      /pieces\.notes \(lost\)(?![^]*emberset_attic)/,
    );
    const refused = studio.emberset("forward");
    expect([refused.status, refused.stderr]).toEqual([
      3,
      expect.stringContaining("2 values of pieces.notes"),
    ]);
    const { sound, migrations } = studio.json<RehearseResult>("rehearse");
    expect([sound, migrations[0]!.steps[1]!.dropped.toSorted()]).toEqual([
      true,
      ["pieces.notes", "pieces.price", "pieces.stage"],
    ]);
    studio.ok("forward", "--yes");
    expect(studio.ok("attic")).toContain("is empty");
    // What was drafted to lose goes on to lose when it is amended.
    studio
      .write("models/all.ts", dropped.replace("title!", "@Field({ unique: true }) title!"))
      .ok("amend", "--yes");
    expect(studio.json("attic")).toMatchObject({ entries: [] });
    studio.ok("back");
    expect(studio.rows("SELECT title, notes FROM pieces")).toEqual([
      ["Jug", null],
      ["Bowl", null],
      ["Cup", null],
    ]);
  });

  test("rows added since stop going back where nothing says what they get", () => {
    const shelf = (more = "") => models(`@IsString() @MaxLength(20) ${more} shelf!: string;`);
    const studio = smallStudio(shelf());
    studio.ok("draft", "first");
    studio.ok("forward");
    studio.sql("INSERT INTO pieces (title, shelf) VALUES ('Jug', 'top')");
    studio.write("models/all.ts", models("")).ok("draft", "no shelves");
    studio.ok("forward");
    studio.sql("INSERT INTO pieces (title) VALUES ('Bowl')");
    const refused = studio.emberset("back");
    expect([refused.status, refused.stderr]).toEqual([
      3,
      expect.stringMatching(
        /^E502 [^]*1 row of pieces added since, which have no value for the required shelf/,
      ),
    ]);
    studio.sql("DELETE FROM pieces WHERE title = 'Bowl'");
    studio.ok("back");
    expect(studio.rows("SELECT title, shelf FROM pieces")).toEqual([["Jug", "top"]]);
    // A default says what they get.
    studio.write("models/all.ts", shelf('@Field({ default: "low" })')).ok("amend");
    expect(studio.ok("draft", "a default")).toContain("Nothing to draft");
    studio.ok("forward");
    studio.write("models/all.ts", models("")).ok("draft", "no shelves again");
    studio.ok("forward");
    studio.sql("INSERT INTO pieces (title) VALUES ('Bowl')");
    studio.ok("back");
    expect(studio.rows("SELECT title, shelf FROM pieces")).toEqual([
      ["Jug", "top"],
      ["Bowl", "low"],
    ]);
  });

  test("names of indexes that a kept table had are free for others, and it has them again afterwards", () => {
    const shelf = `@Stored({ indexes: [{ name: "by_label", fields: ["label"] }, { name: "by_size", fields: ["size"] }] })
export class Shelf { @IsString() label!: string; @IsInt() size!: number; }
`;
    const piece = (indexes: string) => `@Stored({ indexes: [${indexes}] })
export class Piece { @IsString() title!: string; @IsInt() weight!: number; }
`;
    const head = `import { IsInt, IsString } from "class-validator";\nimport { Stored } from "emberset";\n`;
    const studio = smallStudio(`${head}${shelf}${piece('{ name: "by_title", fields: ["title"] }')}`);
    studio.ok("draft", "first");
    studio.ok("forward");
    studio.sql(
      "INSERT INTO shelves (label, size) VALUES ('top', 3), ('low', 5); INSERT INTO pieces (title, weight) VALUES ('Jug', 900)",
    );
    const before = studio.dump();
    const taken = piece('{ name: "by_label", fields: ["title"] }, { name: "by_size", fields: ["weight"] }');
    studio.write("models/all.ts", `${head}${taken}`).ok("draft", "away with the shelves");
    studio.ok("forward");
    expect(studio.json<AtticResult>("attic").entries).toMatchObject([{ things: ["shelves"], rows: 2 }]);
    expect(
      studio.rows(
        "SELECT name FROM sqlite_schema WHERE type = 'index' AND tbl_name = 'pieces' ORDER BY name",
      ),
    ).toEqual([["by_label"], ["by_size"]]);
    studio.ok("status", "--strict");
    studio.ok("back");
    const inOrder = (dump: string) =>
      dump
        .split("\n")
        .filter(line => !/emberset_ledger/.test(line))
        .sort();
    expect(inOrder(studio.dump())).toEqual(inOrder(before));
    expect(studio.json<RehearseResult>("rehearse").proven).toBe(true);
  });

  test("of a table without a key, only going back finds the rows, and it asks where they are others", () => {
    const keyless = (more: string) =>
      models("")
        .replace("Stored<Piece>()", "Stored<Piece>({ key: false })")
        .replace("title!: string;", `title!: string; ${more}`);
    const studio = smallStudio(keyless("@IsOptional() @IsString() notes?: string;"));
    studio.ok("draft", "first");
    studio.ok("forward");
    studio.sql("INSERT INTO pieces (title, notes) VALUES ('Jug', 'matt'), ('Mug', 'blue')");
    studio.write("models/all.ts", keyless("")).ok("draft", "no notes");
    studio.ok("forward", "--yes");
    expect(studio.ok("attic")).toContain("what tells the rows");
    expect(studio.emberset("attic", "restore", "2").stderr).toMatch(/^E514 [^]*only going back finds them/);
    studio.sql("UPDATE pieces SET title = 'Jar' WHERE title = 'Jug'");
    expect(studio.emberset("back").stderr).toContain(
      "1 row kept of pieces, which no row is any more as it was",
    );
    expect(studio.ok("back", "--yes")).toContain("0002-no-notes");
    expect(studio.rows("SELECT title, notes FROM pieces ORDER BY title")).toEqual([
      ["Jar", null],
      ["Mug", "blue"],
    ]);
  });
});

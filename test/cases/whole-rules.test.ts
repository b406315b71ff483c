import { IsInt, IsOptional, IsString, MaxLength, Min } from "class-validator";
import { afterAll, describe, expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import type { Dialect } from "../../src/core/dialect/shared/dialect.js";
import { blocksFor } from "../../src/core/plan/plan.js";
import { withoutForeignKeys } from "../../src/core/dialect/without-foreign-keys.js";
import { buildSchema } from "../../src/core/model/build-schema.js";
import { describeEntities } from "../../src/core/model/read/entities.js";
import { EMPTY_SCHEMA } from "../../src/core/schema/types.js";
import { Inline, Key, RefersTo, RefersToAny, Stored } from "../../src/modelling/index.js";
import { embeddedEngine } from "../engines/embedded.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { sqliteEngine } from "../engines/sqlite.js";

class Dimensions {
  @IsInt() @Min(1) height!: number;
  @IsInt() @Min(1) width!: number;
  @IsOptional() @IsString() @MaxLength(20) shape?: string;
}

@Stored<Potter>()
class Potter {
  @IsString() @MaxLength(9) name!: string;
}

@Stored<Firing>()
class Firing {
  @Key() @IsString() @MaxLength(9) kiln!: string;
  @Key() @IsInt() number!: number;
}

@Stored<Kiln>()
class Kiln {
  @IsString() @MaxLength(9) name!: string;
}

@Stored<Note>()
class Note {
  @RefersToAny(() => [Potter, Firing], { onDelete: "cascade" }) about!: Potter | Firing;
  @IsOptional() @RefersToAny(() => [Potter, Kiln], { style: "tag", onDelete: "cascade" }) shown?:
    Potter | Kiln;
}

@Stored<Bowl>({ checks: { flat: "{size.height} < 600" } })
class Bowl {
  @Inline(() => Dimensions) size!: Dimensions;
  @IsOptional() @Inline(() => Dimensions, { prefix: "boxed" }) box?: Dimensions;
  @IsOptional() @RefersTo(() => Potter, { index: false }) potter?: Potter;
}

const engines = {
  SQLite: sqliteEngine(),
  PostgreSQL: await postgresEngine(),
  "embedded PostgreSQL": await embeddedEngine(),
  MariaDB: await mariadbEngine(),
};

const schemaFor = (dialect: Dialect) =>
  buildSchema(describeEntities([Potter, Firing, Kiln, Note, Bowl]), { tables: "plural", case: "snake" }, [
    dialect,
  ]);

/** Statements in their order, each with whether the database must take it. */
const STATEMENTS: readonly [string, boolean][] = [
  ["INSERT INTO potters (name) VALUES ('Ada')", true],
  ["INSERT INTO kilns (name) VALUES ('Big')", true],
  ["INSERT INTO firings (kiln, number) VALUES ('Big', 7)", true],
  // Exactly one of several entities, and one that is there.
  ["INSERT INTO notes (about_potter_id) VALUES (1)", true],
  ["INSERT INTO notes (about_firing_kiln, about_firing_number) VALUES ('Big', 7)", true],
  ["INSERT INTO notes (shown_type, shown_id) VALUES ('Kiln', 1)", false],
  ["INSERT INTO notes (about_potter_id, about_firing_kiln, about_firing_number) VALUES (1, 'Big', 7)", false],
  ["INSERT INTO notes (about_potter_id) VALUES (2)", false],
  ["INSERT INTO notes (about_firing_kiln, about_firing_number) VALUES ('Big', 8)", false],
  ["INSERT INTO notes (about_firing_kiln) VALUES ('Big')", false],
  // By tag: a name and a key, both or neither, of a row that is there.
  ["INSERT INTO notes (about_potter_id, shown_type, shown_id) VALUES (1, 'Kiln', 1)", true],
  ["INSERT INTO notes (about_potter_id, shown_type, shown_id) VALUES (1, 'Potter', 2)", false],
  ["INSERT INTO notes (about_potter_id, shown_type, shown_id) VALUES (1, 'Firing', 1)", false],
  ["INSERT INTO notes (about_potter_id, shown_type, shown_id) VALUES (1, 'kiln', 1)", false],
  ["INSERT INTO notes (about_potter_id, shown_type) VALUES (1, 'Kiln')", false],
  ["INSERT INTO notes (about_potter_id, shown_id) VALUES (1, 1)", false],
  // A value object that is required, one that may be missing as a whole, and a check over a part.
  ["INSERT INTO bowls (size_height, size_width) VALUES (1, 1)", true],
  ["INSERT INTO bowls (size_height, size_width, size_shape) VALUES (1, 1, 'round')", true],
  ["INSERT INTO bowls (size_height) VALUES (1)", false],
  ["INSERT INTO bowls (size_height, size_width) VALUES (0, 1)", false],
  ["INSERT INTO bowls (size_height, size_width) VALUES (600, 1)", false],
  ["INSERT INTO bowls (size_height, size_width, boxed_height, boxed_width) VALUES (1, 1, 2, 2)", true],
  ["INSERT INTO bowls (size_height, size_width, boxed_height) VALUES (1, 1, 2)", false],
  ["INSERT INTO bowls (size_height, size_width, boxed_shape) VALUES (1, 1, 'round')", false],
  // What refers to a row goes with it.
  ["DELETE FROM kilns", true],
];

describe.each(Object.entries(engines))("on %s", (name, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine)("what holds a whole together is held by the database", async () => {
    const { run, rows, dialect } = engine!;
    const { schema, findings } = schemaFor(dialect);
    expect(findings.filter(({ severity }) => severity === "error")).toEqual([]);
    if (name === "SQLite") await run("PRAGMA foreign_keys = ON");
    for (const { statements } of blocksFor(dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)))
      for (const statement of statements) await run(statement);
    for (const [statement, taken] of STATEMENTS) {
      const verdict = await run(statement).then(
        () => true,
        () => false,
      );
      expect({ statement, taken: verdict }).toEqual({ statement, taken });
    }
    const [left] = await rows("SELECT count(*) AS n FROM notes");
    expect(Number(left!["n"])).toBe(2);
  });

  test.runIf(engine)("without foreign keys the columns are the same, and each reference has an index", () => {
    const { dialect } = engine!;
    const { schema } = schemaFor(dialect);
    const bare = withoutForeignKeys(dialect);
    expect(withoutForeignKeys(dialect)).toBe(bare);
    const [held, free] = [dialect.types.settle(schema), bare.types.settle(schema)];
    expect(bare.types.settle(free)).toEqual(free);
    for (const [at, table] of free.tables.entries()) {
      expect(table.foreignKeys).toEqual([]);
      expect(table.columns).toEqual(held.tables[at]!.columns);
      const leading = table.indexes.map(({ parts }) => ("column" in parts[0]! ? parts[0].column : ""));
      for (const { columns } of held.tables[at]!.foreignKeys) expect(leading).toContain(columns[0]);
    }
  });

  test.runIf(engine)("reserved words are taken in quotes only, and every other as it is", async () => {
    const { run, dialect } = engine!;
    const isTaken = (sql: string) =>
      run(sql).then(
        () => true,
        (error: unknown) => !/syntax|near/i.test(String(error)),
      );
    expect(dialect.names.reserved.size).toBeGreaterThan(50);
    for (const word of [...dialect.names.reserved, "title", "note", "stage", "kiln"]) {
      const verdicts: boolean[] = [];
      for (const sql of bare(word)) {
        verdicts.push(await isTaken(sql));
        for (const table of ["zz", word])
          await run(`DROP TABLE IF EXISTS ${dialect.names.quote(table)}`).catch(() => undefined);
      }
      expect([word, verdicts.every(Boolean)]).toEqual([word, !dialect.names.reserved.has(word)]);
    }
  });
});

/** Statements of which a reserved word breaks one when it stands there without quotes. */
function bare(word: string): string[] {
  return [
    `CREATE TABLE zz (${word} int)`,
    `CREATE TABLE ${word} (a int)`,
    `SELECT ${word} FROM (SELECT 1 AS aa) q`,
  ];
}

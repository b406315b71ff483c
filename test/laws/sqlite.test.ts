import fc from "fast-check";
import LibSql from "libsql";
import { describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import { invert } from "../../src/core/change/invert.js";
import { describeChange } from "../../src/core/change/words.js";
import type { Change } from "../../src/core/change/types.js";
import type { CatalogRow } from "../../src/core/dialect/shared/dialect.js";
import { planFor, blocksFor } from "../../src/core/plan/plan.js";
import { splitStatements } from "../../src/core/sql/statements.js";
import { sqlite } from "../../src/core/dialect/sqlite/index.js";
import { EMPTY_SCHEMA, type Check, type Schema } from "../../src/core/schema/types.js";
import { arbitrarySchema, nameOrText, renamesBetween } from "./arbitrary-schema.js";
import { RUNS, SEED } from "./runs.js";
import { shuffled } from "./stands.js";

const schema = arbitrarySchema({ hostile: true });
const options = { seed: SEED, numRuns: RUNS };

describe("on a real SQLite database", () => {
  test("the forward script turns a database of a into one of b, and the back script turns it into a again", () => {
    let statements = 0;
    fc.assert(
      fc.property(schema, schema, fc.nat(30), (a, b, seed) => {
        const database = build(a);
        const changes = diff(a, b, renamesBetween(a, b, seed));
        statements += run(database, a, changes);
        const reached = apply(a, changes);
        expect(read(database)).toEqual(held(reached));
        run(database, reached, invert(changes));
        expect(read(database)).toEqual(held(a));
        // Nothing that is renamed may be dropped and made anew.
        for (const [from, list] of [[a, changes] as const, [reached, invert(changes)] as const]) {
          expect(drops(planFor(sqlite, from, list).changes)).toEqual(drops(list));
        }
        database.close();
      }),
      options,
    );
    expect(statements).toBeGreaterThan(RUNS);
  });

  test("the catalog read from the texts says what SQLite's own pragmas say", () => {
    fc.assert(
      fc.property(schema, a => {
        const database = build(a);
        expect(byPragma(database)).toEqual(byText(read(database)));
        database.close();
      }),
      options,
    );
  });

  test.each([
    "id integer NOT NULL PRIMARY KEY, n integer",
    "id INTEGER, n integer, primary key(id)",
    "id Integer not null, n integer, PRIMARY KEY (id desc)",
    "id integer primary key autoincrement, n integer",
    "id int primary key, n integer",
    "id text primary key, n integer unique",
    "id integer, n integer, primary key (n, id), unique (id)",
    "id integer primary key, n integer unique",
    "id integer primary key desc, n integer",
    'id integer, n integer, primary key (id collate "nocase" desc)',
  ])("a table with a key like this one is changed where it stands, and back: %s", columns => {
    const database = new LibSql(":memory:");
    database.exec(`CREATE TABLE things (${columns})`);
    for (const n of [1, 2, 3]) database.exec(`INSERT INTO things (id, n) VALUES (${n}, ${n * 10})`);
    const pages = () => database.prepare("SELECT name, rootpage FROM sqlite_schema ORDER BY name").all();
    const results = sqlite.catalog.queries.map(sql => database.prepare(sql).all() as CatalogRow[]);
    const { schema: a } = sqlite.catalog.read(results);
    const small: Check = { name: "n_small", rules: [{ kind: "sql", sql: "{n} < 50" }] };
    const b = { tables: a.tables.map(table => ({ ...table, checks: [small] })) };
    const before = pages();
    for (const [from, to] of [
      [a, b],
      [b, a],
    ] as const) {
      run(database, from, diff(from, to));
      expect(database.pragma("integrity_check")).toEqual([{ integrity_check: "ok" }]);
      expect(database.prepare("SELECT id + 0, n FROM things ORDER BY id").raw().all()).toEqual([
        [1, 10],
        [2, 20],
        [3, 30],
      ]);
      expect(pages()).toEqual(before);
    }
    database.close();
  });

  test("unique constraints come and go where the table stands, in whatever order its text has them", () => {
    const names = ["id", "It's", "b c", "d"];
    const list = fc.shuffledSubarray(names, { minLength: 1, maxLength: 3 });
    const lists = fc.uniqueArray(list, { maxLength: 4, selector: columns => columns.join() });
    const keyed = fc.record({ before: lists, after: lists, order: fc.nat(), hasKey: fc.boolean() });
    const table = (uniques: readonly string[][], hasKey: boolean): Schema => ({
      tables: [
        {
          name: "od'd",
          columns: names.map(name => ({ name, type: { kind: "text" }, nullable: true })),
          ...(hasKey && { key: { name: "pk", columns: ["d", "id"] } }),
          ...{ indexes: [], foreignKeys: [], checks: [] },
          uniques: uniques.map(columns => ({ name: `uq ${columns.join()}`, columns })),
        },
      ],
    });
    let moved = 0;
    fc.assert(
      fc.property(keyed, ({ before, after, order, hasKey }) => {
        const [was, now] = [table(before, hasKey), table(after, hasKey)];
        const quoted = (columns: readonly string[]) => columns.map(sqlite.names.quote).join(", ");
        const made = [
          ...(hasKey ? [`CONSTRAINT "pk" PRIMARY KEY (${quoted(["d", "id"])})`] : []),
          ...before.map(each => `CONSTRAINT "uq ${each.join()}" UNIQUE (${quoted(each)})`),
        ];
        const database = new LibSql(":memory:");
        const columns = names.map(name => `${sqlite.names.quote(name)} text`);
        database.exec(
          `CREATE TABLE "od'd" (${[...columns, ...shuffled(made, order)].join(", ")});
           INSERT INTO "od'd" VALUES ('1', '1', '1', '1'), ('2', '2', '2', '2'), ('3', null, '3', '3')`,
        );
        const pages = () =>
          database.prepare("SELECT rowid, rootpage FROM sqlite_schema WHERE type = 'table'").all();
        const stood = pages();
        for (const [from, to, uniques] of [
          [was, now, after],
          [now, was, before],
        ] as const) {
          run(database, from, diff(from, to));
          expect(database.prepare("PRAGMA integrity_check").all()).toEqual([{ integrity_check: "ok" }]);
          expect(read(database)).toEqual(held(to));
          // The engine itself says which are there, and takes no row that is like another in any of them.
          const found = database
            .prepare(
              "SELECT (SELECT group_concat(name) FROM pragma_index_xinfo(list.name) WHERE key) AS columns FROM pragma_index_list('od''d') AS list WHERE origin = 'u'",
            )
            .all() as { readonly columns: string }[];
          const own = uniques.map(each => each.join()).filter(each => !hasKey || each !== "d,id");
          expect(found.map(each => each.columns).sort()).toEqual(own.sort());
          for (const unique of uniques)
            expect(() =>
              database.exec(
                `INSERT INTO "od'd" (${quoted(unique)}) VALUES (${unique.map(() => "'2'").join(", ")})`,
              ),
            ).toThrow("UNIQUE constraint failed");
        }
        // Unless one has the very columns of the key, the table stays where it is.
        if (!hasKey || [...before, ...after].every(each => each.join() !== "d,id")) {
          expect(pages()).toEqual(stood);
          moved += 1;
        }
        database.close();
      }),
      options,
    );
    expect(moved).toBeGreaterThan(RUNS / 2);
  });

  test("rows live through the rebuild of every table, and back", () => {
    let kept = 0;
    fc.assert(
      fc.property(schema, a => {
        const database = build(a);
        for (const { name, columns } of sqlite.types.settle(a).tables) {
          const free = columns.filter(({ computed }) => !computed);
          try {
            database.exec(`INSERT INTO ${sqlite.names.quote(name)} (${free.map(column => sqlite.names.quote(column.name)).join(", ")})
              VALUES (${free.map(column => (column.nullable ? "NULL" : valueFor(column.type))).join(", ")})`);
          } catch {
            // A check refuses the row: the table stays empty.
          }
          try {
            database.exec(`UPDATE ${sqlite.names.quote(name)} SET rowid = rowid + 41`);
          } catch {
            // There are none, others refer to them, or a column is computed of them.
          }
        }
        const before = rows(database, a);
        const numbers = numbersIn(database, a);
        kept += before.length;
        // A column whose default is an expression cannot be added in place.
        const rebuilt = { tables: a.tables.map(table => ({ ...table, columns: [...table.columns, EXTRA] })) };
        run(database, a, diff(a, rebuilt));
        expect([rows(database, a), numbersIn(database, a)]).toEqual([before, numbers]);
        run(database, rebuilt, diff(rebuilt, a));
        expect([rows(database, a), numbersIn(database, a)]).toEqual([before, numbers]);
        database.close();
      }),
      options,
    );
    expect(kept).toBeGreaterThan(RUNS / 4);
  });
});

test("a full-text index over a table whose key is a text finds the same rows after a rebuild, and back", () => {
  const database = new LibSql(":memory:");
  database.exec(`CREATE TABLE things (code text PRIMARY KEY NOT NULL, note text);
    INSERT INTO things VALUES ('a', 'ash'), ('b', 'bone'), ('c', 'clay');
    DELETE FROM things WHERE code = 'a'`);
  const a = { tables: read(database) };
  database.exec("CREATE VIRTUAL TABLE found USING fts5(note, content='things')");
  database.exec("INSERT INTO found (found) VALUES ('rebuild')");
  const b = { tables: a.tables.map(table => ({ ...table, columns: [...table.columns, EXTRA] })) };
  for (const [from, to] of [
    [a, b],
    [b, a],
  ] as const) {
    run(database, from, diff(from, to));
    database.exec("INSERT INTO found (found, rank) VALUES ('integrity-check', 1)");
    const codes = "SELECT code FROM things JOIN found ON found.rowid = things.rowid WHERE found MATCH 'clay'";
    expect(database.prepare(codes).all()).toEqual([{ code: "c" }]);
  }
  database.close();
});

/** The numbers of the rows of each table that has them. */
function numbersIn(database: LibSql.Database, { tables }: Schema) {
  return tables.map(({ name }) => {
    try {
      return database.prepare(`SELECT rowid AS n FROM ${sqlite.names.quote(name)} ORDER BY 1`).all();
    } catch {
      return [];
    }
  });
}

const EXTRA = {
  name: "extra",
  type: { kind: "text" },
  nullable: false,
  default: { kind: "sql", sql: "lower('X')" },
} as const;

/** What goes, tables and columns with their rows and values. */
function drops(changes: readonly Change[]): string[] {
  return changes
    .filter(({ kind }) => kind === "drop table" || kind === "drop column")
    .map(describeChange)
    .sort();
}

function build(schema: Schema): LibSql.Database {
  const database = new LibSql(":memory:");
  database.exec("PRAGMA foreign_keys = OFF");
  run(database, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema));
  return database;
}

/** By way of a script's text, as a migration runs. @returns how many statements ran */
function run(database: LibSql.Database, before: Schema, changes: readonly Change[]): number {
  const script = blocksFor(sqlite, before, changes)
    .map(({ title, statements }) =>
      [`-- ${title.replaceAll("\n", " ")}`, ...statements.map(sql => `${sql};`)].join("\n"),
    )
    .join("\n\n");
  const statements = splitStatements(script, sqlite.tokens);
  database.exec("BEGIN");
  for (const { sql } of statements) {
    try {
      database.exec(sql);
    } catch (error) {
      throw new Error(`${(error as Error).message}\n${sql}\n\nin\n${script}`, { cause: error });
    }
  }
  database.exec("COMMIT");
  return statements.length;
}

function read(database: LibSql.Database) {
  const results = sqlite.catalog.queries.map(sql => database.prepare(sql).all() as CatalogRow[]);
  const { schema, leftAlone } = sqlite.catalog.read(results);
  expect(leftAlone).toEqual([]);
  return sortParts(schema);
}

function held(schema: Schema) {
  return sortParts(sqlite.types.settle(schema));
}

/** By name; columns keep their order. */
function sortParts({ tables }: Schema) {
  const sorted = <T extends { readonly name: string }>(parts: readonly T[]) =>
    [...parts].sort((x, y) => (nameOrText(x) < nameOrText(y) ? -1 : 1));
  return sorted(tables).map(table => ({
    ...table,
    uniques: sorted(table.uniques),
    indexes: sorted(table.indexes),
    foreignKeys: sorted(table.foreignKeys),
    checks: sorted(table.checks),
  }));
}

function byText(tables: ReturnType<typeof sortParts>) {
  return tables.map(({ name, columns, key, foreignKeys, uniques, indexes }) => ({
    name,
    columns: columns.map(column => ({
      name: column.name,
      type: (column.type as { sql: Record<string, string> }).sql["sqlite"]!.toLowerCase(),
      // The rowid is never null, and nothing says so.
      required: !column.nullable && column.identity === undefined,
      default: column.default?.kind === "sql" ? strip(column.default.sql as string) : null,
      key: (key?.columns.indexOf(column.name) ?? -1) + 1,
    })),
    references: foreignKeys
      .map(({ references }) => references.columns.length)
      .reduce((sum, number) => sum + number, 0),
    // A key that is not the rowid has an index of its own.
    unique: uniques.length + indexes.filter(({ unique }) => unique).length,
  }));
}

function byPragma(database: LibSql.Database) {
  const all = (sql: string, ...values: string[]) =>
    database.prepare(sql).all(...values) as Record<string, unknown>[];
  return all(
    "SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite_%' ORDER BY name COLLATE BINARY",
  )
    .map(({ name }) => String(name))
    .sort((x, y) => (x < y ? -1 : 1))
    .map(name => ({
      name,
      columns: all("SELECT * FROM pragma_table_xinfo(?)", name).map(column => ({
        name: column["name"],
        type: String(column["type"])
          .toLowerCase()
          .replace(/ GENERATED ALWAYS$/i, ""),
        required: column["notnull"] === 1,
        default:
          column["dflt_value"] === null || column["dflt_value"] === undefined
            ? null
            : strip(String(column["dflt_value"])),
        key: column["pk"],
      })),
      references: all("SELECT * FROM pragma_foreign_key_list(?)", name).length,
      unique: all("SELECT * FROM pragma_index_list(?) WHERE \"unique\" = 1 AND origin <> 'pk'", name).length,
    }));
}

/** The pragma leaves out the parentheses around an expression. */
function strip(text: string): string {
  return text.startsWith("(") && text.endsWith(")") ? text.slice(1, -1) : text;
}

function valueFor(type: unknown): string {
  const text = (type as { sql: Record<string, string> }).sql["sqlite"]!;
  if (/int|double|decimal|boolean/.test(text)) return "1";
  return text === "json text" ? "'[1.0]'" : "'made'";
}

/** The rows of every table, with the columns the schema has. */
function rows(database: LibSql.Database, { tables }: Schema): unknown[] {
  return tables.flatMap(({ name, columns }) => {
    const names = columns.map(column => sqlite.names.quote(column.name)).join(", ");
    return database
      .prepare(`SELECT ${names} FROM ${sqlite.names.quote(name)}`)
      .raw()
      .all();
  });
}

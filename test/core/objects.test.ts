import fc from "fast-check";
import { expect, test } from "vitest";
import { mariadb } from "../../src/core/dialect/mariadb/index.js";
import { postgres } from "../../src/core/dialect/postgres/index.js";
import { sqlite } from "../../src/core/dialect/sqlite/index.js";
import { adviseOnObjects } from "../../src/core/model/advice/objects.js";
import { readObjects } from "../../src/core/model/read/objects.js";
import { objectFiles } from "../../src/core/model/write/object-files.js";
import { diff } from "../../src/core/change/diff.js";
import { blocksFor, planFor } from "../../src/core/plan/plan.js";
import { probes } from "../../src/core/plan/probes.js";
import { EMPTY_SCHEMA, type ObjectDefinition, type Schema } from "../../src/core/schema/types.js";
import { readHead } from "../../src/core/sql/object-head.js";
import { splitStatements, terminated } from "../../src/core/sql/statements.js";
import { RUNS, SEED } from "../laws/runs.js";

const ALL = [sqlite, postgres, mariadb];
const read = (files: Readonly<Record<string, string>>, dialects = ALL) =>
  readObjects(
    Object.entries(files).map(([path, text]) => ({ path, text })),
    dialects,
  );

test.each([
  ["create   or REPLACE view  if not exists a.b as select 1 ; ", "view a.b", "CREATE VIEW a.b as select 1"],
  [
    "CREATE OR REPLACE ALGORITHM = MERGE\n DEFINER=`a`@`%` SQL SECURITY INVOKER VIEW `v` AS SELECT 1",
    "view v",
    "CREATE ALGORITHM = MERGE DEFINER=`a`@`%` SQL SECURITY INVOKER VIEW `v` AS SELECT 1",
  ],
  ["CREATE MATERIALIZED VIEW m AS SELECT 1", "materialized view m", "CREATE MATERIALIZED VIEW m AS SELECT 1"],
  ['CREATE CONSTRAINT TRIGGER "T" AFTER INSERT OR UPDATE OF a ON s."p" FOR', "trigger T on s.p", undefined],
  ["CREATE FUNCTION Price(a int) RETURNS int", "function price", undefined],
  ["CREATE TABLE view (a int)", "", undefined],
  ["CREATE UNIQUE INDEX trigger ON a (b)", "", undefined],
  ["ALTER VIEW a RENAME TO b", "", undefined],
] as const)("the head of %s", (text, name, sql) => {
  const [statement] = splitStatements(text, { ...postgres.tokens, hash: true });
  const head = readHead(statement!.sql, postgres.tokens);
  const on = head?.on && ` on ${[head.on.namespace, head.on.name].filter(Boolean).join(".")}`;
  const said = head && `${head.kind} ${[head.namespace, head.name].filter(Boolean).join(".")}${on ?? ""}`;
  expect(said ?? "").toBe(name);
  if (sql !== undefined) expect(head?.sql).toBe(sql);
});

test.each([
  ["(a integer, b text DEFAULT f(1, 'x'), OUT c numeric(4,1) = 2)", "a integer, b text, OUT c numeric(4,1)"],
  ["()", ""],
  ["(VARIADIC x int[])", "VARIADIC x int[]"],
])("what a function takes, without what it has by itself: %s", (list, takes) => {
  expect(readHead(`CREATE FUNCTION f${list} RETURNS int AS ''`, postgres.tokens)?.takes).toBe(takes);
});

test.each([
  [
    "BEGIN IF a THEN SET b = 1; END IF; WHILE a DO SET a = 0; END WHILE; CASE a WHEN 1 THEN SET b = CASE a WHEN 1 THEN 2 END; END CASE; END",
  ],
  ["BEGIN l: LOOP LEAVE l; END LOOP l; REPEAT SET a = 1; UNTIL a END REPEAT; BEGIN END; END"],
  ["SET @a = ';'"],
])("a body is one statement, and so it is between delimiters, in files and scripts: %s", body => {
  const sql = `CREATE PROCEDURE p()\n${body}`;
  const split = (text: string) => splitStatements(text, mariadb.tokens).map(each => [each.sql, each.line]);
  expect(split(`SELECT 1;\n${sql};\nSELECT 2`)).toEqual([
    ["SELECT 1", 1],
    [sql, 2],
    ["SELECT 2", 4],
  ]);
  const marked = terminated(sql, mariadb.tokens);
  expect(marked.startsWith("DELIMITER //\n")).toBe(body.includes("BEGIN"));
  expect(split(`SELECT 1;\n${marked}\nSELECT 2;`).map(([each]) => each)).toEqual([
    "SELECT 1",
    sql,
    "SELECT 2",
  ]);
  expect(split(`-- first\ndelimiter $$\n${sql} $$\n\n${sql}$$\nDELIMITER ;\nSELECT 2;`)).toEqual([
    [sql, 3],
    [sql, 6],
    ["SELECT 2", 9],
  ]);
});

test("a table called as a kind of object is cut from what follows it", () => {
  expect(splitStatements("CREATE TABLE event (begin date); SELECT 1", {}).length).toBe(2);
});

test("one file for all dialects is one text; a dialect's own stands in its place", () => {
  const { objects, findings } = read({
    "o/v.sql": "-- mine\nCREATE VIEW v AS SELECT 1; -- so it is",
    "o/w.sql": "CREATE OR REPLACE VIEW w AS\r\n SELECT 1",
    "o/w.postgres.sql": "CREATE VIEW w AS SELECT 2;\nCOMMENT ON VIEW w IS 'x';",
    "o/deep/t.sqlite.sql": "CREATE TRIGGER t AFTER INSERT ON Pieces BEGIN SELECT 1; END",
  });
  expect(findings).toEqual([]);
  expect(objects.map(({ definition }) => definition)).toEqual([
    { kind: "view", name: "v", sql: "CREATE VIEW v AS SELECT 1" },
    {
      kind: "view",
      name: "w",
      sql: {
        sqlite: "CREATE VIEW w AS\n SELECT 1",
        postgres: "CREATE VIEW w AS SELECT 2;\nCOMMENT ON VIEW w IS 'x'",
        mariadb: "CREATE VIEW w AS\n SELECT 1",
      },
    },
    {
      kind: "trigger",
      name: "t",
      on: "Pieces",
      sql: { sqlite: "CREATE TRIGGER t AFTER INSERT ON Pieces BEGIN SELECT 1; END" },
    },
  ]);
});

test.each([
  ["SELECT 1", /begins with "SELECT 1"/],
  ["", /begins with ""/],
  ["CREATE TABLE a (b int)", /begins with "CREATE TABLE/],
  ["CREATE TEMP VIEW v AS SELECT 1", /one session only/],
  ["CREATE MATERIALIZED VIEW v AS SELECT 1", /SQLite has no materialized view/],
  ["CREATE VIEW v AS SELECT 1;\nCREATE VIEW w AS SELECT 1", /view w beside view v/],
  ["CREATE VIEW v AS SELECT 1;\nDROP TABLE pieces", /on SQLite nothing goes with one/],
  ["CREATE VIEW main.v AS SELECT 1", /another database/],
])("a file that is no object is told, where and why: %s", (text, what) => {
  const { objects, findings } = read({ "o/v.sql": text }, [sqlite]);
  expect(objects).toEqual([]);
  expect(findings).toEqual([expect.objectContaining({ code: "E239", file: "o/v.sql" })]);
  expect(findings[0]?.what).toMatch(what);
});

test("behind an object stands what goes with it, and nothing that does more", () => {
  const behind = (sql: string) =>
    read({ "o/v.sql": `CREATE VIEW v AS SELECT 1;\n\n${sql};` }, [postgres]).findings.map(
      ({ line, what }) => `${line} ${what}`,
    );
  for (const sql of [
    "COMMENT ON VIEW v IS 'x'",
    "grant select on v to a",
    "ALTER VIEW v SET (security_invoker)",
  ])
    expect(behind(sql)).toEqual([]);
  for (const sql of ["DROP TABLE pieces", "DELETE FROM pieces", "DO $$ BEGIN END $$"])
    expect(behind(sql)).toEqual([expect.stringMatching(/^3 v\.sql goes on behind view v with .* does more/)]);
});

test("two files of one object are told", () => {
  const { findings } = read({
    "o/a.sql": "CREATE VIEW v AS SELECT 1",
    "o/b.sql": "CREATE VIEW v AS SELECT 2",
  });
  expect(findings.map(({ code, file, what }) => [code, file, what])).toEqual([
    ["E239", "o/b.sql", "view v stands in a.sql, too"],
  ]);
});

test("what is written to files is read as it was, whatever the names", () => {
  const objects: ObjectDefinition[] = [
    { kind: "view", name: "a.b", sql: { mariadb: "CREATE VIEW `a.b` AS SELECT ';'" } },
    { kind: "view", name: "a_b", sql: { mariadb: "CREATE VIEW a_b AS SELECT 1" } },
    {
      kind: "procedure",
      name: "A_b",
      sql: { mariadb: "SET sql_mode = '';\nCREATE PROCEDURE A_b() BEGIN SELECT 1; END" },
    },
    {
      kind: "trigger",
      name: "t",
      on: "p",
      sql: { mariadb: "CREATE TRIGGER t AFTER INSERT ON p FOR EACH ROW BEGIN END" },
    },
  ];
  const files = objectFiles(objects, mariadb);
  expect(new Set(files.map(({ path }) => path.toLowerCase())).size).toBe(objects.length);
  const found = read(Object.fromEntries(files.map(({ path, text }) => [path, text])), [mariadb]);
  expect(found.findings).toEqual([]);
  expect(found.objects.map(({ definition }) => definition)).toEqual(objects);
});

const schemaOf = (tables: Readonly<Record<string, readonly string[]>>): Schema => ({
  tables: Object.entries(tables).map(([name, columns]) => ({
    name,
    columns: columns.map(column => ({ name: column, type: { kind: "text" }, nullable: true })),
    uniques: [],
    indexes: [],
    foreignKeys: [],
    checks: [],
  })),
});

test.each([
  [
    "CREATE VIEW v AS\nSELECT p.weight FROM pieces p",
    ["2 view v speaks of pieces.weight, and there is no such column"],
  ],
  ["CREATE VIEW v AS SELECT weight FROM pieces", ["1 view v speaks of weight, and pieces has it no more"]],
  ["CREATE VIEW v AS SELECT p.grams AS weight FROM pieces AS p", []],
  ["CREATE VIEW v AS SELECT weight(1), 'weight' FROM pieces -- weight", []],
  ["CREATE VIEW v AS WITH pieces AS (SELECT 1 AS weight) SELECT pieces.weight FROM pieces", []],
  ["CREATE VIEW v AS SELECT k.weight, pieces.rowid FROM pieces JOIN kilns k ON k.id = pieces.id", []],
  ["CREATE VIEW v AS SELECT * FROM shelves", ["1 view v speaks of table shelves, which goes"]],
  ["CREATE VIEW v AS SELECT a.weight FROM (SELECT 1 AS weight) a, pieces", []],
  [
    "CREATE TRIGGER v AFTER UPDATE ON\nshelves BEGIN SELECT 1; END",
    ["2 trigger v speaks of table shelves, which goes"],
  ],
  [
    "CREATE TRIGGER v AFTER UPDATE ON pieces BEGIN\n SELECT 1;\n SELECT NEW.weight;\nEND",
    ["3 trigger v speaks of pieces.weight, and there is no such column"],
  ],
])("what an object speaks of that is not there is told by line: %s", (text, told) => {
  const { objects } = read({ "o/v.sql": text }, [sqlite]);
  const before = schemaOf({ pieces: ["id", "weight"], shelves: ["id"], kilns: ["id", "weight"] });
  const after = schemaOf({ pieces: ["id", "grams"], kilns: ["id", "weight"] });
  const said = (start: Schema, end: Schema) =>
    adviseOnObjects(objects, end, start).map(({ code, line, what }) => `${code} ${line} ${what}`);
  expect(said(before, after)).toEqual(told.map(each => `A332 ${each}`));
  if (told.length > 0) expect(said(before, before)).toEqual([]);
});

test("whatever stands in a file, it is read, or told, and nothing breaks", () => {
  const scraps = [
    ..."create or replace view trigger function procedure event policy materialized on as begin end if case".split(
      " ",
    ),
    ..."v pieces . , ( ) ; $$ $a$ ' \" ` [ ] -- /* */ # \\ delimiter // {x} = default 1 \n new old from join with".split(
      " ",
    ),
    "DELIMITER //\n",
    "\nDELIMITER ;\n",
    "SET sql_mode = '';",
    "\u0000",
    "\ud83c",
  ];
  const text = fc.array(fc.constantFrom(...scraps), { maxLength: 25 }).map(parts => parts.join(" "));
  const [before, after] = [schemaOf({ pieces: ["v", "old"] }), schemaOf({ pieces: ["v"] })];
  let kept = 0;
  fc.assert(
    fc.property(text, fc.constantFrom("v.sql", "v.postgres.sql", "v.mariadb.sql"), (sql, path) => {
      const { objects, findings } = read({ [path]: sql, "w.sql": `create view w as ${sql}` });
      adviseOnObjects(objects, after, before);
      for (const { line = 0 } of findings) expect(line).toBeGreaterThan(0);
      // What is begun and never ended takes in what is written behind it.
      if (/["'`[$#\\]|\/\*|--|begin|case|[\0\ud83c]/i.test(sql)) return;
      kept += 1;
      for (const dialect of ALL)
        for (const { definition } of objects) {
          // What is kept of a file is read as the same again.
          const own = typeof definition.sql === "string" ? definition.sql : definition.sql[dialect.name];
          if (own === undefined) continue;
          const [file] = objectFiles([definition], dialect);
          const again = readObjects([file!], [dialect]).objects[0]?.definition.sql;
          expect(typeof again === "string" ? again : again?.[dialect.name], JSON.stringify(file)).toBe(own);
        }
    }),
    { seed: SEED, numRuns: RUNS * 5 },
  );
  expect(kept).toBeGreaterThan(RUNS / 10);
});

test("a function that tables speak of comes before them, by way of others too, and rows are not asked by one that only comes", () => {
  const own = (name: string, body: string): ObjectDefinition => ({
    kind: "function",
    name,
    sql: { postgres: `CREATE FUNCTION ${name}(t text) RETURNS boolean LANGUAGE sql AS '${body}'` },
  });
  const functions = [
    own("is_good", "select is_long(t)"),
    own("apart", "select true"),
    own("is_long", "select true"),
  ];
  const { tables } = schemaOf({ pieces: ["title"] });
  const checks = [{ name: "ck_good", rules: [{ kind: "sql", sql: "is_good({title})" } as const] }];
  const whole: Schema = { tables: tables.map(table => ({ ...table, checks })), definitions: functions };
  const made = blocksFor(postgres, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, whole)).map(({ title }) => title);
  expect(made.map(title => /\w+(?: \(.*)?$/.exec(title)?.[0].split(" ")[0])).toEqual([
    "is_long",
    "is_good",
    "pieces",
    "apart",
  ]);
  const asked = (before: Schema) =>
    probes(planFor(postgres, before, diff(before, whole)), postgres).filter(
      ({ meaning }) => meaning === "refuses",
    );
  expect(asked({ tables }).map(({ question }) => question)).toEqual([]);
  expect(asked({ tables, definitions: functions }).length).toBe(1);
});

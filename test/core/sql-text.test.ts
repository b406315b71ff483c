import fc from "fast-check";
import { expect, test } from "vitest";
import { addressOf, parseAddress } from "../../src/core/schema/address.js";
import { fillPlaceholders } from "../../src/core/sql/placeholders.js";
import { spellExpression } from "../../src/core/lower/expressions.js";
import { splitStatements } from "../../src/core/sql/statements.js";
import { parseIndex } from "../../src/core/dialect/sqlite/catalog/parse-index.js";
import { parseTable } from "../../src/core/dialect/sqlite/catalog/parse-table.js";
import { TOKENS } from "../../src/core/dialect/sqlite/settle.js";
import { mariadb } from "../../src/core/dialect/mariadb/index.js";
import { postgres } from "../../src/core/dialect/postgres/index.js";
import { matters, meaningfulTokens, tokenize, type TokenRules } from "../../src/core/sql/tokens.js";
import { RUNS, SEED } from "../laws/runs.js";

const rules: Readonly<Record<string, TokenRules>> = {
  plain: {},
  sqlite: TOKENS,
  postgres: postgres.tokens,
  mariadb: mariadb.tokens,
};

test.each([
  [
    "plain",
    "a1$ 0x1F 1.5e-3 .5 . - / { [ ~",
    "word:a1$ number:0x1F number:1.5e-3 number:.5 symbol:. symbol:- symbol:/ symbol:{ symbol:[ symbol:~",
  ],
  ["plain", "größe 窯 🏺pot\u00a0x _a", "word:größe word:窯 word:🏺pot\u00a0x word:_a"],
  [
    "plain",
    "'it''s' \"a\"\"b\" `c``d` {a {{b}}}",
    "string:'it''s' name:\"a\"\"b\" name:`c``d` placeholder:{a {{b}}}",
  ],
  ["plain", "1-2--3\n4/*5*/6", "number:1 symbol:- number:2 comment:--3\n number:4 comment:/*5*/ number:6"],
  ["plain", "a\t\r\n'never closed ''", "word:a string:'never closed ''"],
  ["plain", "a /* never closed", "word:a comment:/* never closed"],
  ["sqlite", '[a "b] "[c]"', 'name:[a "b] name:"[c]"'],
  [
    "postgres",
    "$$a';$b$;$$ $b$ $$ $b$ $1 a$b$c",
    "string:$$a';$b$;$$ string:$b$ $$ $b$ symbol:$ number:1 word:a$b$c",
  ],
  ["postgres", "$never$ closed $$", "string:$never$ closed $$"],
  ["mariadb", "'a\\'b' # ; '\n'\\\\' -1", "string:'a\\'b' comment:# ; '\n string:'\\\\' symbol:- number:1"],
])("tokens of %s: %s", (name, sql, expected) => {
  const tokens = tokenize(sql, rules[name]);
  expect(
    tokens
      .filter(({ kind }) => kind !== "space")
      .map(({ kind, text }) => `${kind}:${text}`)
      .join(" "),
  ).toBe(expected);
});

test("tokens lose nothing, whatever the text", () => {
  const scraps = "' \" ` [ ] $ $$ $a$ { } {{ -- /* */ # \\ \n a 窯 🏺 \ud83c 1 . 0x ; ( \u00a0"
    .split(" ")
    .concat(" ");
  const text = fc.array(fc.constantFrom(...scraps), { maxLength: 20 }).map(parts => parts.join(""));
  fc.assert(
    fc.property(text, fc.constantFrom(...Object.values(rules)), (sql, own) => {
      const tokens = tokenize(sql, own);
      expect(tokens.map(({ text }) => text).join("")).toBe(sql);
      for (const { text, at } of tokens) expect(sql.slice(at, at + text.length)).toBe(text);
      const { texts, starts } = meaningfulTokens(sql, own);
      const meaning = tokens.filter(matters);
      expect([texts, starts]).toEqual([meaning.map(({ text }) => text), meaning.map(({ at }) => at)]);
    }),
    { seed: SEED, numRuns: RUNS },
  );
});

test.each([
  [
    "two statements",
    "SELECT 1;\nSELECT 2",
    [
      ["SELECT 1", 1],
      ["SELECT 2", 2],
    ],
  ],
  [
    "semicolons in texts, names and comments",
    `SELECT ';', "a;b", [c;d], \`e;f\` -- ;\n/* ; */;`,
    [[`SELECT ';', "a;b", [c;d], \`e;f\` -- ;\n/* ; */`, 1]],
  ],
  [
    "doubled quotes",
    "SELECT 'it''s; ok'; SELECT 2;",
    [
      ["SELECT 'it''s; ok'", 1],
      ["SELECT 2", 1],
    ],
  ],
  ["comments alone", "-- nothing\n\n/* here */ ;;", []],
  [
    "a trigger",
    "-- first\nCREATE TRIGGER t AFTER UPDATE ON a WHEN CASE NEW.x WHEN 1 THEN 1 END BEGIN\n  UPDATE a SET b = CASE WHEN 1 THEN 2 END;\n  DELETE FROM c;\nEND;\nSELECT 1;",
    [
      [
        "CREATE TRIGGER t AFTER UPDATE ON a WHEN CASE NEW.x WHEN 1 THEN 1 END BEGIN\n  UPDATE a SET b = CASE WHEN 1 THEN 2 END;\n  DELETE FROM c;\nEND",
        2,
      ],
      ["SELECT 1", 6],
    ],
  ],
] as const)("statements: %s", (_, script, expected) => {
  expect(splitStatements(script, TOKENS).map(({ sql, line }) => [sql, line])).toEqual(expected);
});

test("places are filled outside of texts, names and comments only", () => {
  const text = `{weight} > 1 AND '{weight}' <> "{weight}" /* {weight} */ AND {a {{b}}} = 2`;
  expect(fillPlaceholders(text, name => `<${name}>`)).toBe(
    `<weight> > 1 AND '{weight}' <> "{weight}" /* {weight} */ AND <a {b}> = 2`,
  );
});

test("expressions are spelled one way, whatever the author's", () => {
  const columns = ["weight", "Stage", "and", "lower"].map(
    name => ({ name, type: { kind: "text" }, nullable: true }) as const,
  );
  const spell = (text: string) => spellExpression(text, columns, TOKENS);
  expect(spell(`weight  >  1 -- grams\n and "weight" < [stage]`)).toBe("{weight} > 1 and {weight} < {Stage}");
  expect(spell("lower(stage) COLLATE nocase = pieces.weight")).toBe(
    "lower({Stage}) COLLATE nocase = pieces.weight",
  );
  expect(spell(`"and" = lower and 'weight' = ''`)).toBe("{and} = {lower} and 'weight' = ''");
});

test("addresses lead back to names", () => {
  for (const table of [
    { name: "pieces" },
    { namespace: "studio", name: "pieces" },
    { namespace: "a.b", name: 'c"d' },
    { name: "x.y" },
  ]) {
    expect(parseAddress(addressOf(table))).toEqual(table);
  }
});

test("a CREATE TABLE in anybody's hand is read whole", () => {
  const sql = `CREATE TABLE IF NOT EXISTS "my table" ( -- a table
    id INTEGER CONSTRAINT "the key" PRIMARY KEY ASC AUTOINCREMENT,
    [the name] VARCHAR ( 20 ) NOT NULL ON CONFLICT IGNORE DEFAULT 'a, (b)' COLLATE nocase UNIQUE,
    price DECIMAL(10, 2) DEFAULT -1.5 CHECK (price > -2 AND price IN (1,2)),
    made DEFAULT CURRENT_TIMESTAMP, blob_default DEFAULT x'00ff',
    twice GENERATED ALWAYS AS (price * 2) STORED, thrice int AS (price * 3),
    owner REFERENCES Owners ON DELETE SET NULL DEFERRABLE INITIALLY DEFERRED,
    CONSTRAINT pair UNIQUE ("the name", price) CHECK (id <> 3)
    FOREIGN KEY (owner, id) REFERENCES "other one" (a, b) ON UPDATE CASCADE MATCH FULL ON DELETE NO ACTION NOT DEFERRABLE
  ) STRICT, WITHOUT ROWID`;
  expect(parseTable(sql)).toMatchInlineSnapshot(`
    {
      "checks": [
        {
          "name": "",
          "rules": [
            {
              "kind": "sql",
              "sql": "{price} > -2 AND {price} IN (1,2)",
            },
          ],
        },
        {
          "name": "",
          "rules": [
            {
              "kind": "sql",
              "sql": "{id} <> 3",
            },
          ],
        },
      ],
      "columns": [
        {
          "identity": "serial",
          "name": "id",
          "nullable": true,
          "type": {
            "kind": "native",
            "sql": {
              "sqlite": "INTEGER",
            },
          },
        },
        {
          "collation": "nocase",
          "default": {
            "kind": "sql",
            "sql": "'a, (b)'",
          },
          "name": "the name",
          "nullable": false,
          "options": {
            "sqlite": {
              "not null on conflict": "ignore",
            },
          },
          "type": {
            "kind": "native",
            "sql": {
              "sqlite": "VARCHAR ( 20 )",
            },
          },
        },
        {
          "default": {
            "kind": "sql",
            "sql": "-1.5",
          },
          "name": "price",
          "nullable": true,
          "type": {
            "kind": "native",
            "sql": {
              "sqlite": "DECIMAL(10, 2)",
            },
          },
        },
        {
          "default": {
            "kind": "sql",
            "sql": "CURRENT_TIMESTAMP",
          },
          "name": "made",
          "nullable": true,
          "type": {
            "kind": "native",
            "sql": {
              "sqlite": "",
            },
          },
        },
        {
          "default": {
            "kind": "sql",
            "sql": "x'00ff'",
          },
          "name": "blob_default",
          "nullable": true,
          "type": {
            "kind": "native",
            "sql": {
              "sqlite": "",
            },
          },
        },
        {
          "computed": {
            "sql": "{price} * 2",
            "stored": true,
          },
          "name": "twice",
          "nullable": true,
          "type": {
            "kind": "native",
            "sql": {
              "sqlite": "",
            },
          },
        },
        {
          "computed": {
            "sql": "{price} * 3",
            "stored": false,
          },
          "name": "thrice",
          "nullable": true,
          "type": {
            "kind": "native",
            "sql": {
              "sqlite": "int",
            },
          },
        },
        {
          "name": "owner",
          "nullable": true,
          "type": {
            "kind": "native",
            "sql": {
              "sqlite": "",
            },
          },
        },
      ],
      "foreignKeys": [
        {
          "columns": [
            "owner",
          ],
          "deferrable": "deferred",
          "name": "",
          "onDelete": "set null",
          "onUpdate": "no action",
          "options": {
            "sqlite": {
              "columns": "implied",
            },
          },
          "references": {
            "columns": [],
            "table": "Owners",
          },
        },
        {
          "columns": [
            "owner",
            "id",
          ],
          "name": "",
          "onDelete": "no action",
          "onUpdate": "cascade",
          "references": {
            "columns": [
              "a",
              "b",
            ],
            "table": "other one",
          },
        },
      ],
      "indexes": [],
      "key": {
        "columns": [
          "id",
        ],
        "name": "the key",
      },
      "name": "",
      "options": {
        "sqlite": {
          "strict": "yes",
          "without rowid": "yes",
        },
      },
      "uniques": [
        {
          "columns": [
            "the name",
          ],
          "name": "",
        },
        {
          "columns": [
            "the name",
            "price",
          ],
          "name": "pair",
        },
      ],
    }
  `);
  expect(parseTable("CREATE TABLE t (a TEXT, b, PRIMARY KEY (b DESC, a))")).toMatchInlineSnapshot(`
    {
      "checks": [],
      "columns": [
        {
          "name": "a",
          "nullable": true,
          "type": {
            "kind": "native",
            "sql": {
              "sqlite": "text",
            },
          },
        },
        {
          "name": "b",
          "nullable": true,
          "type": {
            "kind": "native",
            "sql": {
              "sqlite": "",
            },
          },
        },
      ],
      "foreignKeys": [],
      "indexes": [],
      "key": {
        "columns": [
          "b",
          "a",
        ],
        "name": "",
        "options": {
          "sqlite": {
            "terms": "["DESC",""]",
          },
        },
      },
      "name": "",
      "options": {
        "sqlite": {
          "types": "capitals",
        },
      },
      "uniques": [],
    }
  `);
  const columns = parseTable(sql).columns;
  expect(
    parseIndex(
      'CREATE UNIQUE INDEX i ON t (id DESC, lower("the name") COLLATE nocase, (price + 1)) WHERE made IS NOT NULL',
      "i",
      columns,
    ),
  ).toMatchInlineSnapshot(`
    {
      "name": "i",
      "parts": [
        {
          "column": "id",
          "descending": true,
        },
        {
          "collation": "nocase",
          "sql": "lower({the name})",
        },
        {
          "sql": "{price} + 1",
        },
      ],
      "unique": true,
      "where": "{made} IS NOT NULL",
    }
  `);
});

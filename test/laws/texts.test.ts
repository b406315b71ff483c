import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { renameInTable, renameSteps, spareAddress } from "../../src/core/change/rename.js";
import { dialects } from "../../src/core/dialect/registry.js";
import { PhraseFault, readPhrase } from "../../src/core/model/sketch/phrase.js";
import {
  classNameFor,
  codeInLines,
  codeOf,
  fileNameFor,
  isIdentifier,
  propertyFor,
} from "../../src/core/model/write/code.js";
import { addressOf, parseAddress } from "../../src/core/schema/address.js";
import { columnsOfPart } from "../../src/core/schema/lookups.js";
import { PART_KINDS, partsOf } from "../../src/core/schema/types.js";
import { parseNativeType, parseSqlList } from "../../src/core/sql/native-type.js";
import { fillPlaceholders, placeholdersIn } from "../../src/core/sql/placeholders.js";
import { splitStatements } from "../../src/core/sql/statements.js";
import { placeholderOf } from "../../src/core/sql/tokens.js";
import { arbitrarySchema } from "./arbitrary-schema.js";
import { RUNS, SEED } from "./runs.js";

const options = { seed: SEED, numRuns: RUNS };

/** Any text, but most of it made of what has a meaning where texts are cut. */
const hostile = fc
  .array(
    fc.oneof(
      fc.constantFrom(
        "'",
        '"',
        "`",
        "{",
        "}",
        ";",
        "--",
        "/*",
        "*/",
        "\\",
        "$$",
        "(",
        ")",
        "[",
        "]",
        "\n",
        " ",
        ",",
        "é",
        "🏺",
      ),
      fc.string({ maxLength: 3 }),
    ),
    { maxLength: 8 },
  )
  .map(parts => parts.join(""));

const quoted = (text: string, quote = "'") => `${quote}${text.replaceAll(quote, quote + quote)}${quote}`;

describe("SQL as text", () => {
  const name = hostile.filter(text => text !== "" && !/^[{}]+$/.test(text));
  const piece = fc.oneof(
    name.map(each => ({ text: placeholderOf(each), name: each })),
    hostile.map(text => ({ text: quoted(text.replaceAll("\\", "")), name: undefined })),
    hostile.map(text => ({ text: quoted(text, '"'), name: undefined })),
    hostile.map(text => ({ text: `/* ${text.replaceAll("*/", "")} */`, name: undefined })),
    fc.constantFrom("weight", "=", "(", ")", "12.5", "IS NOT NULL").map(text => ({ text, name: undefined })),
  );

  test("columns are found in their placeholders, whatever they are called, and nowhere else", () => {
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 9 }), pieces => {
        const sql = pieces.map(({ text }) => text).join(" ");
        const names = pieces.flatMap(each => (each.name === undefined ? [] : [each.name]));
        expect(placeholdersIn(sql)).toEqual([...new Set(names)]);
        const seen: string[] = [];
        const filled = fillPlaceholders(sql, each => {
          seen.push(each);
          return "COLUMN";
        });
        expect(seen).toEqual(names);
        expect(filled).toBe(pieces.map(each => (each.name === undefined ? each.text : "COLUMN")).join(" "));
        expect(fillPlaceholders(sql, placeholderOf)).toBe(sql);
      }),
      options,
    );
  });

  test.each(Object.values(dialects))(
    "a script of $title is cut into its statements, each with its line",
    dialect => {
      const { backslash } = dialect.tokens;
      const safe = (text: string) => (backslash ? text.replaceAll("\\", "\\\\") : text);
      const statement = fc
        .tuple(hostile, hostile, fc.boolean())
        .map(([text, called, isTrigger]) =>
          isTrigger
            ? `CREATE TRIGGER t AFTER UPDATE ON pieces BEGIN UPDATE pieces SET title = ${quoted(safe(text))}; END`
            : `UPDATE ${dialect.names.quote(called || "pieces")} SET title = ${quoted(safe(text))}`,
        );
      const between = fc.constantFrom(";\n", " ;", ";\n-- it; is 'so\n", ";/* ; \n */\n", ";;\n\n");
      fc.assert(
        fc.property(fc.array(fc.tuple(statement, between), { minLength: 1, maxLength: 5 }), parts => {
          const script = parts.map(each => each.join("")).join("");
          const found = splitStatements(script, dialect.tokens);
          expect(found.map(({ sql }) => sql)).toEqual(parts.map(([sql]) => sql));
          let from = 0;
          for (const { sql, line } of found) {
            const at = script.indexOf(sql, from);
            expect(line).toBe(script.slice(0, at).split("\n").length);
            from = at + sql.length;
          }
        }),
        options,
      );
    },
  );

  test("lists and native types say what stood in them", () => {
    const words = fc.constantFrom("enum", "set", "character varying", "numeric", "int", "timestamp");
    fc.assert(
      fc.property(
        words,
        fc.array(hostile, { minLength: 1, maxLength: 4 }),
        fc.nat(99),
        fc.nat(2),
        (word, texts, size, deep) => {
          const values = texts.map(text => quoted(text)).join(",");
          expect(parseSqlList(`${values}, -${size}, 0.5`)).toEqual([...texts, -size, 0.5]);
          expect(parseNativeType(`${word.toUpperCase()}(${values})`)).toEqual({
            ...{ name: word, numbers: [], values: texts, behind: "", dimensions: "" },
          });
          expect(parseNativeType(`${word}(${size}, 2) UNSIGNED${"[]".repeat(deep)}`)).toEqual({
            ...{ name: word, numbers: [size, 2], behind: "unsigned", dimensions: "[]".repeat(deep) },
          });
        },
      ),
      options,
    );
  });
});

describe("TypeScript that is written", () => {
  const value = fc.letrec<{ value: never }>(tie => ({
    value: fc.oneof(
      { maxDepth: 3 },
      hostile,
      fc.integer(),
      fc.boolean(),
      fc.constant(null),
      fc.array(tie("value"), { maxLength: 4 }),
      fc.dictionary(
        hostile.filter(key => key !== "__proto__"),
        tie("value"),
        { maxKeys: 4 },
      ),
    ) as fc.Arbitrary<never>,
  })).value;

  test("is the value it was written from, in one line or in several", () => {
    fc.assert(
      fc.property(value, fc.integer({ min: 5, max: 110 }), (each, room) => {
        const read = (code: string): unknown => new Function(`return (${code}\n);`)() as unknown;
        expect(read(codeOf(each))).toEqual(each);
        expect(read(codeInLines(each, "", room))).toEqual(each);
      }),
      options,
    );
  });

  test("has names that TypeScript takes, none of them twice", () => {
    fc.assert(
      fc.property(fc.array(hostile, { maxLength: 12 }), names => {
        for (const name of [
          (text: string, taken: ReadonlySet<string>) =>
            classNameFor(text, taken, word => word.replace(/s$/, "")),
          propertyFor,
        ]) {
          const taken = new Set<string>();
          for (const text of [...names, "constructor", "Object", "IsString", "class"]) {
            const given = name(text, taken);
            expect(isIdentifier(given), `${text} → ${given}`).toBe(true);
            expect(taken.has(given)).toBe(false);
            taken.add(given);
          }
        }
        expect(fileNameFor("KilnLog")).toBe("kiln-log");
      }),
      options,
    );
  });

  test("comes of a phrase, or the phrase is refused in so many words", () => {
    const words = fc.constantFrom(
      ...[
        "title",
        "varchar(80)",
        "varchar(",
        "decimal(6,2)",
        "null",
        "not null",
        "unique",
        "default",
        "'raw'",
        "1.5",
        "check",
        "(",
      ],
      ...[
        ")",
        "in",
        "('a', 'b')",
        "references",
        "Potter",
        "on delete",
        "cascade",
        "set null",
        "primary key",
        "comment",
        "between",
        "and",
        "index",
      ],
    );
    const seen = { read: 0, refused: 0 };
    fc.assert(
      fc.property(fc.array(fc.oneof({ weight: 6, arbitrary: words }, hostile), { maxLength: 7 }), phrase => {
        try {
          const field = readPhrase(["piece_title", ...phrase].join(" "));
          expect(field.name).not.toBe("");
          seen.read += 1;
        } catch (error) {
          if (!(error instanceof PhraseFault)) throw error;
          expect(error.message).not.toBe("");
          seen.refused += 1;
        }
      }),
      options,
    );
    expect(Math.min(seen.read, seen.refused)).toBeGreaterThan(RUNS / 20);
  });
});

describe("names in a table", () => {
  const schema = arbitrarySchema();

  test("are all another after a renaming, and the same again after one back", () => {
    fc.assert(
      fc.property(schema, ({ tables }) => {
        const turned = (text: string) => `${text} {turned}`;
        const back = (text: string) => text.replace(/ \{turned\}$/, "");
        const address = (change: (text: string) => string) => (text: string) => {
          const { name, ...rest } = parseAddress(text);
          return addressOf({ ...rest, name: change(name) });
        };
        for (const table of tables) {
          const there = renameInTable(table, {
            table: address(turned),
            column: (_, column) => turned(column),
          });
          for (const kind of PART_KINDS) {
            const columns = partsOf(there, kind).flatMap(part => columnsOfPart(kind, part));
            expect(columns).toEqual(
              partsOf(table, kind).flatMap(part => columnsOfPart(kind, part).map(turned)),
            );
          }
          expect(there.foreignKeys.map(({ references }) => references.table)).toEqual(
            table.foreignKeys.map(({ references }) => address(turned)(references.table)),
          );
          expect(renameInTable(there, { table: address(back), column: (_, column) => back(column) })).toEqual(
            table,
          );
        }
      }),
      options,
    );
  });

  test("are changed one after the other without two of the same, circles among them", () => {
    const list = fc.uniqueArray(
      fc.constantFrom<string[]>("a", "b", "c", "d", "e", "f", "a_between", "b_between"),
      {
        minLength: 2,
        maxLength: 8,
      },
    );
    let spared = 0;
    fc.assert(
      fc.property(list, list, fc.nat(8), (names, wanted, count) => {
        const from = names.slice(0, count);
        const staying = names.slice(count);
        const free = wanted.filter(name => !staying.includes(name));
        const renames = new Map(
          from.flatMap((name, at) => (free[at] === undefined || free[at] === name ? [] : [[name, free[at]]])),
        );
        const fixed = names.filter(name => !renames.has(name));
        const clashing = new Set([...renames.values()].filter(name => fixed.includes(name)));
        const wished = new Map([...renames].filter(([, to]) => !clashing.has(to)));
        const targets = [...wished.values()];
        // What one is to be called must be free in the end, or be given up by another.
        if (targets.some(to => names.includes(to) && !wished.has(to))) return;
        const now = new Map(names.map(name => [name, name]));
        for (const [old, next] of renameSteps(wished, new Set(names), spareAddress)) {
          expect(now.has(old)).toBe(true);
          expect(now.has(next)).toBe(false);
          now.set(next, now.get(old)!);
          now.delete(old);
          if (!targets.includes(next)) spared += 1;
        }
        for (const [end, start] of now) expect(end).toBe(wished.get(start) ?? start);
      }),
      options,
    );
    expect(spared).toBeGreaterThan(0);
  });
});

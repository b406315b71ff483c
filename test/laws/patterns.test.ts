import fc from "fast-check";
import { afterAll, describe, expect, test } from "vitest";
import * as mariadb from "../../src/core/dialect/mariadb/expressions.js";
import * as postgres from "../../src/core/dialect/postgres/expressions.js";
import * as sqlite from "../../src/core/dialect/sqlite/expressions.js";
import { expressionSql } from "../../src/core/lower/expressions.js";
import { RUNS, SEED } from "./runs.js";
import { allEngines } from "./there-and-back.js";

const EXPRESSIONS = { sqlite, postgres, mariadb };

/** Texts that engines and JavaScript may see otherwise. */
const TEXTS = [
  ...[
    "",
    " ",
    "a",
    "A",
    "ab",
    "aB",
    "abc",
    "a\n",
    "\na",
    "a\nb",
    "a\r\n",
    "\u2028",
    "\t",
    "1",
    "007",
    "12abc",
  ],
  ...[
    "-",
    "_",
    "a-b",
    "a.b",
    "a\\b",
    "[a]",
    "a]b",
    "^",
    "$",
    "é",
    "É",
    "e\u0301",
    "ß",
    "ſ",
    "K",
    "İ",
    "ı",
    "σς",
  ],
  ...["🏺", "🏺🏺", "a🏺", "١٢", "\u00a0", "\ufeff", "\u200b"],
];

const atom = fc.constantFrom(
  ...[
    "a",
    "b",
    "A",
    "é",
    "🏺",
    "1",
    "\\d",
    "\\w",
    "\\s",
    "\\D",
    "\\W",
    "\\S",
    ".",
    "\\.",
    "\\\\",
    "\\-",
    " ",
  ],
  ...[
    "[a-c]",
    "[^a]",
    "[^a-z0-9]",
    "[\\w-]",
    "[\\]\\[^]",
    "[^\\d\\s]",
    "[\\s\\S]",
    "[é-ü]",
    "[^]",
    "[-a]",
    "[0-9_.]",
  ],
  ...["\\n", "\\t", "\\u0041", "\\x61", "\\b", "\\B", "^", "$", "(?=a)", "(?!a)", "-", "\\/"],
);
const times = fc.constantFrom(
  "",
  "",
  "",
  "",
  "*",
  "+",
  "?",
  "{2}",
  "{1,3}",
  "{2,}",
  "{0,300}",
  "*?",
  "{1,500}",
);
const piece = fc
  .tuple(atom, times)
  .map(([one, count]) => (/^(?:\^|\$|\\b|\\B|\(\?.*)$/i.test(one) ? one : one + count));
const branch = fc.array(piece, { minLength: 1, maxLength: 4 }).map(pieces => pieces.join(""));
const group = fc
  .tuple(branch, branch, fc.constantFrom("", "?", "{2}"))
  .map(([one, other, count]) => `(${one}|${other})${count}`);
const arbitraryPattern = fc
  .tuple(
    fc.boolean(),
    fc.array(fc.oneof({ arbitrary: branch, weight: 3 }, group), { minLength: 1, maxLength: 3 }),
    fc.boolean(),
  )
  .map(([start, parts, end]) => `${start ? "^" : ""}${parts.join("")}${end ? "$" : ""}`);

/** Beyond what one repetition may say: https://www.postgresql.org/docs/15/functions-matching.html */
const REPEATED: readonly (readonly [pattern: string, lengths: readonly number[]])[] = [
  ["^a{1,300}$", [0, 1, 254, 255, 256, 300, 301]],
  ["^a{300}$", [299, 300, 301]],
  ["^(?:aa){256,}$", [510, 511, 512, 514]],
  ["^a{1,500}$", [500, 501]],
];

describe.each(await allEngines())("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine)("a pattern that is held is one of JavaScript's, whatever the text", async () => {
    const { dialect, rows } = engine!;
    const { literalSql, ruleSql } = EXPRESSIONS[dialect.name as keyof typeof EXPRESSIONS];
    const list = TEXTS.map((text, at) => `SELECT ${at} AS at, ${literalSql(text)} AS t`).join(" UNION ALL ");
    let held = 0;
    await fc.assert(
      fc.asyncProperty(
        arbitraryPattern,
        fc.constantFrom("", "", "u", "i", "s", "iu", "m", "g"),
        async (pattern, flags) => {
          const rule = { kind: "pattern", column: "t", pattern, flags } as const;
          const settled = ruleSql(rule, undefined);
          expect(settled === undefined).toBe(dialect.types.cannotHold(rule) !== undefined);
          if (settled === undefined) return;
          held += 1;
          const sql = expressionSql(settled, dialect.name, dialect.names.quote);
          const found = await rows(`SELECT at FROM (${list}) AS texts WHERE ${sql} ORDER BY at`).catch(
            (error: unknown) => {
              throw new Error(`${(error as Error).message}\n${sql}`);
            },
          );
          const fits = TEXTS.filter(text => text.match(new RegExp(pattern, flags)) !== null);
          expect(
            found.map(row => TEXTS[Number(row["at"])]),
            sql,
          ).toEqual(fits);
        },
      ),
      { seed: SEED, numRuns: RUNS * 3, ...(process.env["LAW_TELL"] && { endOnFailure: true }) },
    );
    for (const [pattern, lengths] of REPEATED)
      for (const length of lengths) {
        const settled = ruleSql({ kind: "pattern", column: "t", pattern, flags: "" }, undefined);
        if (settled === undefined) continue;
        const text = "a".repeat(length);
        const sql = expressionSql(settled, dialect.name, dialect.names.quote);
        const [row] = await rows(
          `SELECT count(*) AS n FROM (SELECT ${literalSql(text)} AS t) AS texts WHERE ${sql}`,
        );
        expect([pattern, length, Number(row?.["n"])]).toEqual([
          pattern,
          length,
          new RegExp(pattern).test(text) ? 1 : 0,
        ]);
      }
    expect(held).toBeGreaterThan(name === "SQLite" ? 0 : RUNS / 3);
  });
});

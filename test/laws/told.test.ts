import fc from "fast-check";
import { stripVTControlCharacters } from "node:util";
import stringWidth from "fast-string-width";
import { afterEach, expect, test } from "vitest";
import { columns, fitLines } from "../../src/cli/terminal/layout.js";
import picocolors from "picocolors";
import { diff } from "../../src/core/change/diff.js";
import { tableOf } from "../../src/core/change/types.js";
import { addressOf } from "../../src/core/schema/address.js";
import { besideOf } from "../../src/tasks/beside.js";
import { arbitrarySchema, hintsBetween } from "./arbitrary-schema.js";
import { RUNS, SEED } from "./runs.js";

test("held beside another version, each change of a schema is told once, at a table that the database has", () => {
  fc.assert(
    fc.property(arbitrarySchema(), arbitrarySchema(), fc.integer(), (before, after, seed) => {
      const changes = diff(before, after, hintsBetween(before, after, seed));
      const { byTable, missing, others } = besideOf(changes);
      const told = [...byTable.values()].reduce((sum, list) => sum + list.length, 0);
      const lacked = missing.map(({ table }) => table);
      const ofMissing = changes.filter(
        change => change.kind !== "add table" && lacked.includes(tableOf(change)!),
      );
      // A name that is taken for a while, as where two change places.
      const onTheWay = changes.filter(
        change =>
          /^rename (?:table|column)$/.test(change.kind) &&
          "from" in change &&
          /_between\d*"?$/.test(change.from),
      );
      const all = told + missing.length + others.length + ofMissing.length + onTheWay.length;
      expect(all).toBe(changes.length);
      const here = before.tables.map(addressOf);
      expect([...byTable.keys()].filter(address => !here.includes(address))).toEqual([]);
    }),
    { numRuns: RUNS, seed: SEED },
  );
});

const { columns: atFirst } = process.stdout;
afterEach(() => {
  process.stdout.columns = atFirst;
});

test("columns keep to the terminal's width, and nothing is cut off", () => {
  const cell = fc
    .array(
      fc.oneof(fc.string({ maxLength: 40 }), fc.constantFrom("…", "漢字", "uq_pieces_potter_id_title")),
      { maxLength: 8 },
    )
    .map(words => stripVTControlCharacters(words.join(" ")).replace(/[\s\p{C}]+/gu, " "));
  const lines = fc.array(fc.array(cell, { minLength: 4, maxLength: 4 }), { minLength: 1, maxLength: 4 });
  const letters = (text: string) => [...text.replace(/\s/g, "")].sort().join("");
  fc.assert(
    fc.property(lines, fc.integer({ min: 60, max: 200 }), fc.boolean(), (rows, width, indented) => {
      const given = indented ? rows.map(([first, ...rest]) => [`  ${first!}`, ...rest]) : rows;
      process.stdout.columns = width;
      const text = columns(["", "", "", ""], given, picocolors.createColors(false));
      expect(Math.max(...text.split("\n").map(line => stringWidth(line)))).toBeLessThanOrEqual(width);
      expect(letters(text)).toBe(letters(rows.flat().join("")));
      const prose = fitLines(given.map(cells => cells.join(" ")).join("\n"), width);
      expect(Math.max(...prose.split("\n").map(line => stringWidth(line)))).toBeLessThanOrEqual(width);
      expect(letters(prose)).toBe(letters(text));
      // A terminal that says it has no width.
      process.stdout.columns = 0;
      expect(columns(["", "", "", ""], given, picocolors.createColors(false)).split("\n")).toHaveLength(
        rows.length,
      );
    }),
    { numRuns: RUNS, seed: SEED },
  );
});

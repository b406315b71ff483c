import fc from "fast-check";
import { afterAll, expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import { blocksFor } from "../../src/core/plan/plan.js";
import { literalSql } from "../../src/core/dialect/sqlite/expressions.js";
import { quote } from "../../src/core/dialect/sqlite/names.js";
import { inReferenceOrder, rowMaker, type MadeUp } from "../../src/core/rows/made-up.js";
import { addressOf, quoteAddress } from "../../src/core/schema/address.js";
import { EMPTY_SCHEMA } from "../../src/core/schema/types.js";
import { sqliteEngine } from "../engines/sqlite.js";
import { arbitrarySchema } from "./arbitrary-schema.js";
import { RUNS, SEED } from "./runs.js";

const engine = sqliteEngine();
afterAll(() => engine.close());

const write = (value: MadeUp) => {
  if (value === null || value === undefined) return "NULL";
  return typeof value === "object" ? `X'${value.bytes}'` : literalSql(value);
};

test("made-up rows keep to the rules that are data: the database takes them", async () => {
  let [taken, refused] = [0, 0];
  await fc.assert(
    fc.asyncProperty(arbitrarySchema(), async schema => {
      await engine.empty();
      for (const { statements } of blocksFor(engine.dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)))
        for (const statement of statements) await engine.run(statement);
      const places = new Map(
        schema.tables.map((table, at) => [
          addressOf(table),
          addressOf(engine.dialect.types.settle(schema).tables[at]!),
        ]),
      );
      for (const table of inReferenceOrder(schema)) {
        const place = quoteAddress(places.get(addressOf(table))!, quote);
        const maker = rowMaker(table, new Map(), () => []);
        for (let at = 0; at < 4; at += 1) {
          const row = maker.row(at, false);
          if (!row || row.size === 0) continue;
          const sql = `INSERT INTO ${place} (${[...row.keys()].map(quote).join(", ")}) VALUES (${[...row.values()].map(write).join(", ")})`;
          const isOwn = table.checks.some(check => check.rules.some(({ kind }) => kind === "sql"));
          await engine.run(sql).then(
            () => (taken += 1),
            (error: unknown) => {
              refused += 1;
              // Only what made-up rows cannot know of may be in their way.
              if (!isOwn) expect(`${String(error)}: ${sql}`).toMatch(/UNIQUE constraint/);
            },
          );
        }
      }
    }),
    { seed: SEED, numRuns: RUNS },
  );
  expect(taken).toBeGreaterThan(refused * 4);
});

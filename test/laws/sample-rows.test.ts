import fc from "fast-check";
import { afterAll, describe, expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import { blocksFor } from "../../src/core/plan/plan.js";
import { addressOf, quoteAddress } from "../../src/core/schema/address.js";
import { EMPTY_SCHEMA, type Schema, type Table } from "../../src/core/schema/types.js";
import type { Database } from "../../src/database/session/database.js";
import { fillTables, printRows } from "../../src/database/made-up-rows.js";
import { copySample } from "../../src/database/sample-rows.js";
import { withScratch } from "../../src/database/open.js";
import { arbitrarySchema } from "./arbitrary-schema.js";
import { PATIENCE, RUNS, SEED } from "./runs.js";
import { allEngines } from "./there-and-back.js";

const build = async (database: Database, schema: Schema) => {
  for (const { statements } of blocksFor(database.dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)))
    for (const statement of statements) await database.runScripted(statement);
};

/** Rows of a table that refer to nothing. */
const dangling = async ({ dialect, rows }: Database, table: Table): Promise<number> => {
  let found = 0;
  for (const { columns, references } of table.foreignKeys) {
    const own = columns.map(name => `r.${dialect.names.quote(name)}`);
    const same = references.columns.map((name, at) => `k.${dialect.names.quote(name)} = ${own[at]}`);
    const [row] = await rows(
      `SELECT count(*) AS n FROM ${quoteAddress(addressOf(table), dialect.names.quote)} AS r WHERE ${own.map(each => `${each} IS NOT NULL AND `).join("")}` +
        `NOT EXISTS (SELECT 1 FROM ${quoteAddress(references.table, dialect.names.quote)} AS k WHERE ${same.join(" AND ")})`,
    );
    found += Number(row!["n"]);
  }
  return found;
};

const servers = (await allEngines()).filter(([name]) => name !== "embedded PostgreSQL");

describe.each(servers)("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine)(
    "a sample of a database's rows is copied as it is, with all that it refers to",
    async () => {
      const without = name === "MariaDB" ? "🏺" : "";
      let copied = 0;
      await fc.assert(
        fc.asyncProperty(arbitrarySchema({ without }), async schema => {
          await engine!.empty();
          const source = await engine!.open();
          try {
            await build(source, schema);
            await fillTables(source, schema, { rows: 5, rules: () => new Map() });
            const settled = source.dialect.types.settle(schema).tables;
            const prints = await printRows(source, settled);
            await withScratch(source.target, {}, async ({ database }) => {
              await build(database, schema);
              copied += await copySample(source, database, schema, 9);
              expect(await printRows(database, settled)).toEqual(prints);
            });
            await withScratch(source.target, {}, async ({ database }) => {
              await build(database, schema);
              await copySample(source, database, schema, 1);
              for (const table of settled) expect(await dangling(database, table)).toBe(0);
              for (const [address, { rows }] of await printRows(database, settled)) {
                const { rows: all } = prints.get(address)!;
                expect(rows).toBeLessThanOrEqual(all);
                expect(rows).toBeGreaterThanOrEqual(Math.min(all, 1));
              }
            });
          } finally {
            await source.close();
          }
        }),
        { seed: SEED, numRuns: Math.ceil(RUNS / 20) },
      );
      expect(copied).toBeGreaterThan(RUNS / 20);
    },
    PATIENCE,
  );
});

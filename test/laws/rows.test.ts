import fc from "fast-check";
import { afterAll, describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import type { DataType, Schema } from "../../src/core/schema/types.js";
import { arbitrarySchema, hintsBetween } from "./arbitrary-schema.js";
import { withSmallChanges } from "./small-changes.js";
import { PATIENCE, RUNS, SEED } from "./runs.js";
import { allEngines, thereAndBack } from "./there-and-back.js";

describe.each(await allEngines())("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine)(
    "going back brings every row as it was, dropped tables and columns and converted values among them",
    async () => {
      const told = { went: 0, refused: 0, rows: 0, kept: 0, lost: 0 };
      const schema = arbitrarySchema({ without: name === "MariaDB" ? "🏺" : "", hostile: true });
      await fc.assert(
        fc.asyncProperty(schema, schema, fc.nat(30), async (a, b, seed) => {
          const changes = diff(a, b, hintsBetween(a, b, seed));
          await thereAndBack(engine!, { a, b: apply(a, changes), changes }, told);
        }),
        { seed: SEED, numRuns: RUNS },
      );
      if (process.env["LAW_TELL"]) process.stdout.write(`${name}: ${JSON.stringify(told)}\n`);
      // Rows that stand in the way of a constraint are rightly refused; most are not.
      expect(told.went).toBeGreaterThan(told.refused);
      expect(told.rows).toBeGreaterThan(RUNS);
      expect(told.kept).toBeGreaterThan(RUNS / 4);
    },
    PATIENCE,
  );

  test.runIf(engine)(
    "so it does with small changes, of which some are made without a row being written",
    async () => {
      const told = { went: 0, refused: 0, rows: 0, kept: 0, lost: 0, quick: 0 };
      const schema = arbitrarySchema({ without: name.includes("MariaDB") ? "🏺" : "", hostile: true });
      await fc.assert(
        fc.asyncProperty(schema, fc.nat(2 ** 30), async (a, seed) => {
          const changes = diff(a, withSmallChanges(a, seed));
          await thereAndBack(engine!, { a, b: apply(a, changes), changes }, told);
        }),
        { seed: SEED, numRuns: Math.ceil(RUNS / (engine!.dialect.onServer ? 10 : 2)) },
      );
      if (process.env["LAW_TELL"]) process.stdout.write(`${name}: ${JSON.stringify(told)}\n`);
      expect(told.went).toBeGreaterThan(told.refused);
      expect(told.quick > told.went / 10).toBe(!name.includes("PostgreSQL"));
    },
    PATIENCE,
  );

  test.runIf(engine && engine.dialect.render.online)(
    "so it does step by step, while others may write",
    async () => {
      const told = { went: 0, refused: 0, rows: 0, kept: 0, lost: 0, online: 0, filled: 0, seconds: 0 };
      const schema = arbitrarySchema({ without: name.includes("MariaDB") ? "🏺" : "", hostile: true });
      const small = fc
        .tuple(schema, fc.nat(2 ** 30))
        .map(([a, seed]) => [a, withSmallChanges(a, seed), seed % 3 > 0] as const);
      const others = fc.tuple(schema, schema, fc.boolean());
      const filled = schema.map(a => [a, allRequired(a), false] as const);
      const retyped = schema.map(a => [a, allRetyped(a), false] as const);
      const isSecond = name.includes("PostgreSQL");
      const ways = fc.oneof(
        { weight: 2, arbitrary: small },
        ...[others, filled, ...(isSecond ? [retyped] : [])],
      );
      await fc.assert(
        fc.asyncProperty(ways, fc.nat(30), async ([a, version, loses], seed) => {
          const renames = seed % 3 === 0 ? NO_RENAMES : undefined;
          const changes = diff(a, version, hintsBetween(a, version, seed, renames));
          const way = { a, b: apply(a, changes), changes, online: true, loses };
          await thereAndBack(engine!, way, told);
        }),
        { seed: SEED, numRuns: Math.ceil(RUNS / 2) },
      );
      if (process.env["LAW_TELL"]) process.stdout.write(`${name}: ${JSON.stringify(told)}\n`);
      expect(told.online).toBeGreaterThan(RUNS / 20);
      expect(told.filled).toBeGreaterThan(RUNS / 150);
      if (isSecond) expect(told.seconds).toBeGreaterThan(RUNS / 50);
    },
    PATIENCE,
  );
});

const NO_RENAMES = { tables: new Map<string, string>(), columns: new Map<string, Map<string, string>>() };

/** What values of a type can become, all that tells rows apart aside. */
const LARGER: Readonly<Partial<Record<DataType["kind"], DataType>>> = {
  smallint: { kind: "integer" },
  integer: { kind: "bigint" },
  text: { kind: "varchar", length: 200 },
  real: { kind: "double" },
  decimal: { kind: "decimal", precision: 20, scale: 6 },
  date: { kind: "timestamptz" },
};

/** The same, with columns of other types. */
function allRetyped({ tables, ...schema }: Schema): Schema {
  return {
    ...schema,
    tables: tables.map(table => {
      const columns = table.columns.map(column => {
        const type = LARGER[column.type.kind];
        const isKey = column.identity !== undefined || table.key?.columns.includes(column.name);
        return !type || isKey || column.computed ? column : { ...column, type };
      });
      return { ...table, columns };
    }),
  };
}

/** The same, with nothing left out that may be said: what is null gets a value. */
function allRequired({ tables, ...schema }: Schema): Schema {
  return {
    ...schema,
    tables: tables.map(table => {
      const refers = new Set(table.foreignKeys.flatMap(({ columns }) => columns));
      const columns = table.columns.map(column =>
        column.computed || refers.has(column.name) ? column : { ...column, nullable: false },
      );
      return { ...table, columns };
    }),
  };
}

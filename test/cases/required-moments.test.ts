import { afterAll, describe, expect, test } from "vitest";
import { diff, fillKey, type DiffHints } from "../../src/core/change/diff.js";
import { apply } from "../../src/core/change/apply.js";
import { invert } from "../../src/core/change/invert.js";
import { blocksFor } from "../../src/core/plan/plan.js";
import {
  EMPTY_SCHEMA,
  type Check,
  type Column,
  type Schema,
  type Table,
} from "../../src/core/schema/types.js";
import { allEngines, driftFrom } from "../laws/there-and-back.js";

const FIRED: Column = { name: "fired", type: { kind: "timestamptz" }, nullable: false };
const MAYBE: Column = { ...FIRED, nullable: true };
const LATER: Column = { ...FIRED, name: "later" };
const DATED: Column = { ...FIRED, type: { kind: "timestamp" } };
const DEFAULTED: Column = { ...FIRED, default: { kind: "value", value: "2026-03-04T05:06:07Z" } };
const PLAIN: Column = { ...FIRED, options: { mariadb: { "not null": "plain" } } };
const MOMENT = "2026-03-04 05:06:07";

const firings = (column: Column, more: Partial<Table> = {}): Schema => ({
  tables: [
    {
      name: "firings",
      columns: [{ name: "id", type: { kind: "integer" }, nullable: false }, column],
      uniques: [],
      indexes: [],
      foreignKeys: [],
      checks: [],
      ...more,
    },
  ],
});
const without = {
  tables: [{ ...firings(FIRED).tables[0]!, columns: [firings(FIRED).tables[0]!.columns[0]!] }],
};
const keyed = { key: { name: "pk_firings", columns: ["fired"] } };
const beside: Check = {
  name: "fired",
  column: "fired",
  rules: [{ kind: "min", column: "fired", value: "2000-01-01T00:00:00.000Z" }],
};
const fill: DiffHints = { fills: new Map([[fillKey("firings", "fired"), { kind: "value", value: MOMENT }]]) };

/** How a required moment comes about: each way ends with one of the name that stands last. */
const WAYS: Readonly<Record<string, readonly [Schema, Schema, DiffHints?]>> = {
  "made with its table": [EMPTY_SCHEMA, firings(FIRED)],
  "made with a default": [EMPTY_SCHEMA, firings(DEFAULTED)],
  "required from now on": [firings(MAYBE), firings(FIRED)],
  "filled and required": [firings(MAYBE), firings(FIRED), fill],
  "added and filled": [without, firings(FIRED), fill],
  "of another type": [firings(DATED), firings(FIRED)],
  "of another type, filled": [firings({ ...DATED, nullable: true }), firings(FIRED), fill],
  "no key any more": [firings(FIRED, keyed), firings(FIRED)],
  "without a default": [firings(DEFAULTED), firings(FIRED)],
  "no longer plain": [firings(PLAIN), firings(FIRED)],
  "without the check beside it": [firings(FIRED, { checks: [beside] }), firings(FIRED)],
  renamed: [
    firings(LATER),
    firings(FIRED),
    { columns: new Map([["firings", new Map([["later", "fired"]])]]) },
  ],
};

describe.each(await allEngines())("a required moment on a real %s", (name, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine).each(Object.entries(WAYS))(
    "%s takes no null, there and back",
    async (_, [a, b, hints]) => {
      await engine!.empty();
      const database = await engine!.open();
      try {
        const run = async (from: Schema, changes: ReturnType<typeof diff>) => {
          for (const { statements } of blocksFor(database.dialect, from, changes))
            for (const statement of statements) await database.runScripted(statement);
          expect(await driftFrom(database, apply(from, changes))).toEqual([]);
        };
        // As sessions of an application's own may be, where null becomes the current moment of itself.
        const lax = (isLax: boolean) =>
          name === "MariaDB"
            ? database.run(
                `SET sql_mode = '${isLax ? "" : "STRICT_ALL_TABLES"}', explicit_defaults_for_timestamp = ${isLax ? "OFF" : "ON"}`,
              )
            : undefined;
        const refuses = async ({ tables: [table] }: Schema) => {
          for (const { name: column, nullable } of table?.columns.slice(1) ?? []) {
            if (
              nullable ||
              table!.columns[1]!.type.kind !== "timestamptz" ||
              table!.key ||
              table!.checks.length > 0 ||
              table!.columns[1] === PLAIN
            )
              continue;
            await lax(true);
            await expect(
              database.run(`INSERT INTO firings (id, ${column}) VALUES (2, NULL)`),
            ).rejects.toThrow();
            await expect(database.run(`UPDATE firings SET ${column} = NULL`)).rejects.toThrow();
            await lax(false);
          }
        };
        await run(EMPTY_SCHEMA, diff(EMPTY_SCHEMA, a));
        const [column] = a.tables[0]?.columns.slice(1) ?? [];
        if (a.tables.length > 0)
          await database.run(
            column
              ? `INSERT INTO firings (id, ${column.name}) VALUES (1, '${MOMENT}')`
              : "INSERT INTO firings (id) VALUES (1)",
          );
        const changes = diff(a, b, hints);
        await run(a, changes);
        if (a.tables.length === 0)
          await database.run(`INSERT INTO firings (id, fired) VALUES (1, '${MOMENT}')`);
        await refuses(b);
        await run(b, invert(changes));
        await refuses(a);
      } finally {
        await database.close();
      }
    },
  );

  test.runIf(engine && name === "MariaDB")("plain ones are adopted as they are, and told", async () => {
    await engine!.empty();
    await engine!.run(
      "CREATE TABLE firings (a timestamp NOT NULL DEFAULT current_timestamp(), b timestamp(6) NOT NULL DEFAULT '2026-03-04 05:06:07', c timestamp(6) NULL CHECK (c IS NOT NULL), d timestamp(6) NULL, PRIMARY KEY (a))",
    );
    const [table] = (await engine!.readCatalog()).schema.tables;
    expect(table!.columns.map(({ nullable, options }) => [nullable, options?.["mariadb"]])).toEqual([
      [false, undefined],
      [false, { "not null": "plain" }],
      [false, undefined],
      [true, undefined],
    ]);
    expect(table!.checks).toEqual([]);
  });
});

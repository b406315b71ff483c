import { afterAll, describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff, fillKey } from "../../src/core/change/diff.js";
import { invert } from "../../src/core/change/invert.js";
import { blocksFor, planFor } from "../../src/core/plan/plan.js";
import { probes } from "../../src/core/plan/probes.js";
import { EMPTY_SCHEMA, type Schema, type Table } from "../../src/core/schema/types.js";
import { runProbes } from "../../src/database/count-rows.js";
import { allEngines, runner } from "../laws/there-and-back.js";

const FIRINGS: Table = {
  name: "firings",
  columns: [
    { name: "what", type: { kind: "text" }, nullable: false },
    { name: "degrees", type: { kind: "integer" }, nullable: true },
    { name: "note", type: { kind: "text" }, nullable: true },
  ],
  uniques: [],
  indexes: [],
  foreignKeys: [],
  checks: [],
};
const A: Schema = { tables: [FIRINGS] };
const B: Schema = {
  tables: [
    {
      ...FIRINGS,
      columns: [FIRINGS.columns[0]!, { name: "degrees", type: { kind: "text" }, nullable: false }],
    },
  ],
};

describe.each(await allEngines())("rows that nothing tells apart, on a real %s", (_, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine)(
    "get back what went, equal ones each in their turn; those changed since do not",
    async () => {
      await engine!.empty();
      const database = await engine!.open();
      try {
        const { dialect } = database;
        const changes = diff(A, B, {
          fills: new Map([[fillKey("firings", "degrees"), { kind: "value", value: "cold" }]]),
        });
        const { run } = runner(database, { a: A, b: apply(A, changes), changes });
        for (const { statements } of blocksFor(dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, A)))
          for (const statement of statements) await database.runScripted(statement);
        const rows = async (columns: string) =>
          (await database.rows(`SELECT ${columns} FROM firings ORDER BY what, degrees, 1`)).map(row =>
            Object.values(row).map(value => (value === null ? null : String(value))),
          );
        await database.run(
          "INSERT INTO firings VALUES ('glaze', 1060, 'x'), ('glaze', 1060, 'x'), ('glaze', 1060, 'y'), ('raku', NULL, 'z'), ('salt', NULL, NULL)",
        );
        await run("forward");
        expect(await rows("what, degrees")).toEqual([
          ["glaze", "1060"],
          ["glaze", "1060"],
          ["glaze", "1060"],
          ["raku", "cold"],
          ["salt", "cold"],
        ]);
        const back = planFor(dialect, B, invert(changes), { number: "0001", direction: "back" });
        const lost = async () =>
          (await runProbes(database, probes(back, dialect, "back")))
            .filter(({ meaning }) => meaning === "loses")
            .map(({ count, question }) => `${count} ${question}`);
        expect(await lost()).toEqual([]);
        await database.run("UPDATE firings SET degrees = '900' WHERE what = 'raku'");
        await database.run("INSERT INTO firings VALUES ('glaze', '1060'), ('wood', '1280')");
        expect(await lost()).toEqual(["1 rows kept of firings, which no row is any more as it was"]);
        await run("back");
        const after = await rows("what, degrees, note");
        expect(after.map(([what, degrees]) => [what, degrees])).toEqual([
          ["glaze", "1060"],
          ["glaze", "1060"],
          ["glaze", "1060"],
          ["glaze", "1060"],
          ["raku", "900"],
          ["salt", null],
          ["wood", "1280"],
        ]);
        expect(after.map(([, , note]) => note).toSorted()).toEqual([null, null, null, null, "x", "x", "y"]);
      } finally {
        await database.close();
      }
    },
  );
});

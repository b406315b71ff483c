import { afterAll, describe, expect, test } from "vitest";
import { allEngines } from "../laws/there-and-back.js";

/** Checks in anybody's words, and the rules they are; those of "sent" only where an engine keeps no words of its own. */
const CASES: Readonly<Record<string, { readonly rules: string; readonly everywhere?: true }>> = {
  "w >= 1 AND w <= 9": { rules: "min w 1, max w 9", everywhere: true },
  "w between 1 and 9": { rules: "min w 1, max w 9" },
  "w > 0 and w < 10": { rules: "above w 0, below w 10" },
  "w >= -5": { rules: "min w -5", everywhere: true },
  "w IN (1, 2)": { rules: "in w 1 2", everywhere: true },
  "price >= 0": { rules: "min price 0", everywhere: true },
  "price between 0 and 99.5": { rules: "min price 0, max price 99.5" },
  "height > 0.5": { rules: "above height 0.5", everywhere: true },
  "char_length(title) between 2 and 8": { rules: "min length title 2, max length title 8" },
  "w + 1 between 1 and 9": { rules: "sql" },
  "w between 1 and 9 or price >= 0": { rules: "sql" },
};

describe.each(await allEngines())("a database adopted from a real %s", (_, engine) => {
  afterAll(() => engine?.close());

  const respells = engine?.dialect.catalog.respells ?? true;
  const cases = Object.entries(CASES).filter(([, { everywhere }]) => respells || everywhere);
  test.runIf(engine).each(cases)("takes %s for rules", async (condition, { rules }) => {
    await engine!.empty();
    await engine!.run(
      `CREATE TABLE pieces (w integer, price decimal(8,2), height double precision, title varchar(40), CONSTRAINT ck CHECK (${condition}))`,
    );
    const { types } = engine!.dialect;
    const held = types.unspell((await engine!.readCatalog()).schema);
    const raised = types.raise(held);
    const found = raised.tables[0]?.checks[0]?.rules.map(rule => Object.values(rule).flat().join(" "));
    const isSql = raised.tables[0]?.checks[0]?.rules.every(({ kind }) => kind === "sql");
    expect(isSql ? "sql" : found?.join(", ")).toBe(rules);
    expect(types.settle(raised).tables[0]?.checks).toEqual(held.tables[0]?.checks);
  });
});

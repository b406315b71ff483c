import { expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import { likelyRenames } from "../../src/core/change/likeness.js";
import { describeChange, titleOf } from "../../src/core/change/words.js";
import { widens } from "../../src/core/dialect/registry.js";
import { parseDataType } from "../../src/core/schema/data-type.js";
import type { Schema } from "../../src/core/schema/types.js";
import { fillOf } from "../../src/tasks/fills.js";
import { askAll } from "../../src/tasks/questions.js";
import { ID, table, TITLE, WEIGHT } from "./render-cases.js";

const NOTES = { name: "notes", type: { kind: "text" }, nullable: true } as const;
const LAYERS = { name: "layers", type: { kind: "integer" }, nullable: false } as const;
const before: Schema = {
  tables: [
    table("shelves", { columns: [ID, TITLE, WEIGHT] }),
    table("pieces", { columns: [ID, TITLE, WEIGHT, NOTES] }),
  ],
};
const after: Schema = {
  tables: [
    table("racks", {
      columns: [ID, TITLE, { ...WEIGHT, name: "load" }],
      key: { name: "pk_shelves", columns: ["id"] },
    }),
    table("pieces", { columns: [ID, TITLE, { ...WEIGHT, name: "weight_grams", nullable: false }, LAYERS] }),
    table("firings", { columns: [ID, LAYERS, NOTES] }),
  ],
};

test("what goes while its like comes is asked about, tables first, and then what old rows get", async () => {
  const asked: string[] = [];
  const answering = (yes: boolean) =>
    askAll({}, before, after, {
      isRename: async ({ from, to, score }) => {
        asked.push(`${from} → ${to}`);
        expect(score).toBeGreaterThanOrEqual(0.55);
        expect(score).toBeLessThanOrEqual(1);
        return yes;
      },
      fill: async ({ table: address, column, isNew }) => {
        asked.push(`${address}.${column.name} ${isNew ? "is new" : "is required"}`);
        return yes ? fillOf(column, "3") : undefined;
      },
    });
  const changes = diff(before, after, await answering(true));
  expect(changes.map(titleOf)).toEqual([
    "drop column pieces.notes (text, may be null)",
    "rename table shelves to racks",
    "rename column racks.weight to load",
    "rename column pieces.weight to weight_grams",
    "alter column pieces.weight_grams (may be null → required; null in old rows becomes 3)",
    "add table firings (3 columns)",
    "add column pieces.layers (integer, required, old rows get 3)",
  ]);
  expect(asked.splice(0)).toEqual([
    "shelves → racks",
    "pieces.weight → pieces.weight_grams",
    "racks.weight → racks.load",
    "pieces.weight_grams is required",
    "pieces.layers is new",
  ]);
  // A no is a no: nothing is renamed.
  const apart = diff(before, after, await answering(false));
  expect(apart.map(describeChange).filter(words => words.startsWith("rename"))).toEqual([]);
  expect(asked).toEqual([
    "shelves → racks",
    "pieces.weight → pieces.weight_grams",
    "pieces.weight_grams is new",
    "pieces.layers is new",
  ]);
  expect(likelyRenames(diff({ tables: [] }, after))).toEqual([]);
});

test.each([
  ["varchar(20)", "varchar(40)", true],
  ["varchar(40)", "varchar(20)", false],
  ["varchar(40)", "text", true],
  ["text", "varchar(40)", false],
  ["char(4)", "text", false],
  ["smallint", "bigint", true],
  ["bigint", "integer", false],
  ["integer", "decimal(12,2)", true],
  ["integer", "decimal(10,2)", false],
  ["decimal(8,2)", "decimal(10,3)", true],
  ["decimal(8,2)", "decimal(8,3)", false],
  ["real", "double", true],
  ["double", "real", false],
  ["integer", "text", false],
  ["date", "timestamp", false],
  ["uuid", "uuid", true],
])("%s as %s takes every value as it is: %s", (from, to, holds) => {
  expect(widens(parseDataType(from)!, parseDataType(to)!)).toBe(holds);
  const native = (text: string) =>
    ({
      kind: "native",
      sql: { postgres: text.replace("double", "double precision").replace("decimal", "numeric") },
    }) as const;
  expect(widens(native(from), native(to))).toBe(holds);
});

test.each([
  ["boolean", "yes"],
  ["integer", "1.5"],
  ["bigint", "99999999999999999999"],
  ["decimal(4,2)", "twelve"],
  ["double", ""],
])("--fill of a %s refuses %j", (type, value) => {
  const column = { name: "c", type: parseDataType(type)!, nullable: false };
  expect(() => fillOf(column, value)).toThrow(expect.objectContaining({ code: "E118" }));
});

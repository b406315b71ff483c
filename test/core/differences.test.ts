import { expect, test } from "vitest";
import { describeDifference, describeWithin } from "../../src/core/change/words.js";
import type { Change } from "../../src/core/change/types.js";
import type { Rule } from "../../src/core/schema/types.js";
import { refers } from "./render-cases.js";

const check = (before: readonly Rule[], after: readonly Rule[]): Change => ({
  ...{ kind: "alter part", table: "pieces", what: "check" },
  before: { name: "ck_pieces_stage", rules: before },
  after: { name: "ck_pieces_stage", rules: after },
});
const stages = (...values: string[]): Rule => ({ kind: "in", column: "stage", values });

test.each<[string, Change, string]>([
  ["a value more", check([stages("raw", "fired")], [stages("raw", "fired", "sold")]), "stage: + 'sold'"],
  ["one for another", check([stages("raw", "it's")], [stages("raw", "sold")]), "stage: − 'it's', + 'sold'"],
  ["in another order", check([stages("a", "b")], [stages("b", "a")]), "stage: in another order"],
  [
    "one rule of two",
    check(
      [
        { kind: "min", column: "weight", value: 1 },
        { kind: "max", column: "weight", value: 9 },
      ],
      [
        { kind: "min", column: "weight", value: 1 },
        { kind: "max", column: "weight", value: 12 },
      ],
    ),
    "− weight <= 9, + weight <= 12",
  ],
  [
    "a delete rule",
    {
      ...{ kind: "alter part", table: "pieces", what: "foreign key" },
      before: refers("pieces", "potter_id", "potters"),
      after: refers("pieces", "potter_id", "potters", { onDelete: "cascade" }),
    },
    "on delete restrict → on delete cascade",
  ],
])("%s is said alone", (_, change, words) => {
  expect(describeDifference(change)).toBe(words);
  expect(describeWithin(change)).not.toContain("pieces ");
});

import { expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import { risks } from "../../src/core/change/risk.js";
import { describeChange } from "../../src/core/change/words.js";
import { planFor } from "../../src/core/plan/plan.js";
import { probes } from "../../src/core/plan/probes.js";
import { widens } from "../../src/core/dialect/registry.js";
import { sqlite } from "../../src/core/dialect/sqlite/index.js";
import type { Schema } from "../../src/core/schema/types.js";
import { CASES, ID, potterId, refers, table, TITLE, WEIGHT } from "./render-cases.js";

test("a circle of references is opened where it closes", () => {
  const { after } = CASES["tables that refer to each other in a circle, and to themselves"];
  expect(diff({ tables: [] }, { tables: after }).map(describeChange)).toEqual([
    "add table potters",
    "add table pieces",
    "add foreign key fk_potters_best_id on potters",
  ]);
});

test("probes and risks speak of the database as it is before", () => {
  const was = table("pieces", { columns: [ID, TITLE, WEIGHT, { ...potterId, name: "maker" }], checks: [] });
  const now = table("works", {
    key: { name: "pk_pieces", columns: ["id"] },
    columns: [
      ID,
      { ...WEIGHT, name: "grams", nullable: false },
      potterId,
      { name: "stage", type: { kind: "text" }, nullable: false },
    ],
    uniques: [{ name: "uq", columns: ["grams"] }],
    checks: [{ name: "ck", rules: [{ kind: "min", column: "grams", value: 1 }] }],
    foreignKeys: [refers("works", "potter_id", "potters")],
  });
  const before: Schema = { tables: [was, table("potters"), table("gone")] };
  const after: Schema = { tables: [now, table("potters")] };
  const hints = {
    tables: new Map([["pieces", "works"]]),
    columns: new Map([
      [
        "works",
        new Map([
          ["weight", "grams"],
          ["maker", "potter_id"],
        ]),
      ],
    ]),
  };
  const changes = diff(before, after, hints);
  const found = probes(planFor(sqlite, before, changes), sqlite).map(
    ({ question, sql, meaning }) => `${meaning}: ${question}\n  ${sql}`,
  );
  expect(found.join("\n")).toMatchInlineSnapshot(`
    "loses: rows of gone
      SELECT count(*) AS n FROM "gone"
    loses: values of pieces.title
      SELECT count("title") AS n FROM "pieces"
    refuses: rows of works without a grams
      SELECT count(*) AS n FROM "pieces" AS t WHERE t."weight" IS NULL
    refuses: rows of works, which have no value for the required stage
      SELECT count(*) AS n FROM "pieces"
    refuses: values of works (grams) held by more than one row
      SELECT count(*) AS n FROM (SELECT 1 AS one FROM (SELECT t."weight" AS value0 FROM "pieces" AS t WHERE (t."weight") IS NOT NULL) AS held GROUP BY value0 HAVING count(*) > 1) AS doubled
    refuses: rows of works that break ck
      SELECT count(*) AS n FROM "pieces" AS t WHERE NOT ((t."weight" >= 1))
    refuses: rows of works whose potter_id refers to nothing in potters
      SELECT count(*) AS n FROM "pieces" AS r WHERE (r."maker") IS NOT NULL AND NOT EXISTS (SELECT 1 FROM "potters" AS k WHERE (k."id") = (r."maker"))"
  `);
  expect(changes.map((change, at) => `${describeChange(change)}: ${risks(changes, { widens })[at]!.level}`))
    .toMatchInlineSnapshot(`
    [
      "drop table gone: loses data",
      "drop column pieces.title: loses data",
      "rename table pieces to works: safe",
      "rename column works.weight to grams: safe",
      "rename column works.maker to potter_id: safe",
      "alter column works.grams: rows may refuse",
      "add column works.stage: rows may refuse",
      "add unique uq on works: rows may refuse",
      "add check ck on works: rows may refuse",
      "add foreign key fk_works_potter_id on works: rows may refuse",
    ]
  `);
});

import { expect, test } from "vitest";
import { chartOf } from "../../src/core/chart/chart.js";
import { differenceOf } from "../../src/core/chart/difference.js";
import { pageData } from "../../src/core/chart/page-data.js";
import { diff } from "../../src/core/change/diff.js";
import type { Schema, Table } from "../../src/core/schema/types.js";
import { ID, potterId, refers, table, TITLE, WEIGHT } from "./render-cases.js";

const potters = table("potters");
const pieces = (more: Partial<Table> = {}) =>
  table("pieces", {
    columns: [ID, TITLE, potterId],
    foreignKeys: [refers("pieces", "potter_id", "potters")],
    ...more,
  });
const ends = (tables: readonly Table[]) =>
  chartOf({ tables }).links.map(({ from, fromEnd, toEnd, to, pair, any }) =>
    [from, fromEnd, toEnd, to, ...(pair ? [pair] : []), ...(any ? ["any"] : [])].join(" "),
  );

test.each<[string, readonly Table[], readonly string[]]>([
  ["optional", [potters, pieces()], ["pieces many maybe one potters"]],
  [
    "required",
    [potters, pieces({ columns: [ID, { ...potterId, nullable: false }] })],
    ["pieces many one potters"],
  ],
  [
    "of one each",
    [potters, pieces({ uniques: [{ name: "uq", columns: ["potter_id"] }] })],
    ["pieces one maybe one potters"],
  ],
  [
    "in pairs",
    [
      potters,
      pieces(),
      table("pieces_potters", {
        columns: ["piece_id", "potter_id"].map(name => ({ ...potterId, name, nullable: false })),
        key: { name: "pk", columns: ["piece_id", "potter_id"] },
        foreignKeys: [
          refers("pieces_potters", "piece_id", "pieces"),
          refers("pieces_potters", "potter_id", "potters"),
        ],
      }),
    ],
    ["pieces many maybe one potters", "pieces many many potters pieces_potters"],
  ],
  [
    "to one of several",
    [
      potters,
      pieces({
        checks: [
          { name: "ck", rules: [{ kind: "one of", columns: ["potter_id", "weight"], optional: false }] },
        ],
      }),
    ],
    ["pieces many maybe one potters any"],
  ],
])("a relation that is %s has the right ends", (_, tables, links) => {
  expect(ends(tables)).toEqual(links);
});

test("a difference follows renames, and tells what a row was", () => {
  const before: Schema = { tables: [potters, pieces(), table("shelves")] };
  const after: Schema = {
    tables: [
      table("members"),
      pieces({
        columns: [
          ID,
          { ...TITLE, type: { kind: "varchar", length: 40 } },
          { ...potterId, name: "member_id" },
          WEIGHT,
        ],
        foreignKeys: [refers("pieces", "member_id", "members", { onDelete: "cascade" })],
      }),
    ],
  };
  const changes = diff(before, after, {
    tables: new Map([["potters", "members"]]),
    columns: new Map([["pieces", new Map([["potter_id", "member_id"]])]]),
  });
  const { tables, links } = differenceOf(chartOf(before), chartOf(after), changes);
  const told = tables.map(({ address, state, was, rows }) => ({
    ...{ address, state, was },
    rows: rows.flatMap(row => (row.state ? [`${row.state} ${row.name} ${row.was ?? ""}`.trim()] : [])),
  }));
  expect(told).toEqual([
    { address: "members", state: "changed", was: "potters", rows: [] },
    {
      ...{ address: "pieces", state: "changed", was: undefined },
      rows: ["changed title varchar(20)", "changed member_id potter_id", "new weight"],
    },
    { address: "shelves", state: "gone", was: undefined, rows: [] },
  ]);
  expect(links.map(({ from, to, state }) => [from, to, state])).toEqual([["pieces", "members", "changed"]]);
});

test("steps are told by the names of today, whatever is renamed later", () => {
  const steps = [
    { name: "0001", title: "first", changes: [{ kind: "add table", table: table("shelves") }] },
    {
      name: "0002",
      title: "second",
      changes: [
        { kind: "add column", table: "shelves", column: WEIGHT },
        { kind: "rename table", from: "shelves", to: "racks" },
      ],
    },
    {
      name: "0003",
      title: "third",
      changes: [{ kind: "rename column", table: "racks", from: "weight", to: "load" }],
    },
  ] as const;
  const chart = chartOf({ tables: [table("racks", { columns: [ID, { ...WEIGHT, name: "load" }] })] });
  expect(
    pageData(
      "x",
      chart,
      steps,
      () => ({}),
      () => [],
    ).steps.map(({ changes }) => changes.map(({ table: now, arrives }) => [now, arrives])),
  ).toEqual([
    [["racks", ""]],
    [
      ["racks", "load"],
      ["racks", undefined],
    ],
    [["racks", undefined]],
  ]);
});

import { describe, expect, test } from "vitest";
import { diff, fillKey } from "../../src/core/change/diff.js";
import { dialects } from "../../src/core/dialect/registry.js";
import { together } from "../../src/core/dialect/shared/costs.js";
import { asOnline } from "../../src/core/plan/online.js";
import { planFor } from "../../src/core/plan/plan.js";
import { adviseOn } from "../../src/tasks/costs.js";
import type { Column, ForeignKey, Schema, Table } from "../../src/core/schema/types.js";
import { table } from "./render-cases.js";

const column = (name: string, type: Column["type"], more: Partial<Column> = {}): Column => ({
  ...{ name, type, nullable: true },
  ...more,
});
const ID = column("id", { kind: "integer" }, { nullable: false });
const potters = table("potters", { columns: [ID], key: { name: "pk_potters", columns: ["id"] } });
const KEY = { name: "pk_pieces", columns: ["id"] };
const TITLE = column("title", { kind: "varchar", length: 40 });
const MAKER = column("potter_id", { kind: "integer" });
const reference = (onDelete: ForeignKey["onDelete"]): Partial<Table> => ({
  foreignKeys: [
    {
      ...{ name: "fk_pieces_potter_id", columns: ["potter_id"], onDelete, onUpdate: "no action" },
      references: { table: "potters", columns: ["id"] },
    },
  ],
});

const pieces = (more: Partial<Table> = {}, columns: readonly Column[] = [ID, TITLE, MAKER]): Schema => ({
  tables: [potters, table("pieces", { columns, key: KEY, ...more })],
});
const index = { name: "ix_pieces_title", parts: [{ column: "title" }], unique: false };
const check = {
  name: "ck_pieces_title",
  rules: [{ kind: "min length", column: "title", value: 2 }],
} as const;

/** What each change costs: how a table's rows are used, and who waits meanwhile; "": it takes no time, however many there are. */
const cases: readonly [string, Schema, Schema, sqlite: string, postgres: string, mariadb: string][] = [
  ["a number that may be null", pieces({}, [ID, TITLE]), pieces(), "written writers", "", ""],
  [
    "a required column with a fill",
    pieces({}, [ID, TITLE]),
    pieces({}, [ID, TITLE, { ...MAKER, nullable: false }]),
    "written writers",
    "",
    "",
  ],
  [
    "a longer text",
    pieces(),
    pieces({}, [ID, column("title", { kind: "varchar", length: 60 }), MAKER]),
    "",
    "",
    "",
  ],
  [
    "a shorter text",
    pieces(),
    pieces({}, [ID, column("title", { kind: "varchar", length: 30 }), MAKER]),
    "",
    "written everyone",
    "written writers",
  ],
  [
    "a larger number",
    pieces(),
    pieces({}, [ID, TITLE, column("potter_id", { kind: "bigint" })]),
    "",
    "written everyone",
    "written writers",
  ],
  [
    "required",
    pieces(),
    pieces({}, [ID, { ...TITLE, nullable: false }, MAKER]),
    "written writers",
    "written everyone",
    "written writers",
  ],
  ["a check", pieces(), pieces({ checks: [check] }), "read writers", "read everyone", "written writers"],
  [
    "a unique",
    pieces(),
    pieces({ uniques: [{ name: "uq_pieces_title", columns: ["title"] }] }),
    "read writers",
    "read everyone",
    "read nobody",
  ],
  ["an index", pieces(), pieces({ indexes: [index] }), "read writers", "read writers", "read nobody"],
  ["a reference", pieces(), pieces(reference("cascade")), "read writers", "read writers", "written writers"],
  [
    "another delete rule",
    pieces(reference("set null")),
    pieces(reference("cascade")),
    "",
    "read everyone",
    "",
  ],
  ["a column less", pieces(), pieces({}, [ID, TITLE]), "written writers", "", ""],
];

describe.each(cases)("%s", (_, before, after, ...expected) => {
  test.each([
    ["sqlite", expected[0]],
    ["postgres", expected[1]],
    ["mariadb", expected[2]],
  ] as const)("on %s", (name, cost) => {
    const fills = new Map([
      [fillKey("pieces", "potter_id"), { kind: "sql", sql: "1" } as const],
      [fillKey("pieces", "title"), { kind: "sql", sql: "'x'" } as const],
    ]);
    const { render } = dialects[name];
    const plan = planFor(dialects[name], before, diff(before, after, { fills }));
    const told = together(render.costs(plan, render.blocks(plan)));
    expect(told.map(({ table: of, work, waits }) => `${of} ${work} ${waits}`)).toEqual(
      cost === "" ? [] : [`pieces ${cost}`],
    );
  });
});

test("what could cost less is told where it takes long, and only there", () => {
  const { postgres, sqlite } = dialects;
  const mark = column("mark", { kind: "uuid" });
  const own = { ...mark, default: { kind: "uuid" } } as const;
  const plan = (after: Schema) => planFor(postgres, pieces(), diff(pieces(), after));
  const cost = (table: string, to: number) =>
    ({ table, work: "written", waits: "everyone", readings: 1, seconds: { from: to, to } }) as const;
  const codes = (...[of, dialect, tables, isWhole]: Parameters<typeof adviseOn>) =>
    adviseOn(of, dialect, tables, isWhole).map(({ code }) => code);
  const random = plan(pieces({}, [ID, TITLE, MAKER, own]));
  expect(codes(random, postgres, [cost("pieces", 3)], true)).toEqual(["A334", "A336"]);
  expect(codes(random, postgres, [cost("pieces", 0.5)], true)).toEqual([]);
  const plain = plan(pieces({ checks: [check] }));
  expect(codes(plain, postgres, [cost("pieces", 3), cost("potters", 2)], true)).toEqual(["A335", "A336"]);
  expect(codes(asOnline(plain, postgres), postgres, [cost("pieces", 3)], false)).toEqual([]);
  expect(codes(plain, sqlite, [cost("pieces", 3)], true)).toEqual([]);
  const bigger = plan(pieces({}, [ID, TITLE, { ...MAKER, type: { kind: "bigint" } }]));
  expect(codes(bigger, postgres, [cost("pieces", 3)], true)).toEqual(["A336"]);
  const computed = { sql: `{${MAKER.name}} * 2`, stored: true };
  const twice = plan(pieces({}, [ID, TITLE, MAKER, { ...MAKER, name: "twice", computed }]));
  expect(codes(twice, postgres, [cost("pieces", 3)], true)).toEqual([]);
});

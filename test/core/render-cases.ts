import { apply } from "../../src/core/change/apply.js";
import { diff, fillKey, type DiffHints } from "../../src/core/change/diff.js";
import { invert } from "../../src/core/change/invert.js";
import type { Dialect } from "../../src/core/dialect/shared/dialect.js";
import { blocksFor } from "../../src/core/plan/plan.js";
import type { Column, ForeignKey, Schema, Table } from "../../src/core/schema/types.js";

export const ID: Column = { name: "id", type: { kind: "integer" }, nullable: false, identity: "serial" };
export const TITLE: Column = { name: "title", type: { kind: "varchar", length: 20 }, nullable: false };
export const WEIGHT: Column = { name: "weight", type: { kind: "integer" }, nullable: true };

export const table = (name: string, more: Partial<Table> = {}): Table => ({
  name,
  columns: [ID, TITLE],
  key: { name: `pk_${name}`, columns: ["id"] },
  uniques: [],
  indexes: [],
  foreignKeys: [],
  checks: [],
  ...more,
});

export const refers = (
  from: string,
  column: string,
  to: string,
  more: Partial<ForeignKey> = {},
): ForeignKey => ({
  name: `fk_${from}_${column}`,
  columns: [column],
  references: { table: to, columns: ["id"] },
  onDelete: "restrict",
  onUpdate: "no action",
  ...more,
});

const pieces = (more: Partial<Table> = {}) => table("pieces", more);
export const potterId: Column = { name: "potter_id", type: { kind: "integer" }, nullable: true };
const index = (column: string) => ({ name: `ix_pieces_${column}`, parts: [{ column }] });

interface Case {
  readonly before: readonly Table[];
  readonly after: readonly Table[];
  readonly hints?: DiffHints;
}

/** What each dialect has to say the same of: the cases of its snapshots. */
export const CASES = {
  "a column with its check, reference and index": {
    before: [pieces(), table("potters")],
    after: [
      pieces({
        columns: [ID, TITLE, { ...WEIGHT, default: { kind: "value", value: 3 } }, potterId],
        checks: [{ name: "ck_pieces_weight", rules: [{ kind: "min", column: "weight", value: 1 }] }],
        foreignKeys: [refers("pieces", "potter_id", "potters", { onDelete: "set null" })],
        indexes: [index("potter_id")],
      }),
      table("potters"),
    ],
  },
  "renames, with what follows from them": {
    before: [pieces({ columns: [ID, TITLE, WEIGHT], indexes: [index("weight")] })],
    after: [
      table("works", {
        columns: [ID, TITLE, { ...WEIGHT, name: "grams" }],
        key: { name: "pk_pieces", columns: ["id"] },
        indexes: [{ name: "ix_works_grams", parts: [{ column: "grams" }] }],
      }),
    ],
    hints: {
      tables: new Map([["pieces", "works"]]),
      columns: new Map([["works", new Map([["weight", "grams"]])]]),
    },
  },
  "several changes at once: required with a fill, a new type, a unique, a foreign key": {
    before: [
      pieces({ columns: [ID, TITLE, WEIGHT, potterId], indexes: [index("weight")] }),
      table("potters"),
    ],
    after: [
      pieces({
        columns: [
          ID,
          { ...TITLE, type: { kind: "text" } },
          { ...WEIGHT, nullable: false },
          potterId,
          { name: "stage", type: { kind: "text" }, nullable: false },
        ],
        uniques: [{ name: "uq_pieces_weight", columns: ["weight"] }],
        foreignKeys: [refers("pieces", "potter_id", "potters")],
        indexes: [index("weight")],
      }),
      table("potters"),
    ],
    hints: {
      fills: new Map([
        [fillKey("pieces", "weight"), { kind: "value", value: 500 } as const],
        [fillKey("pieces", "stage"), { kind: "value", value: "it's new" } as const],
      ]),
    },
  },
  "a column that goes while another takes its name": {
    before: [
      pieces({
        columns: [ID, TITLE, WEIGHT],
        checks: [{ name: "ck_pieces_title", rules: [{ kind: "min length", column: "title", value: 2 }] }],
      }),
    ],
    after: [pieces({ columns: [ID, { ...WEIGHT, name: "title" }] })],
    hints: { columns: new Map([["pieces", new Map([["weight", "title"]])]]) },
  },
  "tables that refer to each other in a circle, and to themselves": {
    before: [],
    after: [
      pieces({
        columns: [ID, potterId, { ...potterId, name: "lid_id" }],
        foreignKeys: [refers("pieces", "potter_id", "potters"), refers("pieces", "lid_id", "pieces")],
      }),
      table("potters", {
        columns: [ID, { ...potterId, name: "best_id" }],
        foreignKeys: [refers("potters", "best_id", "pieces")],
      }),
    ],
  },
  "a key that changes its type under a reference; stamps, notes, computed columns": {
    before: [
      pieces({ columns: [ID, potterId], foreignKeys: [refers("pieces", "potter_id", "potters")] }),
      table("potters", { columns: [ID] }),
    ],
    after: [
      pieces({
        columns: [ID, { ...potterId, type: { kind: "bigint" } }],
        foreignKeys: [refers("pieces", "potter_id", "potters")],
        note: "it's a pot",
      }),
      table("potters", {
        columns: [
          { name: "id", type: { kind: "bigint" }, nullable: false },
          {
            name: "twice",
            type: { kind: "bigint" },
            nullable: true,
            computed: { sql: "{id} * 2", stored: true },
          },
          { name: "updated_at", type: { kind: "timestamptz" }, nullable: false, stamp: "updated" },
        ],
      }),
    ],
  },
  "every rule, and every kind of default": {
    before: [],
    after: [
      table("things", {
        columns: [
          ID,
          {
            name: "a",
            type: { kind: "varchar", length: 9 },
            nullable: false,
            default: { kind: "value", value: "it's" },
          },
          { name: "b", type: { kind: "boolean" }, nullable: false, default: { kind: "value", value: true } },
          { name: "c", type: { kind: "json" }, nullable: true },
          {
            name: "d",
            type: { kind: "decimal", precision: 8, scale: 2 },
            nullable: true,
            default: { kind: "value", value: 1.5 },
          },
          { name: "e", type: { kind: "uuid" }, nullable: false, default: { kind: "uuid" } },
          { name: "f", type: { kind: "timestamptz" }, nullable: false, stamp: "created" },
          { name: "g", type: { kind: "bytes" }, nullable: true },
          {
            name: "h",
            type: { kind: "text" },
            nullable: true,
            default: { kind: "sql", sql: "upper('x')" },
            note: "noted",
          },
        ],
        checks: [
          {
            name: "ck_a",
            rules: [
              { kind: "min length", column: "a", value: 2 },
              { kind: "max length", column: "a", value: 9 },
              { kind: "max length", column: "a", value: 5 },
              { kind: "not in", column: "a", values: ["x", "y"] },
              { kind: "contains", column: "a", value: "c'" },
              { kind: "not contains", column: "a", value: "d" },
              { kind: "pattern", column: "a", pattern: "^a\\d'$", flags: "i" },
            ],
          },
          { name: "ck_b", rules: [{ kind: "boolean", column: "b" }] },
          { name: "ck_c", rules: [{ kind: "json", column: "c" }] },
          {
            name: "ck_d",
            rules: [
              { kind: "above", column: "d", value: 0 },
              { kind: "below", column: "d", value: 9 },
              { kind: "divisible", column: "d", value: 3 },
              { kind: "sql", sql: "{d} > 1 or {d} < 0" },
            ],
          },
        ],
        indexes: [
          { name: "ix_h", parts: [{ column: "h", descending: true }] },
          { name: "ix_a", parts: [{ column: "a" }], unique: true },
          { name: "ix_e", parts: [{ sql: "lower({a})" }], where: "{a} <> ''" },
        ],
      }),
    ],
  },
} as const satisfies Record<string, Case>;

/** Forward and back scripts of a case, as one text. */
export function scriptsOf(dialect: Dialect, { before, after, hints }: Case): string {
  const a: Schema = { tables: before };
  const changes = diff(a, { tables: after }, hints);
  const text = (from: Schema, list: typeof changes) =>
    blocksFor(dialect, from, list)
      .flatMap(({ title, details = [], statements }) => [
        `-- ${title}`,
        ...details.map(line => `--   ${line}`),
        ...statements.map(sql => `${sql};`),
      ])
      .join("\n");
  return `${text(a, changes)}\n---- back\n${text(apply(a, changes), invert(changes))}`;
}

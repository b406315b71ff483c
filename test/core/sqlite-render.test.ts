import { describe, expect, test } from "vitest";
import { diff, fillKey, type DiffHints } from "../../src/core/change/diff.js";
import { invert } from "../../src/core/change/invert.js";
import { risks } from "../../src/core/change/risk.js";
import { describeChange } from "../../src/core/change/words.js";
import { apply } from "../../src/core/change/apply.js";
import { planFor, renderFor } from "../../src/core/dialect/plan.js";
import { probes } from "../../src/core/dialect/probes.js";
import { sqlite } from "../../src/core/dialect/sqlite/index.js";
import type { Column, ForeignKey, Schema, Table } from "../../src/core/schema/types.js";

const ID: Column = { name: "id", type: { kind: "integer" }, nullable: false, identity: "serial" };
const TITLE: Column = { name: "title", type: { kind: "varchar", length: 20 }, nullable: false };
const WEIGHT: Column = { name: "weight", type: { kind: "integer" }, nullable: true };

const table = (name: string, more: Partial<Table> = {}): Table => ({
  name,
  columns: [ID, TITLE],
  key: { name: `pk_${name}`, columns: ["id"] },
  uniques: [],
  indexes: [],
  foreignKeys: [],
  checks: [],
  ...more,
});

const refers = (from: string, column: string, to: string, more: Partial<ForeignKey> = {}): ForeignKey => ({
  name: `fk_${from}_${column}`,
  columns: [column],
  references: { table: to, columns: ["id"] },
  onDelete: "restrict",
  onUpdate: "no action",
  ...more,
});

const pieces = (more: Partial<Table> = {}) => table("pieces", more);
const potterId: Column = { name: "potter_id", type: { kind: "integer" }, nullable: true };
const index = (column: string) => ({ name: `ix_pieces_${column}`, parts: [{ column }] });

interface Case {
  readonly before: readonly Table[];
  readonly after: readonly Table[];
  readonly hints?: DiffHints;
}

/** Forward and back scripts, as one text. */
function scripts({ before, after, hints }: Case): string {
  const a: Schema = { tables: before };
  const changes = diff(a, { tables: after }, hints);
  const text = (from: Schema, list: typeof changes) =>
    renderFor(sqlite, from, list)
      .flatMap(({ title, details = [], statements }) => [
        `-- ${title}`,
        ...details.map(line => `--   ${line}`),
        ...statements.map(sql => `${sql};`),
      ])
      .join("\n");
  return `${text(a, changes)}\n---- back\n${text(apply(a, changes), invert(changes))}`;
}

describe("what SQLite can change in place, it does", () => {
  test("a column with its check, reference and index", () => {
    const after = pieces({
      columns: [ID, TITLE, { ...WEIGHT, default: { kind: "value", value: 3 } }, potterId],
      checks: [{ name: "ck_pieces_weight", rules: [{ kind: "min", column: "weight", value: 1 }] }],
      foreignKeys: [refers("pieces", "potter_id", "potters", { onDelete: "set null" })],
      indexes: [index("potter_id")],
    });
    expect(scripts({ before: [pieces(), table("potters")], after: [after, table("potters")] }))
      .toMatchInlineSnapshot(`
        "-- add column pieces.weight (integer, may be null, default 3) · add check ck_pieces_weight on pieces (weight >= 1)
        ALTER TABLE "pieces" ADD COLUMN "weight" integer DEFAULT 3 CONSTRAINT "ck_pieces_weight" CHECK ("weight" >= 1);
        -- add column pieces.potter_id (integer, may be null) · add foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete set null
        ALTER TABLE "pieces" ADD COLUMN "potter_id" integer CONSTRAINT "fk_pieces_potter_id" REFERENCES "potters" ("id") ON DELETE SET NULL;
        -- add index ix_pieces_potter_id on pieces (potter_id)
        CREATE INDEX "ix_pieces_potter_id" ON "pieces" ("potter_id");
        ---- back
        -- rebuild table pieces
        --   drop foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete set null
        --   drop check ck_pieces_weight on pieces (weight >= 1)
        --   drop index ix_pieces_potter_id on pieces (potter_id)
        --   drop column pieces.potter_id (integer, may be null)
        --   drop column pieces.weight (integer, may be null, default 3)
        PRAGMA legacy_alter_table = ON;
        CREATE TABLE "emberset_new_pieces" (
          "id" integer NOT NULL CONSTRAINT "pk_pieces" PRIMARY KEY AUTOINCREMENT,
          "title" varchar(20) NOT NULL
        );
        INSERT INTO "emberset_new_pieces" ("id", "title")
          SELECT "id", "title" FROM "pieces";
        DELETE FROM sqlite_sequence WHERE name = 'emberset_new_pieces';
        INSERT INTO sqlite_sequence (name, seq) SELECT 'emberset_new_pieces', seq FROM sqlite_sequence WHERE name = 'pieces';
        DROP TABLE "pieces";
        ALTER TABLE "emberset_new_pieces" RENAME TO "pieces";
        PRAGMA legacy_alter_table = OFF;"
      `);
  });

  test("renames, with what follows from them", () => {
    const was = pieces({ columns: [ID, TITLE, WEIGHT], indexes: [index("weight")] });
    const now = table("works", {
      columns: [ID, TITLE, { ...WEIGHT, name: "grams" }],
      key: { name: "pk_pieces", columns: ["id"] },
      indexes: [{ name: "ix_works_grams", parts: [{ column: "grams" }] }],
    });
    const hints = {
      tables: new Map([["pieces", "works"]]),
      columns: new Map([["works", new Map([["weight", "grams"]])]]),
    };
    expect(scripts({ before: [was], after: [now], hints })).toMatchInlineSnapshot(`
      "-- rename table pieces to works
      ALTER TABLE "pieces" RENAME TO "works";
      -- rename column works.weight to grams
      ALTER TABLE "works" RENAME COLUMN "weight" TO "grams";
      -- rename index ix_pieces_weight to ix_works_grams on works
      DROP INDEX "ix_pieces_weight";
      CREATE INDEX "ix_works_grams" ON "works" ("grams");
      ---- back
      -- rename table works to pieces
      ALTER TABLE "works" RENAME TO "pieces";
      -- rename column pieces.grams to weight
      ALTER TABLE "pieces" RENAME COLUMN "grams" TO "weight";
      -- rename index ix_works_grams to ix_pieces_weight on pieces
      DROP INDEX "ix_works_grams";
      CREATE INDEX "ix_pieces_weight" ON "pieces" ("weight");"
    `);
  });
});

describe("the rest is a rebuild that moves the rows", () => {
  test("several changes at once: required with a fill, a new type, a unique, a foreign key", () => {
    const was = pieces({ columns: [ID, TITLE, WEIGHT, potterId], indexes: [index("weight")] });
    const now = pieces({
      columns: [
        ID,
        { ...TITLE, type: { kind: "text" } },
        { ...WEIGHT, nullable: false },
        potterId,
        { name: "stage", type: { kind: "text" }, nullable: false },
      ],
      uniques: [{ name: "uq_pieces_title", columns: ["title"] }],
      foreignKeys: [refers("pieces", "potter_id", "potters")],
      indexes: [index("weight")],
    });
    const fills = new Map([
      [fillKey("pieces", "weight"), { kind: "value", value: 500 } as const],
      [fillKey("pieces", "stage"), { kind: "value", value: "it's new" } as const],
    ]);
    expect(scripts({ before: [was, table("potters")], after: [now, table("potters")], hints: { fills } }))
      .toMatchInlineSnapshot(`
        "-- rebuild table pieces
        --   alter column pieces.title (varchar(20) → text)
        --   alter column pieces.weight (may be null → required; null in old rows becomes 500)
        --   add column pieces.stage (text, required, old rows get 'it''s new')
        --   add unique uq_pieces_title on pieces (title)
        --   add foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete restrict
        PRAGMA legacy_alter_table = ON;
        CREATE TABLE "emberset_new_pieces" (
          "id" integer NOT NULL CONSTRAINT "pk_pieces" PRIMARY KEY AUTOINCREMENT,
          "title" text NOT NULL,
          "weight" integer NOT NULL,
          "potter_id" integer,
          "stage" text NOT NULL,
          CONSTRAINT "uq_pieces_title" UNIQUE ("title"),
          CONSTRAINT "fk_pieces_potter_id" FOREIGN KEY ("potter_id") REFERENCES "potters" ("id") ON DELETE RESTRICT
        );
        INSERT INTO "emberset_new_pieces" ("id", "title", "weight", "potter_id", "stage")
          SELECT "id", "title", coalesce("weight", 500), "potter_id", 'it''s new' FROM "pieces";
        DELETE FROM sqlite_sequence WHERE name = 'emberset_new_pieces';
        INSERT INTO sqlite_sequence (name, seq) SELECT 'emberset_new_pieces', seq FROM sqlite_sequence WHERE name = 'pieces';
        DROP TABLE "pieces";
        ALTER TABLE "emberset_new_pieces" RENAME TO "pieces";
        PRAGMA legacy_alter_table = OFF;
        CREATE INDEX "ix_pieces_weight" ON "pieces" ("weight");
        ---- back
        -- rebuild table pieces
        --   drop foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete restrict
        --   drop unique uq_pieces_title on pieces (title)
        --   drop column pieces.stage (text, required)
        --   alter column pieces.title (text → varchar(20))
        --   alter column pieces.weight (required → may be null)
        PRAGMA legacy_alter_table = ON;
        CREATE TABLE "emberset_new_pieces" (
          "id" integer NOT NULL CONSTRAINT "pk_pieces" PRIMARY KEY AUTOINCREMENT,
          "title" varchar(20) NOT NULL,
          "weight" integer,
          "potter_id" integer
        );
        INSERT INTO "emberset_new_pieces" ("id", "title", "weight", "potter_id")
          SELECT "id", "title", "weight", "potter_id" FROM "pieces";
        DELETE FROM sqlite_sequence WHERE name = 'emberset_new_pieces';
        INSERT INTO sqlite_sequence (name, seq) SELECT 'emberset_new_pieces', seq FROM sqlite_sequence WHERE name = 'pieces';
        DROP TABLE "pieces";
        ALTER TABLE "emberset_new_pieces" RENAME TO "pieces";
        PRAGMA legacy_alter_table = OFF;
        CREATE INDEX "ix_pieces_weight" ON "pieces" ("weight");"
      `);
  });

  test("a column that goes while another takes its name", () => {
    const was = pieces({
      columns: [ID, TITLE, WEIGHT],
      checks: [{ name: "ck_pieces_title", rules: [{ kind: "min length", column: "title", value: 2 }] }],
    });
    const now = pieces({ columns: [ID, { ...WEIGHT, name: "title" }] });
    const hints = { columns: new Map([["pieces", new Map([["weight", "title"]])]]) };
    expect(scripts({ before: [was], after: [now], hints })).toMatchInlineSnapshot(`
      "-- make the name pieces.title free
      ALTER TABLE "pieces" RENAME COLUMN "title" TO "emberset_old_title";
      -- rename column pieces.weight to title
      ALTER TABLE "pieces" RENAME COLUMN "weight" TO "title";
      -- rebuild table pieces
      --   drop check ck_pieces_title on pieces (length(title) >= 2)
      --   drop column pieces.title (varchar(20), required)
      PRAGMA legacy_alter_table = ON;
      CREATE TABLE "emberset_new_pieces" (
        "id" integer NOT NULL CONSTRAINT "pk_pieces" PRIMARY KEY AUTOINCREMENT,
        "title" integer
      );
      INSERT INTO "emberset_new_pieces" ("id", "title")
        SELECT "id", "title" FROM "pieces";
      DELETE FROM sqlite_sequence WHERE name = 'emberset_new_pieces';
      INSERT INTO sqlite_sequence (name, seq) SELECT 'emberset_new_pieces', seq FROM sqlite_sequence WHERE name = 'pieces';
      DROP TABLE "pieces";
      ALTER TABLE "emberset_new_pieces" RENAME TO "pieces";
      PRAGMA legacy_alter_table = OFF;
      ---- back
      -- rename column pieces.title to weight
      ALTER TABLE "pieces" RENAME COLUMN "title" TO "weight";
      -- rebuild table pieces
      --   add column pieces.title (varchar(20), required)
      --   add check ck_pieces_title on pieces (length(title) >= 2)
      PRAGMA legacy_alter_table = ON;
      CREATE TABLE "emberset_new_pieces" (
        "id" integer NOT NULL CONSTRAINT "pk_pieces" PRIMARY KEY AUTOINCREMENT,
        "title" varchar(20) NOT NULL,
        "weight" integer,
        CONSTRAINT "ck_pieces_title" CHECK (length("title") >= 2)
      );
      INSERT INTO "emberset_new_pieces" ("id", "weight")
        SELECT "id", "weight" FROM "pieces";
      DELETE FROM sqlite_sequence WHERE name = 'emberset_new_pieces';
      INSERT INTO sqlite_sequence (name, seq) SELECT 'emberset_new_pieces', seq FROM sqlite_sequence WHERE name = 'pieces';
      DROP TABLE "pieces";
      ALTER TABLE "emberset_new_pieces" RENAME TO "pieces";
      PRAGMA legacy_alter_table = OFF;"
    `);
  });
});

test("tables that refer to each other in a circle, and to themselves", () => {
  const potters = table("potters", {
    columns: [ID, { ...potterId, name: "best_id" }],
    foreignKeys: [refers("potters", "best_id", "pieces")],
  });
  const works = pieces({
    columns: [ID, potterId, { ...potterId, name: "lid_id" }],
    foreignKeys: [refers("pieces", "potter_id", "potters"), refers("pieces", "lid_id", "pieces")],
  });
  const changes = diff({ tables: [] }, { tables: [works, potters] });
  expect(changes.map(describeChange)).toEqual([
    "add table potters",
    "add table pieces",
    "add foreign key fk_potters_best_id on potters",
  ]);
  expect(scripts({ before: [], after: [works, potters] })).toMatchInlineSnapshot(`
    "-- add table pieces (3 columns, refers to pieces)
    CREATE TABLE "pieces" (
      "id" integer NOT NULL CONSTRAINT "pk_pieces" PRIMARY KEY AUTOINCREMENT,
      "potter_id" integer,
      "lid_id" integer,
      CONSTRAINT "fk_pieces_potter_id" FOREIGN KEY ("potter_id") REFERENCES "potters" ("id") ON DELETE RESTRICT,
      CONSTRAINT "fk_pieces_lid_id" FOREIGN KEY ("lid_id") REFERENCES "pieces" ("id") ON DELETE RESTRICT
    );
    -- add table potters (2 columns, refers to pieces)
    CREATE TABLE "potters" (
      "id" integer NOT NULL CONSTRAINT "pk_potters" PRIMARY KEY AUTOINCREMENT,
      "best_id" integer,
      CONSTRAINT "fk_potters_best_id" FOREIGN KEY ("best_id") REFERENCES "pieces" ("id") ON DELETE RESTRICT
    );
    ---- back
    -- drop table potters
    DROP TABLE "potters";
    -- drop table pieces
    DROP TABLE "pieces";"
  `);
});

test("probes and risks speak of the database as it is before", () => {
  const was = pieces({ columns: [ID, TITLE, WEIGHT, { ...potterId, name: "maker" }], checks: [] });
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
      SELECT count(*) AS n FROM "pieces" WHERE "weight" IS NULL
    refuses: rows of works, which have no value for the required stage
      SELECT count(*) AS n FROM "pieces"
    refuses: values of works (grams) held by more than one row
      SELECT count(*) AS n FROM (SELECT 1 FROM "pieces" WHERE "weight" IS NOT NULL GROUP BY "weight" HAVING count(*) > 1) AS doubled
    refuses: rows of works that break ck
      SELECT count(*) AS n FROM "pieces" WHERE NOT (("weight" >= 1))
    refuses: rows of works whose potter_id refers to nothing in potters
      SELECT count(*) AS n FROM "pieces" AS r WHERE r."maker" IS NOT NULL AND NOT EXISTS (SELECT 1 FROM "potters" AS k WHERE k."id" = r."maker")"
  `);
  expect(changes.map((change, at) => `${describeChange(change)}: ${risks(changes)[at]!.level}`))
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

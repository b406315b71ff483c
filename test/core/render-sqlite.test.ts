import { expect, test } from "vitest";
import { sqlite } from "../../src/core/dialect/sqlite/index.js";
import { CASES, scriptsOf } from "./render-cases.js";

/** Whole scripts: what is read before it is trusted must not change unnoticed. */
test("a column with its check, reference and index", () => {
  expect(scriptsOf(sqlite, CASES["a column with its check, reference and index"])).toMatchInlineSnapshot(`
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
      "id" integer CONSTRAINT "pk_pieces" PRIMARY KEY AUTOINCREMENT,
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
  expect(scriptsOf(sqlite, CASES["renames, with what follows from them"])).toMatchInlineSnapshot(`
    "-- rename table pieces to works
    ALTER TABLE "pieces" RENAME TO "works";
    -- rename column works.weight to grams
    ALTER TABLE "works" RENAME COLUMN "weight" TO "grams";
    -- rename index ix_pieces_weight to ix_works_grams on works
    PRAGMA writable_schema = ON;
    UPDATE sqlite_schema SET name = 'ix_works_grams', sql = CASE
      WHEN (SELECT group_concat(quote(name) || desc || upper(coll)) FROM pragma_index_xinfo('ix_pieces_weight') WHERE key) = '''grams''0BINARY'
      AND (SELECT "unique" || partial FROM pragma_index_list('works') WHERE name = 'ix_pieces_weight' COLLATE NOCASE) = '00'
      THEN 'CREATE INDEX "ix_works_grams" ON "works" ("grams")'
      ELSE json_extract('{}', 'the index is otherwise: a script of your own has to make it anew')
      END WHERE type = 'index' AND name = 'ix_pieces_weight' COLLATE NOCASE;
    CREATE VIEW emberset_seen AS SELECT 1;
    DROP VIEW emberset_seen;
    PRAGMA writable_schema = RESET;
    ---- back
    -- rename table works to pieces
    ALTER TABLE "works" RENAME TO "pieces";
    -- rename column pieces.grams to weight
    ALTER TABLE "pieces" RENAME COLUMN "grams" TO "weight";
    -- rename index ix_works_grams to ix_pieces_weight on pieces
    PRAGMA writable_schema = ON;
    UPDATE sqlite_schema SET name = 'ix_pieces_weight', sql = CASE
      WHEN (SELECT group_concat(quote(name) || desc || upper(coll)) FROM pragma_index_xinfo('ix_works_grams') WHERE key) = '''weight''0BINARY'
      AND (SELECT "unique" || partial FROM pragma_index_list('pieces') WHERE name = 'ix_works_grams' COLLATE NOCASE) = '00'
      THEN 'CREATE INDEX "ix_pieces_weight" ON "pieces" ("weight")'
      ELSE json_extract('{}', 'the index is otherwise: a script of your own has to make it anew')
      END WHERE type = 'index' AND name = 'ix_works_grams' COLLATE NOCASE;
    CREATE VIEW emberset_seen AS SELECT 1;
    DROP VIEW emberset_seen;
    PRAGMA writable_schema = RESET;"
  `);
});

test("several changes at once: required with a fill, a new type, a unique, a foreign key", () => {
  expect(
    scriptsOf(
      sqlite,
      CASES["several changes at once: required with a fill, a new type, a unique, a foreign key"],
    ),
  ).toMatchInlineSnapshot(`
    "-- rebuild table pieces
    --   alter column pieces.title (varchar(20) → text)
    --   alter column pieces.weight (may be null → required; null in old rows becomes 500)
    --   add column pieces.stage (text, required, old rows get 'it''s new')
    --   add unique uq_pieces_weight on pieces (weight)
    --   add foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete restrict
    PRAGMA legacy_alter_table = ON;
    CREATE TABLE "emberset_new_pieces" (
      "id" integer CONSTRAINT "pk_pieces" PRIMARY KEY AUTOINCREMENT,
      "title" text NOT NULL,
      "weight" integer NOT NULL,
      "potter_id" integer,
      "stage" text NOT NULL,
      CONSTRAINT "uq_pieces_weight" UNIQUE ("weight"),
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
    -- drop column pieces.stage
    ALTER TABLE "pieces" DROP COLUMN "stage";
    -- say anew what table pieces is: its rows stay as they are
    --   drop foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete restrict
    --   drop unique uq_pieces_weight on pieces (weight)
    --   alter column pieces.title (text → varchar(20))
    --   alter column pieces.weight (required → may be null)
    PRAGMA writable_schema = ON;
    UPDATE sqlite_schema SET name = 'emberset_gone1', sql = 'CREATE UNIQUE INDEX "emberset_gone1" ON "pieces" ("weight")'
      WHERE type = 'index' AND tbl_name = 'pieces' COLLATE NOCASE AND sql IS NULL AND (SELECT group_concat(quote(name)) FROM pragma_index_xinfo(sqlite_schema.name) WHERE key) = '''weight''';
    UPDATE sqlite_schema SET sql = CASE
      WHEN (SELECT group_concat(quote(name)) FROM pragma_table_xinfo('pieces')) = '''id'',''title'',''weight'',''potter_id'''
      AND (SELECT count(*) FROM pragma_index_list('pieces') WHERE origin <> 'c') = 1
      THEN 'CREATE TABLE "pieces" (
      "id" integer CONSTRAINT "pk_pieces" PRIMARY KEY AUTOINCREMENT,
      "title" varchar(20) NOT NULL,
      "weight" integer,
      "potter_id" integer
    )'
      ELSE json_extract('{}', 'columns or indexes stand otherwise: a script of your own has to build the table anew')
      END WHERE type = 'table' AND name = 'pieces' COLLATE NOCASE;
    CREATE VIEW emberset_seen AS SELECT 1;
    DROP VIEW emberset_seen;
    PRAGMA writable_schema = RESET;
    DROP INDEX "emberset_gone1";"
  `);
});

test("a column that goes while another takes its name", () => {
  expect(scriptsOf(sqlite, CASES["a column that goes while another takes its name"])).toMatchInlineSnapshot(`
    "-- make the name pieces.title free
    ALTER TABLE "pieces" RENAME COLUMN "title" TO "emberset_old_title";
    -- rename column pieces.weight to title
    ALTER TABLE "pieces" RENAME COLUMN "weight" TO "title";
    -- rebuild table pieces
    --   drop check ck_pieces_title on pieces (length(title) >= 2)
    --   drop column pieces.title (varchar(20), required)
    PRAGMA legacy_alter_table = ON;
    CREATE TABLE "emberset_new_pieces" (
      "id" integer CONSTRAINT "pk_pieces" PRIMARY KEY AUTOINCREMENT,
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
      "id" integer CONSTRAINT "pk_pieces" PRIMARY KEY AUTOINCREMENT,
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

test("tables that refer to each other in a circle, and to themselves", () => {
  expect(scriptsOf(sqlite, CASES["tables that refer to each other in a circle, and to themselves"]))
    .toMatchInlineSnapshot(`
      "-- add table pieces (3 columns, refers to pieces)
      CREATE TABLE "pieces" (
        "id" integer CONSTRAINT "pk_pieces" PRIMARY KEY AUTOINCREMENT,
        "potter_id" integer,
        "lid_id" integer,
        CONSTRAINT "fk_pieces_potter_id" FOREIGN KEY ("potter_id") REFERENCES "potters" ("id") ON DELETE RESTRICT,
        CONSTRAINT "fk_pieces_lid_id" FOREIGN KEY ("lid_id") REFERENCES "pieces" ("id") ON DELETE RESTRICT
      );
      -- add table potters (2 columns, refers to pieces)
      CREATE TABLE "potters" (
        "id" integer CONSTRAINT "pk_potters" PRIMARY KEY AUTOINCREMENT,
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

test("a key that changes its type under a reference; stamps, notes, computed columns", () => {
  expect(
    scriptsOf(
      sqlite,
      CASES["a key that changes its type under a reference; stamps, notes, computed columns"],
    ),
  ).toMatchInlineSnapshot(`
    "-- say anew what table pieces is: its rows stay as they are
    --   alter column pieces.potter_id (integer → bigint)
    PRAGMA writable_schema = ON;
    UPDATE sqlite_schema SET sql = CASE
      WHEN (SELECT group_concat(quote(name)) FROM pragma_table_xinfo('pieces')) = '''id'',''potter_id'''
      AND (SELECT count(*) FROM pragma_index_list('pieces') WHERE origin <> 'c') = 0
      THEN 'CREATE TABLE "pieces" (
      "id" integer CONSTRAINT "pk_pieces" PRIMARY KEY AUTOINCREMENT,
      "potter_id" bigint,
      CONSTRAINT "fk_pieces_potter_id" FOREIGN KEY ("potter_id") REFERENCES "potters" ("id") ON DELETE RESTRICT
    )'
      ELSE json_extract('{}', 'columns or indexes stand otherwise: a script of your own has to build the table anew')
      END WHERE type = 'table' AND name = 'pieces' COLLATE NOCASE;
    CREATE VIEW emberset_seen AS SELECT 1;
    DROP VIEW emberset_seen;
    PRAGMA writable_schema = RESET;
    -- rebuild table potters
    --   alter column potters.id (integer, serial → bigint, required)
    --   add column potters.twice (bigint, may be null, computed: id * 2)
    --   add column potters.updated_at (timestamptz, required, default (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')), stamped when updated)
    PRAGMA legacy_alter_table = ON;
    CREATE TABLE "emberset_new_potters" (
      "id" bigint NOT NULL,
      "twice" bigint GENERATED ALWAYS AS ("id" * 2) STORED,
      "updated_at" timestamptz NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
      CONSTRAINT "pk_potters" PRIMARY KEY ("id")
    );
    INSERT INTO "emberset_new_potters" ("rowid", "id")
      SELECT "potters"."rowid", "id" FROM "potters";
    DROP TABLE "potters";
    ALTER TABLE "emberset_new_potters" RENAME TO "potters";
    PRAGMA legacy_alter_table = OFF;
    CREATE TRIGGER "stamp_potters_updated_at" AFTER UPDATE ON "potters" FOR EACH ROW
    WHEN NEW."updated_at" IS OLD."updated_at" AND OLD."updated_at" IS NOT strftime('%Y-%m-%dT%H:%M:%fZ', 'now')
    BEGIN
      UPDATE "potters" SET "updated_at" = strftime('%Y-%m-%dT%H:%M:%fZ', 'now') WHERE rowid = NEW.rowid;
    END;
    ---- back
    -- rebuild table potters
    --   drop column potters.updated_at (timestamptz, required, default (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')), stamped when updated)
    --   drop column potters.twice (bigint, may be null, computed: id * 2)
    --   alter column potters.id (bigint, required → integer, serial)
    PRAGMA legacy_alter_table = ON;
    CREATE TABLE "emberset_new_potters" (
      "id" integer CONSTRAINT "pk_potters" PRIMARY KEY AUTOINCREMENT
    );
    INSERT INTO "emberset_new_potters" ("id")
      SELECT "id" FROM "potters";
    DROP TABLE "potters";
    ALTER TABLE "emberset_new_potters" RENAME TO "potters";
    PRAGMA legacy_alter_table = OFF;
    -- say anew what table pieces is: its rows stay as they are
    --   alter column pieces.potter_id (bigint → integer)
    PRAGMA writable_schema = ON;
    UPDATE sqlite_schema SET sql = CASE
      WHEN (SELECT group_concat(quote(name)) FROM pragma_table_xinfo('pieces')) = '''id'',''potter_id'''
      AND (SELECT count(*) FROM pragma_index_list('pieces') WHERE origin <> 'c') = 0
      THEN 'CREATE TABLE "pieces" (
      "id" integer CONSTRAINT "pk_pieces" PRIMARY KEY AUTOINCREMENT,
      "potter_id" integer,
      CONSTRAINT "fk_pieces_potter_id" FOREIGN KEY ("potter_id") REFERENCES "potters" ("id") ON DELETE RESTRICT
    )'
      ELSE json_extract('{}', 'columns or indexes stand otherwise: a script of your own has to build the table anew')
      END WHERE type = 'table' AND name = 'pieces' COLLATE NOCASE;
    CREATE VIEW emberset_seen AS SELECT 1;
    DROP VIEW emberset_seen;
    PRAGMA writable_schema = RESET;"
  `);
});

test("every rule, and every kind of default", () => {
  expect(scriptsOf(sqlite, CASES["every rule, and every kind of default"])).toMatchInlineSnapshot(`
    "-- add table things (9 columns)
    CREATE TABLE "things" (
      "id" integer CONSTRAINT "pk_things" PRIMARY KEY AUTOINCREMENT,
      "a" varchar(9) NOT NULL DEFAULT 'it''s',
      "b" boolean NOT NULL DEFAULT 1,
      "c" json text,
      "d" decimal(8,2) DEFAULT 1.5,
      "e" uuid NOT NULL DEFAULT (lower(hex(randomblob(4)) || '-' || hex(randomblob(2)) || '-4' || substr(hex(randomblob(2)), 2) || '-' || substr('89AB', 1 + (random() & 3), 1) || substr(hex(randomblob(2)), 2) || '-' || hex(randomblob(6)))),
      "f" timestamptz NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
      "g" blob,
      "h" text DEFAULT (upper('x')),
      CONSTRAINT "ck_a" CHECK (length("a") >= 2 AND length("a") <= 9 AND length("a") <= 5 AND "a" NOT IN ('x', 'y') AND instr("a", 'c''') > 0 AND instr("a", 'd') = 0 AND "a" GLOB '[Aa][0-9]'''),
      CONSTRAINT "ck_b" CHECK ("b" IN (0, 1)),
      CONSTRAINT "ck_c" CHECK ("c" IS NULL OR json_valid("c")),
      CONSTRAINT "ck_d" CHECK ("d" > 0 AND "d" < 9 AND "d" = 3.0 * CAST("d" / 3.0 AS INTEGER) AND ("d" > 1 or "d" < 0))
    );
    CREATE INDEX "ix_h" ON "things" ("h" DESC);
    CREATE UNIQUE INDEX "ix_a" ON "things" ("a");
    CREATE INDEX "ix_e" ON "things" ((lower("a"))) WHERE "a" <> '';
    ---- back
    -- drop table things
    DROP TABLE "things";"
  `);
});

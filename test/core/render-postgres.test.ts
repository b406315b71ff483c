import { expect, test } from "vitest";
import { postgres } from "../../src/core/dialect/postgres/index.js";
import { CASES, scriptsOf } from "./render-cases.js";

/** Whole scripts: what is read before it is trusted must not change unnoticed. */
test("a column with its check, reference and index", () => {
  expect(scriptsOf(postgres, CASES["a column with its check, reference and index"])).toMatchInlineSnapshot(`
    "-- alter table pieces
    --   add column pieces.weight (integer, may be null, default 3)
    --   add column pieces.potter_id (integer, may be null)
    --   add check ck_pieces_weight on pieces (weight >= 1)
    ALTER TABLE "pieces"
      ADD COLUMN "weight" integer DEFAULT 3,
      ADD COLUMN "potter_id" integer,
      ADD CONSTRAINT "ck_pieces_weight" CHECK ("weight" >= 1);
    -- add index ix_pieces_potter_id on pieces (potter_id)
    CREATE INDEX "ix_pieces_potter_id" ON "pieces" ("potter_id");
    -- add foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete set null
    ALTER TABLE "pieces" ADD CONSTRAINT "fk_pieces_potter_id" FOREIGN KEY ("potter_id") REFERENCES "potters" ("id") ON DELETE SET NULL;
    ---- back
    -- drop foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete set null
    ALTER TABLE "pieces" DROP CONSTRAINT "fk_pieces_potter_id";
    -- drop index ix_pieces_potter_id on pieces (potter_id)
    DROP INDEX "ix_pieces_potter_id";
    -- alter table pieces
    --   drop check ck_pieces_weight on pieces (weight >= 1)
    --   drop column pieces.potter_id (integer, may be null)
    --   drop column pieces.weight (integer, may be null, default 3)
    ALTER TABLE "pieces"
      DROP CONSTRAINT "ck_pieces_weight",
      DROP COLUMN "potter_id",
      DROP COLUMN "weight";"
  `);
});

test("renames, with what follows from them", () => {
  expect(scriptsOf(postgres, CASES["renames, with what follows from them"])).toMatchInlineSnapshot(`
    "-- rename table pieces to works
    ALTER TABLE "pieces" RENAME TO "works";
    ALTER SEQUENCE IF EXISTS "pieces_id_seq" RENAME TO "works_id_seq";
    -- rename column works.weight to grams
    ALTER TABLE "works" RENAME COLUMN "weight" TO "grams";
    -- rename index ix_pieces_weight to ix_works_grams on works
    ALTER INDEX "ix_pieces_weight" RENAME TO "ix_works_grams";
    ---- back
    -- rename table works to pieces
    ALTER TABLE "works" RENAME TO "pieces";
    ALTER SEQUENCE IF EXISTS "works_id_seq" RENAME TO "pieces_id_seq";
    -- rename column pieces.grams to weight
    ALTER TABLE "pieces" RENAME COLUMN "grams" TO "weight";
    -- rename index ix_works_grams to ix_pieces_weight on pieces
    ALTER INDEX "ix_works_grams" RENAME TO "ix_pieces_weight";"
  `);
});

test("several changes at once: required with a fill, a new type, a unique, a foreign key", () => {
  expect(
    scriptsOf(
      postgres,
      CASES["several changes at once: required with a fill, a new type, a unique, a foreign key"],
    ),
  ).toMatchInlineSnapshot(`
    "-- alter table pieces
    --   alter column pieces.title (varchar(20) → text)
    --   alter column pieces.weight (may be null → required; null in old rows becomes 500)
    --   add column pieces.stage (text, required, old rows get 'it''s new')
    --   add unique uq_pieces_weight on pieces (weight)
    ALTER TABLE "pieces" DISABLE TRIGGER USER;
    UPDATE "pieces" SET "weight" = 500 WHERE "weight" IS NULL;
    ALTER TABLE "pieces" ENABLE TRIGGER USER;
    ALTER TABLE "pieces"
      ALTER COLUMN "title" TYPE text USING "title"::text,
      ALTER COLUMN "weight" SET NOT NULL,
      ADD COLUMN "stage" text NOT NULL DEFAULT 'it''s new',
      ADD CONSTRAINT "uq_pieces_weight" UNIQUE ("weight");
    ALTER TABLE "pieces" ALTER COLUMN "stage" DROP DEFAULT;
    -- add foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete restrict
    ALTER TABLE "pieces" ADD CONSTRAINT "fk_pieces_potter_id" FOREIGN KEY ("potter_id") REFERENCES "potters" ("id") ON DELETE RESTRICT;
    ---- back
    -- drop foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete restrict
    ALTER TABLE "pieces" DROP CONSTRAINT "fk_pieces_potter_id";
    -- alter table pieces
    --   drop unique uq_pieces_weight on pieces (weight)
    --   drop column pieces.stage (text, required)
    ALTER TABLE "pieces"
      DROP CONSTRAINT "uq_pieces_weight",
      DROP COLUMN "stage";
    -- alter table pieces
    --   alter column pieces.title (text → varchar(20))
    --   alter column pieces.weight (required → may be null)
    ALTER TABLE "pieces"
      ALTER COLUMN "title" TYPE varchar(20) USING "title",
      ALTER COLUMN "weight" DROP NOT NULL;"
  `);
});

test("a column that goes while another takes its name", () => {
  expect(scriptsOf(postgres, CASES["a column that goes while another takes its name"]))
    .toMatchInlineSnapshot(`
    "-- alter table pieces
    --   drop check ck_pieces_title on pieces (char_length(title) >= 2)
    --   drop column pieces.title (varchar(20), required)
    ALTER TABLE "pieces"
      DROP CONSTRAINT "ck_pieces_title",
      DROP COLUMN "title";
    -- rename column pieces.weight to title
    ALTER TABLE "pieces" RENAME COLUMN "weight" TO "title";
    ---- back
    -- rename column pieces.title to weight
    ALTER TABLE "pieces" RENAME COLUMN "title" TO "weight";
    -- alter table pieces
    --   add column pieces.title (varchar(20), required)
    --   add check ck_pieces_title on pieces (char_length(title) >= 2)
    ALTER TABLE "pieces"
      ADD COLUMN "title" varchar(20) NOT NULL,
      ADD CONSTRAINT "ck_pieces_title" CHECK (char_length("title") >= 2);"
  `);
});

test("tables that refer to each other in a circle, and to themselves", () => {
  expect(scriptsOf(postgres, CASES["tables that refer to each other in a circle, and to themselves"]))
    .toMatchInlineSnapshot(`
    "-- add table pieces (3 columns, refers to pieces)
    CREATE TABLE "pieces" (
      "id" integer NOT NULL GENERATED BY DEFAULT AS IDENTITY,
      "potter_id" integer,
      "lid_id" integer,
      CONSTRAINT "pk_pieces" PRIMARY KEY ("id")
    );
    -- add table potters (2 columns, refers to pieces)
    CREATE TABLE "potters" (
      "id" integer NOT NULL GENERATED BY DEFAULT AS IDENTITY,
      "best_id" integer,
      CONSTRAINT "pk_potters" PRIMARY KEY ("id")
    );
    -- references of pieces
    ALTER TABLE "pieces" ADD CONSTRAINT "fk_pieces_lid_id" FOREIGN KEY ("lid_id") REFERENCES "pieces" ("id") ON DELETE RESTRICT;
    -- references of potters
    ALTER TABLE "potters" ADD CONSTRAINT "fk_potters_best_id" FOREIGN KEY ("best_id") REFERENCES "pieces" ("id") ON DELETE RESTRICT;
    -- add foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete restrict
    ALTER TABLE "pieces" ADD CONSTRAINT "fk_pieces_potter_id" FOREIGN KEY ("potter_id") REFERENCES "potters" ("id") ON DELETE RESTRICT;
    ---- back
    -- drop foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete restrict
    ALTER TABLE "pieces" DROP CONSTRAINT "fk_pieces_potter_id";
    -- drop table potters (2 columns, refers to pieces)
    DROP TABLE "potters";
    -- drop table pieces (3 columns, refers to pieces)
    DROP TABLE "pieces";"
  `);
});

test("a key that changes its type under a reference; stamps, notes, computed columns", () => {
  expect(
    scriptsOf(
      postgres,
      CASES["a key that changes its type under a reference; stamps, notes, computed columns"],
    ),
  ).toMatchInlineSnapshot(`
    "-- drop foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete restrict
    ALTER TABLE "pieces" DROP CONSTRAINT "fk_pieces_potter_id";
    -- alter column pieces.potter_id (integer → bigint)
    ALTER TABLE "pieces" ALTER COLUMN "potter_id" TYPE bigint USING "potter_id"::bigint;
    -- alter table potters
    --   alter column potters.id (integer, serial → bigint, required)
    --   add column potters.twice (bigint, may be null, computed: id * 2)
    --   add column potters.updated_at (timestamptz, required, default now(), stamped when updated)
    ALTER TABLE "potters" ALTER COLUMN "id" DROP IDENTITY;
    ALTER TABLE "potters"
      ALTER COLUMN "id" TYPE bigint USING "id"::bigint,
      ADD COLUMN "twice" bigint GENERATED ALWAYS AS ("id" * 2) STORED,
      ADD COLUMN "updated_at" timestamptz NOT NULL DEFAULT now();
    -- note: alter table pieces
    COMMENT ON TABLE "pieces" IS 'it''s a pot';
    -- keep the stamp potters.updated_at
    CREATE FUNCTION "stamp_potters_updated_at"() RETURNS trigger LANGUAGE plpgsql AS $stamp$
    BEGIN
      IF NEW."updated_at" IS NOT DISTINCT FROM OLD."updated_at" THEN
        NEW."updated_at" := now();
      END IF;
      RETURN NEW;
    END
    $stamp$;
    CREATE TRIGGER "stamp_potters_updated_at" BEFORE UPDATE ON "potters" FOR EACH ROW EXECUTE FUNCTION "stamp_potters_updated_at"();
    -- add foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete restrict
    ALTER TABLE "pieces" ADD CONSTRAINT "fk_pieces_potter_id" FOREIGN KEY ("potter_id") REFERENCES "potters" ("id") ON DELETE RESTRICT;
    ---- back
    -- drop foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete restrict
    ALTER TABLE "pieces" DROP CONSTRAINT "fk_pieces_potter_id";
    -- drop the stamp of potters.updated_at
    DROP TRIGGER "stamp_potters_updated_at" ON "potters";
    DROP FUNCTION "stamp_potters_updated_at"();
    -- drop column potters.twice (bigint, may be null, computed: id * 2)
    ALTER TABLE "potters" DROP COLUMN "twice";
    -- drop column potters.updated_at (timestamptz, required, default now(), stamped when updated)
    ALTER TABLE "potters" DROP COLUMN "updated_at";
    -- alter column pieces.potter_id (bigint → integer)
    ALTER TABLE "pieces" ALTER COLUMN "potter_id" TYPE integer USING "potter_id"::integer;
    -- alter column potters.id (bigint, required → integer, serial)
    ALTER TABLE "potters" ALTER COLUMN "id" TYPE integer USING "id"::integer;
    ALTER TABLE "potters" ALTER COLUMN "id" ADD GENERATED BY DEFAULT AS IDENTITY;
    SELECT setval(pg_get_serial_sequence('"potters"', 'id'), (SELECT coalesce(max("id"), 0) + 1 FROM "potters"), false);
    -- note: alter table pieces
    COMMENT ON TABLE "pieces" IS NULL;
    -- add foreign key fk_pieces_potter_id on pieces (potter_id) → potters (id), on delete restrict
    ALTER TABLE "pieces" ADD CONSTRAINT "fk_pieces_potter_id" FOREIGN KEY ("potter_id") REFERENCES "potters" ("id") ON DELETE RESTRICT;"
  `);
});

test("every rule, and every kind of default", () => {
  expect(scriptsOf(postgres, CASES["every rule, and every kind of default"])).toMatchInlineSnapshot(`
    "-- add table things (9 columns)
    CREATE TABLE "things" (
      "id" integer NOT NULL GENERATED BY DEFAULT AS IDENTITY,
      "a" varchar(9) NOT NULL DEFAULT 'it''s',
      "b" boolean NOT NULL DEFAULT true,
      "c" jsonb,
      "d" numeric(8,2) DEFAULT 1.5,
      "e" uuid NOT NULL DEFAULT gen_random_uuid(),
      "f" timestamptz NOT NULL DEFAULT now(),
      "g" bytea,
      "h" text DEFAULT upper('x'),
      CONSTRAINT "pk_things" PRIMARY KEY ("id"),
      CONSTRAINT "ck_a" CHECK (char_length("a") >= 2 AND char_length("a") <= 5 AND "a" NOT IN ('x', 'y') AND position('c''' in "a") > 0 AND position('d' in "a") = 0 AND "a" ~ '^[Aa][0-9]''$'),
      CONSTRAINT "ck_d" CHECK ("d" > 0 AND "d" < 9 AND "d" % 3 = 0 AND ("d" > 1 or "d" < 0))
    );
    CREATE INDEX "ix_h" ON "things" ("h" DESC);
    CREATE UNIQUE INDEX "ix_a" ON "things" ("a");
    CREATE INDEX "ix_e" ON "things" ((lower("a"))) WHERE "a" <> '';
    COMMENT ON COLUMN "things"."h" IS 'noted';
    ---- back
    -- drop table things (9 columns)
    DROP TABLE "things";"
  `);
});

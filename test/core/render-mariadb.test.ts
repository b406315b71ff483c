import { expect, test } from "vitest";
import { mariadb } from "../../src/core/dialect/mariadb/index.js";
import { CASES, scriptsOf } from "./render-cases.js";

/** Whole scripts: what is read before it is trusted must not change unnoticed. */
test("a column with its check, reference and index", () => {
  expect(scriptsOf(mariadb, CASES["a column with its check, reference and index"])).toMatchInlineSnapshot(`
    "-- alter table pieces
    --   add column pieces.weight (int(11), may be null, default 3)
    --   add column pieces.potter_id (int(11), may be null)
    --   add check ck_pieces_weight on pieces (weight >= 1)
    --   add index ix_pieces_potter_id on pieces (potter_id)
    ALTER TABLE \`pieces\`
      ADD COLUMN \`weight\` int(11) NULL DEFAULT 3,
      ADD COLUMN \`potter_id\` int(11) NULL,
      ADD CONSTRAINT \`ck_pieces_weight\` CHECK (\`weight\` >= 1),
      ADD INDEX \`ix_pieces_potter_id\` (\`potter_id\`);
    -- references of pieces
    ALTER TABLE \`pieces\` ADD CONSTRAINT \`fk_pieces_potter_id\` FOREIGN KEY (\`potter_id\`) REFERENCES \`potters\` (\`id\`) ON DELETE SET NULL ON UPDATE NO ACTION;
    ---- back
    -- drop foreign key fk_pieces_potter_id on pieces
    ALTER TABLE \`pieces\` DROP FOREIGN KEY \`fk_pieces_potter_id\`, ALGORITHM=INSTANT, LOCK=NONE;
    -- alter table pieces
    --   drop check ck_pieces_weight on pieces (weight >= 1)
    --   drop index ix_pieces_potter_id on pieces (potter_id)
    --   drop column pieces.potter_id (int(11), may be null)
    --   drop column pieces.weight (int(11), may be null, default 3)
    ALTER TABLE \`pieces\`
      DROP CONSTRAINT \`ck_pieces_weight\`,
      DROP INDEX \`ix_pieces_potter_id\`,
      DROP COLUMN \`weight\`,
      DROP COLUMN \`potter_id\`,
      ALGORITHM=NOCOPY, LOCK=NONE;"
  `);
});

test("renames, with what follows from them", () => {
  expect(scriptsOf(mariadb, CASES["renames, with what follows from them"])).toMatchInlineSnapshot(`
    "-- rename table pieces to works
    RENAME TABLE \`pieces\` TO \`works\`;
    -- alter table works
    --   rename column works.weight to grams
    --   rename index ix_pieces_weight to ix_works_grams on works
    ALTER TABLE \`works\`
      RENAME INDEX \`ix_pieces_weight\` TO \`ix_works_grams\`,
      CHANGE COLUMN \`weight\` \`grams\` int(11) NULL,
      ALGORITHM=INSTANT, LOCK=NONE;
    ---- back
    -- rename table works to pieces
    RENAME TABLE \`works\` TO \`pieces\`;
    -- alter table pieces
    --   rename column pieces.grams to weight
    --   rename index ix_works_grams to ix_pieces_weight on pieces
    ALTER TABLE \`pieces\`
      RENAME INDEX \`ix_works_grams\` TO \`ix_pieces_weight\`,
      CHANGE COLUMN \`grams\` \`weight\` int(11) NULL,
      ALGORITHM=INSTANT, LOCK=NONE;"
  `);
});

test("several changes at once: required with a fill, a new type, a unique, a foreign key", () => {
  expect(
    scriptsOf(
      mariadb,
      CASES["several changes at once: required with a fill, a new type, a unique, a foreign key"],
    ),
  ).toMatchInlineSnapshot(`
    "-- alter table pieces
    --   alter column pieces.title (varchar(20) → longtext)
    --   alter column pieces.weight (may be null → required; null in old rows becomes 500)
    --   add column pieces.stage (longtext, required, old rows get 'it''s new')
    --   add unique uq_pieces_weight on pieces (weight)
    --   add index fk_pieces_potter_id on pieces (potter_id)
    UPDATE \`pieces\` SET \`weight\` = 500 WHERE \`weight\` IS NULL;
    ALTER TABLE \`pieces\`
      MODIFY COLUMN \`title\` longtext NOT NULL,
      MODIFY COLUMN \`weight\` int(11) NOT NULL,
      ADD COLUMN \`stage\` longtext NOT NULL DEFAULT 'it''s new',
      ADD INDEX \`fk_pieces_potter_id\` (\`potter_id\`),
      ADD CONSTRAINT \`uq_pieces_weight\` UNIQUE (\`weight\`);
    ALTER TABLE \`pieces\` MODIFY COLUMN \`stage\` longtext NOT NULL, ALGORITHM=INSTANT, LOCK=NONE;
    -- references of pieces
    ALTER TABLE \`pieces\` ADD CONSTRAINT \`fk_pieces_potter_id\` FOREIGN KEY (\`potter_id\`) REFERENCES \`potters\` (\`id\`) ON DELETE RESTRICT ON UPDATE NO ACTION;
    ---- back
    -- drop foreign key fk_pieces_potter_id on pieces
    ALTER TABLE \`pieces\` DROP FOREIGN KEY \`fk_pieces_potter_id\`, ALGORITHM=INSTANT, LOCK=NONE;
    -- alter table pieces
    --   drop index fk_pieces_potter_id on pieces (potter_id)
    --   drop unique uq_pieces_weight on pieces (weight)
    --   drop column pieces.stage (longtext, required)
    --   alter column pieces.title (longtext → varchar(20))
    --   alter column pieces.weight (required → may be null)
    ALTER TABLE \`pieces\`
      DROP INDEX \`fk_pieces_potter_id\`,
      DROP INDEX \`uq_pieces_weight\`,
      DROP COLUMN \`stage\`,
      MODIFY COLUMN \`title\` varchar(20) NOT NULL,
      MODIFY COLUMN \`weight\` int(11) NULL;"
  `);
});

test("a column that goes while another takes its name", () => {
  expect(scriptsOf(mariadb, CASES["a column that goes while another takes its name"])).toMatchInlineSnapshot(`
    "-- alter table pieces
    --   drop check ck_pieces_title on pieces (char_length(title) >= 2)
    --   drop column pieces.title (varchar(20), required)
    --   rename column pieces.weight to title
    ALTER TABLE \`pieces\`
      DROP CONSTRAINT \`ck_pieces_title\`,
      DROP COLUMN \`title\`,
      CHANGE COLUMN \`weight\` \`title\` int(11) NULL,
      ALGORITHM=INSTANT, LOCK=NONE;
    ---- back
    -- alter table pieces
    --   rename column pieces.title to weight
    --   add column pieces.title (varchar(20), required)
    --   add check ck_pieces_title on pieces (char_length(title) >= 2)
    ALTER TABLE \`pieces\`
      ADD COLUMN \`title\` varchar(20) NOT NULL AFTER \`id\`,
      CHANGE COLUMN \`title\` \`weight\` int(11) NULL,
      ADD CONSTRAINT \`ck_pieces_title\` CHECK (char_length(\`title\`) >= 2);"
  `);
});

test("tables that refer to each other in a circle, and to themselves", () => {
  expect(scriptsOf(mariadb, CASES["tables that refer to each other in a circle, and to themselves"]))
    .toMatchInlineSnapshot(`
      "-- add table pieces (3 columns, refers to pieces)
      CREATE TABLE \`pieces\` (
        \`id\` int(11) NOT NULL AUTO_INCREMENT,
        \`potter_id\` int(11) NULL,
        \`lid_id\` int(11) NULL,
        PRIMARY KEY (\`id\`),
        INDEX \`fk_pieces_potter_id\` (\`potter_id\`),
        INDEX \`fk_pieces_lid_id\` (\`lid_id\`)
      );
      -- add table potters (2 columns, refers to pieces)
      CREATE TABLE \`potters\` (
        \`id\` int(11) NOT NULL AUTO_INCREMENT,
        \`best_id\` int(11) NULL,
        PRIMARY KEY (\`id\`),
        INDEX \`fk_potters_best_id\` (\`best_id\`)
      );
      -- references of potters
      ALTER TABLE \`potters\` ADD CONSTRAINT \`fk_potters_best_id\` FOREIGN KEY (\`best_id\`) REFERENCES \`pieces\` (\`id\`) ON DELETE RESTRICT ON UPDATE NO ACTION;
      -- references of pieces
      ALTER TABLE \`pieces\`
        ADD CONSTRAINT \`fk_pieces_potter_id\` FOREIGN KEY (\`potter_id\`) REFERENCES \`potters\` (\`id\`) ON DELETE RESTRICT ON UPDATE NO ACTION,
        ADD CONSTRAINT \`fk_pieces_lid_id\` FOREIGN KEY (\`lid_id\`) REFERENCES \`pieces\` (\`id\`) ON DELETE RESTRICT ON UPDATE NO ACTION;
      ---- back
      -- drop foreign key fk_potters_best_id on potters
      ALTER TABLE \`potters\` DROP FOREIGN KEY \`fk_potters_best_id\`, ALGORITHM=INSTANT, LOCK=NONE;
      -- drop foreign key fk_pieces_potter_id on pieces
      ALTER TABLE \`pieces\` DROP FOREIGN KEY \`fk_pieces_potter_id\`, ALGORITHM=INSTANT, LOCK=NONE;
      -- drop foreign key fk_pieces_lid_id on pieces
      ALTER TABLE \`pieces\` DROP FOREIGN KEY \`fk_pieces_lid_id\`, ALGORITHM=INSTANT, LOCK=NONE;
      -- drop table potters
      DROP TABLE \`potters\`;
      -- drop table pieces
      DROP TABLE \`pieces\`;"
    `);
});

test("a key that changes its type under a reference; stamps, notes, computed columns", () => {
  expect(
    scriptsOf(
      mariadb,
      CASES["a key that changes its type under a reference; stamps, notes, computed columns"],
    ),
  ).toMatchInlineSnapshot(`
    "-- drop foreign key fk_pieces_potter_id on pieces
    ALTER TABLE \`pieces\` DROP FOREIGN KEY \`fk_pieces_potter_id\`, ALGORITHM=INSTANT, LOCK=NONE;
    -- alter table pieces
    --   alter table pieces (note "it's a pot")
    --   alter column pieces.potter_id (int(11) → bigint(20))
    ALTER TABLE \`pieces\`
      MODIFY COLUMN \`potter_id\` bigint(20) NULL,
      COMMENT = 'it''s a pot';
    -- alter table potters
    --   alter column potters.id (int(11), serial → bigint(20), required)
    --   add column potters.twice (bigint(20), may be null, computed: id * 2)
    --   add column potters.updated_at (timestamp(6), required, default current_timestamp(6), stamped when updated)
    ALTER TABLE \`potters\`
      MODIFY COLUMN \`id\` bigint(20) NOT NULL,
      ADD COLUMN \`twice\` bigint(20) GENERATED ALWAYS AS (\`id\` * 2) STORED,
      ADD COLUMN \`updated_at\` timestamp(6) NOT NULL DEFAULT current_timestamp(6) ON UPDATE current_timestamp(6);
    -- references of pieces
    ALTER TABLE \`pieces\` ADD CONSTRAINT \`fk_pieces_potter_id\` FOREIGN KEY (\`potter_id\`) REFERENCES \`potters\` (\`id\`) ON DELETE RESTRICT ON UPDATE NO ACTION;
    ---- back
    -- drop foreign key fk_pieces_potter_id on pieces
    ALTER TABLE \`pieces\` DROP FOREIGN KEY \`fk_pieces_potter_id\`, ALGORITHM=INSTANT, LOCK=NONE;
    -- alter table pieces
    --   alter table pieces (no note)
    --   alter column pieces.potter_id (bigint(20) → int(11))
    ALTER TABLE \`pieces\`
      MODIFY COLUMN \`potter_id\` int(11) NULL,
      COMMENT = '';
    -- alter table potters
    --   drop column potters.updated_at (timestamp(6), required, default current_timestamp(6), stamped when updated)
    --   drop column potters.twice (bigint(20), may be null, computed: id * 2)
    --   alter column potters.id (bigint(20), required → int(11), serial)
    ALTER TABLE \`potters\`
      DROP COLUMN \`twice\`,
      DROP COLUMN \`updated_at\`,
      MODIFY COLUMN \`id\` int(11) NOT NULL AUTO_INCREMENT;
    -- references of pieces
    ALTER TABLE \`pieces\` ADD CONSTRAINT \`fk_pieces_potter_id\` FOREIGN KEY (\`potter_id\`) REFERENCES \`potters\` (\`id\`) ON DELETE RESTRICT ON UPDATE NO ACTION;"
  `);
});

test("every rule, and every kind of default", () => {
  expect(scriptsOf(mariadb, CASES["every rule, and every kind of default"])).toMatchInlineSnapshot(`
    "-- add table things (9 columns)
    CREATE TABLE \`things\` (
      \`id\` int(11) NOT NULL AUTO_INCREMENT,
      \`a\` varchar(9) NOT NULL DEFAULT 'it''s',
      \`b\` tinyint(1) NOT NULL DEFAULT 1,
      \`c\` longtext NULL,
      \`d\` decimal(8,2) NULL DEFAULT 1.5,
      \`e\` uuid NOT NULL DEFAULT uuid(),
      \`f\` timestamp(6) NOT NULL DEFAULT current_timestamp(6),
      \`g\` longblob NULL,
      \`h\` longtext NULL DEFAULT upper('x') COMMENT 'noted',
      PRIMARY KEY (\`id\`),
      CONSTRAINT \`ix_a\` UNIQUE (\`a\`),
      INDEX \`ix_h\` (\`h\`(191) DESC),
      CONSTRAINT \`ck_a\` CHECK (char_length(\`a\`) >= 2 AND char_length(\`a\`) <= 5 AND BINARY \`a\` NOT IN ('x', 'y') AND locate(BINARY 'c''', \`a\`) > 0 AND locate(BINARY 'd', \`a\`) = 0 AND \`a\` REGEXP '(?-imsx)\\\\A[Aa][0-9]''\\\\z'),
      CONSTRAINT \`ck_b\` CHECK (\`b\` IN (0, 1)),
      CONSTRAINT \`ck_c\` CHECK (json_valid(\`c\`)),
      CONSTRAINT \`ck_d\` CHECK (\`d\` > 0 AND \`d\` < 9 AND abs(\`d\`) % 3 = 0 AND (\`d\` > 1 or \`d\` < 0))
    );
    ---- back
    -- drop table things
    DROP TABLE \`things\`;"
  `);
});

// The databases that fuzz-child.mjs harms: a file of the project, or one of its own on a server, made anew for each project.
import { readFileSync } from "node:fs";
import LibSql from "libsql";
import { createConnection } from "mysql2/promise";
import pg from "pg";

const double = name => `"${name.replaceAll('"', '""')}"`;
const back = name => `\`${name.replaceAll("`", "``")}\``;

/** @param file of the project that is harmed just then */
export function fileStore(file) {
  return {
    fresh: async () => undefined,
    run: async (text, ...values) => {
      const database = new LibSql(file());
      try {
        database.prepare(text).run(...values);
      } finally {
        database.close();
      }
    },
    hostile: (pick, names) => {
      const [name, other] = [double(pick(names)), double(pick(names))];
      return pick([
        [
          `CREATE TABLE ${name} (${other} ${pick(["", "integer", "varchar(3)", "x y z", "decimal(1,2,3)"])} DEFAULT ('x'), b CHECK (b <> 'it''s'))`,
        ],
        [`CREATE INDEX ${name} ON kilns (name)`],
        [`CREATE VIEW ${name} AS SELECT * FROM kilns`],
        [`CREATE TRIGGER ${name} AFTER INSERT ON kilns BEGIN SELECT 1; END`],
        [`ALTER TABLE kilns ADD COLUMN ${name} text`],
        [`CREATE VIRTUAL TABLE ${name} USING fts5(a)`],
        [`CREATE TABLE ${name} (a GENERATED ALWAYS AS (1) STORED, b COLLATE nocase UNIQUE)`],
      ]);
    },
    close: async () => undefined,
  };
}

/**
 * @param url a database that is not there yet; the project finds it as STUDIO_URL
 * @param template PostgreSQL: a database; MariaDB: files with what a database holds, one of which is taken each time
 */
export async function serverStore(url, template) {
  process.env.STUDIO_URL = url;
  return url.startsWith("postgres") ? postgresStore(url, template) : mariadbStore(url, template.split(","));
}

async function postgresStore(url, template) {
  const name = new URL(url).pathname.slice(1);
  const server = new pg.Client({ connectionString: new URL("/postgres", url).href });
  await server.connect();
  const drop = () => server.query(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`);
  return {
    fresh: async () => {
      await drop();
      await server.query(`CREATE DATABASE ${name} TEMPLATE ${template}`);
    },
    run: async (text, ...values) => {
      const client = new pg.Client({ connectionString: url });
      await client.connect();
      try {
        let at = 0;
        const sql = values.length > 0 ? text.replace(/\?/g, () => `$${(at += 1)}`) : text;
        await client.query(sql, values);
      } finally {
        await client.end();
      }
    },
    hostile: (pick, names) => {
      const [name, other] = [double(pick(names)), double(pick(names))];
      const type = pick(
        'integer|varchar(3)|numeric(5,-2)|int4range|text[]|xml|regclass|bit(3)|interval day to second(2)|name|"char"|money|point'.split(
          "|",
        ),
      );
      return pick([
        [`CREATE TABLE ${name} (${other} ${type}, b text CHECK (b <> 'it''s') DEFAULT E'\\x01')`],
        [
          `CREATE TYPE ${name} AS ENUM ('a', ${pick(["''''", "'b'", "E'\\n'"])})`,
          `ALTER TABLE kilns ADD COLUMN ${other} ${name}`,
        ],
        [`CREATE DOMAIN ${name} AS text CHECK (VALUE <> '')`, `CREATE TABLE t (${other} ${name} UNIQUE)`],
        [`CREATE SCHEMA ${name}`, `CREATE TABLE ${name}.${other} (a int PRIMARY KEY)`],
        [`CREATE ${pick(["VIEW", "MATERIALIZED VIEW"])} ${name} AS SELECT * FROM kilns`],
        [
          `CREATE TABLE ${name} (a int, b int) PARTITION BY RANGE (a)`,
          `CREATE TABLE ${other} PARTITION OF ${name} FOR VALUES FROM (1) TO (2)`,
        ],
        [`CREATE TABLE ${name} () INHERITS (kilns)`],
        [
          `CREATE ${pick(["UNIQUE ", ""])}INDEX ${name} ON kilns (lower(name) DESC) WHERE name <> ${pick(["''", "E'\\n'"])}`,
        ],
        [
          `CREATE FUNCTION ${name}() RETURNS trigger LANGUAGE plpgsql AS $f$ BEGIN RETURN NEW; END $f$`,
          `CREATE TRIGGER ${other} BEFORE UPDATE ON kilns FOR EACH ROW EXECUTE FUNCTION ${name}()`,
        ],
        [
          `CREATE SEQUENCE ${name} CYCLE INCREMENT -3`,
          `ALTER TABLE kilns ADD COLUMN ${other} bigint DEFAULT 5`,
        ],
        [
          `ALTER TABLE kilns ADD COLUMN ${name} ${type}`,
          `COMMENT ON COLUMN kilns.${name} IS ${pick(["''''", "E'\\x1b[2J'"])}`,
        ],
        [`ALTER TABLE kilns ADD CONSTRAINT ${name} EXCLUDE (name WITH =)`],
        [`ALTER TABLE kilns ADD COLUMN ${name} int GENERATED ALWAYS AS (1 + 1) STORED`],
        [
          `CREATE RULE ${name} AS ON DELETE TO kilns DO INSTEAD NOTHING`,
          `ALTER TABLE kilns ENABLE ROW LEVEL SECURITY`,
        ],
      ]);
    },
    close: async () => {
      await drop();
      await server.end();
    },
  };
}

async function mariadbStore(url, templates) {
  const name = new URL(url).pathname.slice(1);
  const server = await createConnection({ uri: new URL("/", url).href, multipleStatements: true });
  const held = templates.map(file => readFileSync(file, "utf8"));
  return {
    fresh: async pick => {
      const anew = `DROP DATABASE IF EXISTS ${name}; CREATE DATABASE ${name} CHARACTER SET utf8mb4; USE ${name};`;
      await server.query(`${anew} ${pick(held)}`);
    },
    run: async (text, ...values) => void (await server.query(text, values)),
    hostile: (pick, names) => {
      const [name, other] = [back(pick(names)), back(pick(names))];
      const type = pick(
        "integer zerofill|varchar(3)|decimal(5,2) unsigned|enum('a','''')|set('a','b')|bit(3)|year|geometry|json|inet6|binary(3)|timestamp(6)|mediumtext".split(
          "|",
        ),
      );
      return pick([
        [`CREATE TABLE ${name} (${other} ${type}, b varchar(20) DEFAULT '\\n' CHECK (b <> 'it''s'))`],
        [`CREATE TABLE ${name} (${other} int) WITH SYSTEM VERSIONING`],
        [
          `CREATE TABLE ${name} (a int, ${other} int) PARTITION BY RANGE (a) (PARTITION p VALUES LESS THAN (9))`,
        ],
        [`CREATE TABLE ${name} (${other} int not null) ENGINE=${pick(["MyISAM", "Aria", "MEMORY", "CSV"])}`],
        [`CREATE VIEW ${name} AS SELECT * FROM kilns`],
        [
          `CREATE SEQUENCE ${name} INCREMENT -3 MAXVALUE 5 START 5`,
          `ALTER TABLE kilns ADD COLUMN ${other} bigint DEFAULT nextval(${name})`,
        ],
        [`CREATE TRIGGER ${name} BEFORE INSERT ON kilns FOR EACH ROW SET NEW.name = NEW.name`],
        [`CREATE EVENT ${name} ON SCHEDULE EVERY 1 DAY DO SELECT 1`, `CREATE PROCEDURE ${other}() SELECT 1`],
        [`ALTER TABLE kilns ADD COLUMN ${name} ${type} COMMENT ${pick(["''''", "'\\\\'", "'\u001b[2J'"])}`],
        [`ALTER TABLE kilns ADD COLUMN ${name} int AS (1 + 1) ${pick(["STORED", "VIRTUAL"])} INVISIBLE`],
        [`ALTER TABLE kilns ADD ${pick(["UNIQUE ", ""])}INDEX ${name} (name(3) DESC)`],
        [`ALTER TABLE kilns ADD FULLTEXT INDEX ${name} (name)`],
        [`ALTER TABLE kilns CONVERT TO CHARACTER SET latin1`],
      ]);
    },
    close: async () => {
      await server.query(`DROP DATABASE IF EXISTS ${name}`);
      await server.end();
    },
  };
}

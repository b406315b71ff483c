import { objectOf } from "../../src/core/dialect/shared/object-text.js";
import type { Dialect } from "../../src/core/dialect/shared/dialect.js";
import { addressOf, quoteAddress } from "../../src/core/schema/address.js";
import type { ObjectDefinition, Schema, Table } from "../../src/core/schema/types.js";

/** Names that both of two schemas draw from, so that they have much in common and differ in every way there is. */
const VIEWS = ["open_pieces", "select", 'odd "view"', "Größe", "a.view"];
const ROUTINES = ["price", "Of the kiln", "order_by"];
const TRIGGERS = ["mark", "then's"];

/** What a template is made from. */
interface Making {
  readonly tables: readonly Table[];
  /** Names of views that are there already, quoted. */
  readonly views: readonly string[];
  readonly quote: (name: string) => string;
  readonly roll: (sides: number) => number;
}

/** The schema with objects as one dialect has them: made of its tables, and of each other. */
export function withObjects(schema: Schema, dialect: Dialect, seed: number): Schema {
  let state = seed + 1;
  const roll = (sides: number) => (state = (state * 48_271) % 2_147_483_647) % sides;
  const { tables } = dialect.types.settle(schema);
  if (tables.length === 0) return schema;
  const { quote } = dialect.names;
  const objects: ObjectDefinition[] = [];
  const views: string[] = [];
  const add = (sql: string) => {
    const object = objectOf(sql, dialect.tokens)!;
    objects.push({ ...object, sql: { [dialect.name]: object.sql as string } });
  };
  const taken = new Set(tables.map(({ name }) => name.toLowerCase()));
  const make = MAKERS[dialect.name]!;
  for (const name of VIEWS.filter(each => !taken.has(each.toLowerCase()) && roll(3) > 0)) {
    add(make.view(quote(name), { tables, views, quote, roll }));
    views.push(quote(name));
  }
  for (const name of ROUTINES.filter(() => roll(2) > 0))
    for (const sql of make.routine?.(quote(name), { tables, views, quote, roll }) ?? []) add(sql);
  for (const name of TRIGGERS.filter(() => roll(2) > 0))
    for (const sql of make.trigger(quote(name), { tables, views, quote, roll })) add(sql);
  return { ...schema, definitions: [...(schema.definitions ?? []), ...shuffled(objects, roll)] };
}

/** In any order: which comes first is for the program to find. */
function shuffled<T>(list: readonly T[], roll: (sides: number) => number): T[] {
  return list
    .map(each => ({ each, at: roll(1000) }))
    .sort((a, b) => a.at - b.at)
    .map(({ each }) => each);
}

interface Maker {
  readonly view: (name: string, making: Making) => string;
  readonly routine?: (name: string, making: Making) => string[];
  readonly trigger: (name: string, making: Making) => string[];
}

function pick<T>(list: readonly T[], { roll }: Making): T {
  return list[roll(list.length)]!;
}

function place(table: Table, { quote }: Making): string {
  return quoteAddress(addressOf(table), quote);
}

/** A plain view of all, of some columns, of two tables, or of another view. */
function view(name: string, making: Making): string {
  const { quote, roll, views } = making;
  const table = pick(making.tables, making);
  const columns = table.columns.map(each => quote(each.name));
  const other = pick(making.tables, making);
  switch (roll(4)) {
    case 0:
      return `create view ${name} as select * from ${place(table, making)}`;
    case 1:
      return `CREATE OR REPLACE VIEW ${name} AS\n  -- what is there\n  SELECT ${columns.slice(0, 1 + roll(columns.length)).join(", ")} FROM ${place(table, making)} t`;
    case 2:
      return `CREATE VIEW ${name} AS SELECT ${columns.map((column, at) => `t.${column} AS c${at}`).join(", ")}, (SELECT count(*) FROM ${place(other, making)}) AS n FROM ${place(table, making)} t`;
    default:
      return views.length > 0
        ? `CREATE VIEW ${name} AS SELECT * FROM ${pick(views, making)}`
        : `CREATE VIEW ${name} AS SELECT count(*) AS n FROM ${place(table, making)}`;
  }
}

const MAKERS: Readonly<Record<string, Maker>> = {
  sqlite: {
    // It writes no OR REPLACE.
    view: (name, making) => view(name, making).replace("OR REPLACE ", ""),
    trigger: (name, making) => {
      const table = place(pick(making.tables, making), making);
      const other = place(pick(making.tables, making), making);
      return [
        `CREATE TRIGGER ${name} AFTER DELETE ON ${table} BEGIN\n  SELECT CASE WHEN count(*) > ${making.roll(3)} THEN ';' END FROM ${other};\n  SELECT 1;\nEND`,
      ];
    },
  },
  postgres: {
    view: (name, making) => {
      const table = pick(making.tables, making);
      if (making.roll(4) > 0) return view(name, making);
      const [first] = table.columns;
      return `CREATE MATERIALIZED VIEW ${name} AS SELECT count(*) AS n, count(${making.quote(first!.name)}) AS m FROM ${place(table, making)};
CREATE INDEX ON ${name} (n);\nCOMMENT ON MATERIALIZED VIEW ${name} IS 'it''s; counted'`;
    },
    routine: (name, making) => {
      const table = place(pick(making.tables, making), making);
      return [
        [
          `CREATE FUNCTION ${name}(x integer DEFAULT ${making.roll(3)}) RETURNS bigint LANGUAGE sql AS $$ SELECT count(*) + x FROM ${table} $$`,
          `CREATE FUNCTION ${name}(r ${table}) RETURNS text LANGUAGE sql AS $f$ SELECT 'a;b' $f$`,
          `CREATE FUNCTION ${name}(a text, VARIADIC b numeric(4,1)[] DEFAULT '{1}') RETURNS integer LANGUAGE plpgsql AS 'BEGIN RETURN ${making.roll(2)}; END';
CREATE FUNCTION ${name}(a date) RETURNS SETOF ${table} LANGUAGE sql STABLE AS $$ SELECT * FROM ${table} $$`,
          `CREATE PROCEDURE ${name}(INOUT n integer) LANGUAGE plpgsql AS $$ BEGIN n := ${making.roll(2)}; END $$`,
        ][making.roll(4)]!,
      ];
    },
    trigger: (name, making) => {
      const table = pick(making.tables, making);
      const plain = table.columns.filter(each => !each.computed);
      const column = making.quote(pick(plain, making).name);
      const when = ["INSERT", `UPDATE OF ${column}`][making.roll(2)]!;
      // People call a function as the trigger that runs it.
      const own = making.roll(2) > 0 ? name : making.quote(`run ${name.slice(1, 4)}`);
      return [
        `CREATE FUNCTION ${own}() RETURNS trigger LANGUAGE plpgsql AS $$\nBEGIN\n  RETURN ${making.roll(2) > 0 ? "new" : "NEW"};\nEND $$`,
        `CREATE TRIGGER ${name} BEFORE ${when} ON ${place(table, making)} FOR EACH ROW WHEN (new.${column} IS NOT NULL) EXECUTE FUNCTION ${own}()`,
      ];
    },
  },
  mariadb: {
    view,
    routine: (name, making) => {
      const table = place(pick(making.tables, making), making);
      return [
        [
          `CREATE FUNCTION ${name}(x INT) RETURNS bigint DETERMINISTIC RETURN x + ${making.roll(3)}`,
          `CREATE PROCEDURE ${name}(IN x INT)\nBEGIN\n  DECLARE n INT DEFAULT 0;\n  WHILE n < x DO SET n = n + 1; END WHILE;\n  IF n > 1 THEN SELECT count(*) FROM ${table}; END IF;\nEND`,
          `CREATE EVENT ${name} ON SCHEDULE EVERY ${1 + making.roll(3)} DAY STARTS '2026-01-01 00:00:00' DISABLE DO SELECT count(*) FROM ${table}`,
        ][making.roll(3)]!,
      ];
    },
    trigger: (name, making) => {
      const table = pick(making.tables, making);
      return [
        `CREATE TRIGGER ${name} AFTER DELETE ON ${place(table, making)} FOR EACH ROW\nBEGIN\n  IF old.${making.quote(pick(table.columns, making).name)} IS NULL THEN SET @seen = ${making.roll(2)}; END IF;\nEND`,
      ];
    },
  },
};

import { afterAll, describe, expect, test } from "vitest";
import { allEngines } from "../laws/there-and-back.js";

/** Types in anybody's words. What each is called in a catalog, the engine alone says. */
const WORDS: Readonly<Record<string, readonly string[]>> = {
  sqlite: [
    "int",
    "INTEGER",
    "VarChar( 20 )",
    "double precision",
    "NUMERIC(8,2)",
    "datetime",
    "unsigned big int",
  ],
  postgres: [
    ...[
      "int",
      "INT4",
      "int2",
      "int8",
      "float4",
      "float8",
      "float",
      "float(10)",
      "float(30)",
      "bool",
      "Boolean",
    ],
    ...["decimal", "dec", "numeric", "decimal(8)", "decimal( 8 , 2 )", "NUMERIC(10,0)", "money"],
    ...[
      "timestamp with time zone",
      "timestamp(3) with time zone",
      "TIMESTAMP (3) WITHOUT TIME ZONE",
      "timestamptz(0)",
    ],
    ...["time with time zone", "time(2) without time zone", "timetz", "interval", "interval(3)", "date"],
    ...[
      "character varying(20)",
      "character varying",
      "CHAR VARYING(5)",
      "varchar",
      "character(5)",
      "char",
      "char(3)",
    ],
    ...[
      "national character varying(7)",
      "nchar(4)",
      "bpchar",
      "bpchar(6)",
      "text",
      "bit",
      "bit(3)",
      "bit varying",
    ],
    ...[
      "varbit",
      "varbit(4)",
      "bytea",
      "uuid",
      "jsonb",
      "json",
      "inet",
      "int4[]",
      "integer[][]",
      "varchar(9) []",
    ],
    ...[
      "timestamp with time zone[]",
      "decimal(8)[3]",
      "int4range",
      "tsvector",
      "xml",
      "point",
      "double precision",
    ],
  ],
  mariadb: [
    ...[
      "int",
      "INTEGER",
      "int unsigned",
      "int(5) unsigned",
      "integer unsigned zerofill",
      "tinyint",
      "tinyint unsigned",
    ],
    ...[
      "smallint",
      "smallint unsigned",
      "mediumint",
      "mediumint unsigned",
      "bigint",
      "bigint unsigned",
      "int signed",
    ],
    ...["int1", "int2", "int3", "int4", "int8", "middleint", "bool", "BOOLEAN", "year", "bit", "bit(5)"],
    ...["decimal", "dec(8)", "numeric(8, 2)", "fixed(5,1)", "decimal unsigned", "decimal(5,2) zerofill"],
    ...["float", "float4", "float8", "real", "double precision", "double unsigned", "float(7,3)"],
    ...[
      "char",
      "char(3)",
      "character(4)",
      "character varying(5)",
      "varcharacter(6)",
      "national varchar(7)",
      "nchar(3)",
    ],
    ...[
      "enum('a', 'b''c')",
      "SET( 'x','Y' )",
      "enum('a,b')",
      "text",
      "TinyText",
      "blob",
      "long",
      "long varchar",
    ],
    ...[
      "binary",
      "binary(4)",
      "varbinary(5)",
      "datetime",
      "datetime(0)",
      "DATETIME(3)",
      "timestamp",
      "timestamp(6)",
    ],
    ...["time", "time(2)", "date", "uuid", "inet6", "point", "geometry"],
  ],
};

describe.each(await allEngines())("words for types on a real %s", (_, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine)("are the words of its catalog, once they are settled", async () => {
    await engine!.empty();
    const { name, types, names } = engine!.dialect;
    const columns = WORDS[name]!.map((word, at) => ({
      name: `c${at}`,
      type: { kind: "native", sql: { [name]: word } } as const,
      nullable: true,
    }));
    const lists = columns.map(column => `${names.quote(column.name)} ${column.type.sql[name]!} NULL`);
    await engine!.run(`CREATE TABLE pieces (${lists.join(", ")})`);
    const parts = { uniques: [], indexes: [], foreignKeys: [], checks: [] };
    const typesOf = (columns: readonly { readonly type: { readonly kind: string } }[]) =>
      columns.map(({ type }, at) => `${WORDS[name]![at]} → ${"sql" in type ? JSON.stringify(type.sql) : ""}`);
    const settled = types.settle({ tables: [{ name: "pieces", columns, ...parts }] }).tables[0]!;
    const held = (await engine!.readCatalog()).schema.tables.find(({ name }) => name === "pieces")!;
    expect(typesOf(settled.columns)).toEqual(typesOf(held.columns));
  });
});

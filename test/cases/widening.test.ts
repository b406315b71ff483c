import { afterAll, describe, expect, test } from "vitest";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { sqliteEngine } from "../engines/sqlite.js";

const engines = {
  SQLite: sqliteEngine(),
  PostgreSQL: await postgresEngine(),
  MariaDB: await mariadbEngine(),
};

/** Types with the values that are hardest to hold: the first and the last, the longest, the finest. */
const VALUES = {
  SQLite: {
    INTEGER: ["-9223372036854775808", "9223372036854775807", "0.5", "'12'", "'jug'", "x'00ff'"],
    BIGINT: ["7", "'7.0'"],
    TEXT: ["'12'", "12", "0.10", "'pöts'"],
    "VARCHAR(4)": ["'longer than that'", "1e3"],
    REAL: ["1", "0.1", "'1e3'"],
    NUMERIC: ["'1.50'", "12345678901234567"],
    "DECIMAL(8,2)": ["0.125", "'7'"],
    BLOB: ["x'00'", "'text'", "3"],
  },
  PostgreSQL: {
    smallint: ["-32768", "32767"],
    integer: ["-2147483648", "2147483647"],
    bigint: ["-9223372036854775808", "9223372036854775807"],
    "numeric(5,0)": ["99999", "-99999"],
    "numeric(6,3)": ["999.999", "-0.001"],
    "numeric(10,4)": ["999999.9999"],
    "numeric(20,0)": ["99999999999999999999"],
    numeric: ["1e40", "0.000000001"],
    real: ["0.1", "3.4e38", "16777217"],
    "double precision": ["0.1", "1.7e308", "9007199254740993"],
    "varchar(4)": ["'pöts'", "'a b '"],
    "varchar(9)": ["'porcelain'"],
    varchar: ["repeat('x', 300)"],
    text: ["'  spaced  '", "''"],
    "timestamp(0)": ["'2026-03-04 05:06:07'"],
    "timestamp(3)": ["'2026-03-04 05:06:07.125'"],
    timestamp: ["'2026-03-04 05:06:07.123456'"],
    "time(0)": ["'05:06:07'"],
    time: ["'05:06:07.123456'"],
    date: ["'2026-03-04'", "'0001-01-01'"],
    boolean: ["true", "false"],
    "bit(3)": ["B'101'"],
    "bit varying(3)": ["B'101'"],
    "bit varying(9)": ["B'101010101'"],
  },
  MariaDB: {
    "tinyint(4)": ["-128", "127"],
    "smallint(6)": ["-32768", "32767"],
    "smallint(5) unsigned": ["65535"],
    "int(11)": ["-2147483648", "2147483647"],
    "int(10) unsigned": ["4294967295"],
    "bigint(20)": ["-9223372036854775808", "9223372036854775807"],
    "bigint(20) unsigned": ["18446744073709551615"],
    "decimal(5,0)": ["99999", "-99999"],
    "decimal(6,3)": ["999.999", "-0.001"],
    "decimal(10,4)": ["999999.9999"],
    "decimal(6,3) unsigned": ["999.999"],
    float: ["0.1", "16777216"],
    double: ["0.1", "1.7e308", "9007199254740993"],
    "varchar(4)": ["'pöts'", "'a b '"],
    "varchar(9)": ["'porcelain'"],
    tinytext: ["repeat('x', 255)"],
    text: ["repeat('x', 65535)"],
    mediumtext: ["repeat('x', 70000)"],
    "varbinary(4)": ["x'00ff0000'"],
    "datetime(0)": ["'2026-03-04 05:06:07'"],
    "datetime(3)": ["'2026-03-04 05:06:07.125'"],
    "datetime(6)": ["'1000-01-01 00:00:00.000001'"],
    "time(0)": ["'-838:59:59'"],
    "time(3)": ["'05:06:07.125'"],
    date: ["'2026-03-04'"],
    "enum('raw','bisque')": ["'raw'", "'bisque'"],
    "enum('raw','bisque','glazed')": ["'glazed'"],
  },
} as const;

/** How a column gets another type, and its values with it. */
const retype = {
  SQLite: (to: string) => [
    `CREATE TABLE other (n integer, held ${to})`,
    "INSERT INTO other SELECT n, held FROM pieces",
    "DROP TABLE pieces",
    "ALTER TABLE other RENAME TO pieces",
  ],
  PostgreSQL: (to: string) => [`ALTER TABLE pieces ALTER COLUMN held TYPE ${to} USING held::${to}`],
  MariaDB: (to: string) => [`ALTER TABLE pieces MODIFY COLUMN held ${to} NULL`],
};
const SHOWN = {
  SQLite: "typeof(held) || ' ' || quote(held)",
  PostgreSQL: "held::text",
  MariaDB: "hex(cast(held AS char))",
};

describe.each(["SQLite", "PostgreSQL", "MariaDB"] as const)("on a real %s", title => {
  const engine = engines[title];
  afterAll(() => engine?.close());

  test.runIf(engine)(
    "a type that is said to widen to another loses no value of it, there and back",
    async () => {
      const { dialect, run, rows, empty } = engine!;
      const list = Object.entries<readonly string[]>(VALUES[title]);
      const pairs = list.flatMap(([from, values]) =>
        list
          .filter(([to]) => to !== from && dialect.types.widens(from, to))
          .map(([to]) => ({ from, to, values })),
      );
      // Neither everything nor nothing is said to.
      expect(pairs.length).toBeGreaterThan(5);
      expect(pairs.length).toBeLessThan((list.length * list.length) / 2);
      for (const { from, to, values } of pairs) {
        await empty();
        await run(`CREATE TABLE pieces (n integer, held ${from} NULL)`);
        for (const [n, value] of [...values, "NULL"].entries())
          await run(`INSERT INTO pieces VALUES (${n}, ${value})`);
        const held = async () => rows(`SELECT n, ${SHOWN[title]} AS shown FROM pieces ORDER BY n`);
        const before = await held();
        for (const type of [to, from]) for (const statement of retype[title](type)) await run(statement);
        expect(await held(), `${from} to ${to}`).toEqual(before);
      }
    },
  );
});

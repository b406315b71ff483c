import LibSql from "libsql";
import { createConnection } from "mysql2/promise";
import pg from "pg";
import { afterAll, describe, expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import { blocksFor } from "../../src/core/plan/plan.js";
import { dialects, type DialectName } from "../../src/core/dialect/registry.js";
import { writeRowTypes } from "../../src/core/model/write/row-types.js";
import { EMPTY_SCHEMA, type Column, type DataType, type Schema } from "../../src/core/schema/types.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";

/** Each portable type, with a value as SQL. */
const VALUES: readonly (readonly [DataType, string])[] = [
  [{ kind: "boolean" }, "true"],
  [{ kind: "smallint" }, "1"],
  [{ kind: "integer" }, "1"],
  [{ kind: "bigint" }, "1"],
  [{ kind: "real" }, "1.5"],
  [{ kind: "double" }, "1.5"],
  [{ kind: "decimal", precision: 10, scale: 2 }, "1.5"],
  [{ kind: "text" }, "'a'"],
  [{ kind: "char", length: 1 }, "'a'"],
  [{ kind: "varchar", length: 9 }, "'a'"],
  [{ kind: "date" }, "'2026-11-25'"],
  [{ kind: "time" }, "'12:30:00'"],
  [{ kind: "timestamp" }, "'2026-11-25 12:30:00'"],
  [{ kind: "timestamptz" }, "'2026-11-25 12:30:00'"],
  [{ kind: "uuid" }, "'c0ffee00-0000-4000-8000-000000000001'"],
  [{ kind: "json" }, `'{"a":1}'`],
  [{ kind: "bytes" }, "X'00'"],
];

const SCHEMA: Schema = {
  tables: [
    {
      name: "things",
      columns: VALUES.map(([type]): Column => ({ name: `a_${type.kind}`, type, nullable: true })),
      uniques: [],
      indexes: [],
      foreignKeys: [],
      checks: [],
      note: "odd */ note",
    },
  ],
};

const servers = { postgres: await postgresEngine(), mariadb: await mariadbEngine() };
afterAll(async () => {
  for (const engine of Object.values(servers)) await engine?.close();
});

/** The rows of a query as a program with the driver's own settings gets them. */
const readers: Record<DialectName, (statements: readonly string[]) => Promise<Record<string, unknown>>> = {
  sqlite: async statements => {
    const database = new LibSql(":memory:");
    for (const statement of statements) database.exec(statement);
    const query = database.prepare("SELECT * FROM things");
    const [one, all] = [query.get(), query.all()[0]] as Record<string, unknown>[];
    expect(one?.["a_bytes"]).toBeInstanceOf(Buffer);
    return all!;
  },
  postgres: async statements => {
    const client = new pg.Client(servers.postgres!.url);
    await client.connect();
    for (const statement of statements) await client.query(statement);
    const { rows } = await client.query("SELECT * FROM things");
    await client.end();
    return rows[0] as Record<string, unknown>;
  },
  mariadb: async statements => {
    const connection = await createConnection({ uri: servers.mariadb!.url });
    for (const statement of statements) await connection.query(statement);
    const [rows] = await connection.query("SELECT * FROM things");
    await connection.end();
    return (rows as Record<string, unknown>[])[0]!;
  },
};

/** The declared types that a value is of. */
function kindsOf(value: unknown): string[] {
  if (value instanceof Date) return ["Date"];
  if (value instanceof ArrayBuffer) return ["ArrayBuffer", "Buffer | ArrayBuffer"];
  if (Buffer.isBuffer(value)) return ["Buffer", "Uint8Array", "Buffer | ArrayBuffer"];
  if (value instanceof Uint8Array) return ["Uint8Array"];
  if (typeof value === "object") return ["unknown"];
  return [typeof value, ...(value === 1 || value === 0 ? ["0 | 1"] : [])];
}

describe.each(Object.entries(readers))("on %s", (name, read) => {
  test.runIf(name === "sqlite" || servers[name as "postgres" | "mariadb"])(
    "a row is what its interface says",
    async () => {
      const dialect = dialects[name as DialectName];
      const values = VALUES.map(([{ kind }, value]) =>
        kind === "bytes" && name === "postgres" ? "'\\x00'" : value,
      );
      const row = await read([
        ...blocksFor(dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, SCHEMA)).flatMap(
          ({ statements }) => statements,
        ),
        `INSERT INTO things VALUES (${values.join(", ")})`,
      ]);
      const text = writeRowTypes(SCHEMA, dialect);
      expect(text).toContain("/** `things`: odd * / note */\nexport interface ThingRow {");
      const declared = new Map(
        [...text.matchAll(/^ {2}(\w+): (.+) \| null;$/gm)].map(([, key, type]) => [key, type]),
      );
      expect([...declared.keys()]).toEqual(Object.keys(row));
      for (const [key, value] of Object.entries(row))
        expect(kindsOf(value), key).toContain(declared.get(key));
    },
  );
});

import pg from "pg";
import type { CatalogRow } from "../../src/core/dialect/shared/dialect.js";
import { openDatabase } from "../../src/database/open.js";
import { postgres } from "../../src/core/dialect/postgres/index.js";
import { targetFor, type Engine } from "./engine.js";
import { EMPTYING } from "./emptying.js";

const SERVER = process.env["EMBERSET_TEST_POSTGRES"] ?? "postgres://root@127.0.0.1:5432/postgres";

/** A database of its own on a PostgreSQL server; undefined when no server answers. */
export async function postgresEngine(): Promise<Engine | undefined> {
  // Set to nothing where there is no server to be had.
  if (SERVER === "") return undefined;
  const admin = new pg.Client({ connectionString: SERVER, connectionTimeoutMillis: 3000 });
  try {
    await admin.connect();
  } catch {
    return undefined;
  }
  const name = `emberset_test_${process.pid}_${Math.random().toString(36).slice(2, 8)}`;
  await admin.query(`CREATE DATABASE ${name}`);
  const url = new URL(SERVER);
  url.pathname = `/${name}`;
  const client = new pg.Client({ connectionString: url.href });
  await client.connect();
  client.setTypeParser(20, Number);
  return {
    dialect: postgres,
    url: url.href,
    run: async sql => void (await client.query(sql)),
    rows: async sql => (await client.query(sql)).rows as CatalogRow[],
    readCatalog: async () => {
      const results: CatalogRow[][] = [];
      for (const sql of postgres.catalog.queries)
        results.push((await client.query(sql)).rows as CatalogRow[]);
      const further = postgres.catalog.further?.(results);
      if (further !== undefined) results.push((await client.query(further)).rows as CatalogRow[]);
      return postgres.catalog.read(results);
    },
    empty: async () => void (await client.query(EMPTYING)),
    open: () => openDatabase(targetFor("postgres", url.href), { mode: "change" }),
    close: async () => {
      await client.end();
      await admin.query(`DROP DATABASE ${name} WITH (FORCE)`);
      await admin.end();
    },
  };
}

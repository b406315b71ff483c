import { PGlite } from "@electric-sql/pglite";
import type { CatalogRow } from "../../src/core/dialect/shared/dialect.js";
import { databaseOver } from "../../src/database/postgres/session.js";
import { postgres } from "../../src/core/dialect/postgres/index.js";
import { targetFor, type Engine } from "./engine.js";
import { EMPTYING } from "./emptying.js";

/** A database of its own on an embedded PostgreSQL, in memory. */
export async function embeddedEngine(): Promise<Engine> {
  const database = await PGlite.create();
  const rows = async (sql: string) => (await database.query(sql)).rows as CatalogRow[];
  return {
    dialect: postgres,
    url: "",
    run: async sql => void (await database.query(sql)),
    rows,
    readCatalog: async () => {
      const results: CatalogRow[][] = [];
      for (const sql of postgres.catalog.queries) results.push(await rows(sql));
      return postgres.catalog.read(results);
    },
    empty: async () => void (await database.exec(EMPTYING)),
    open: async () =>
      databaseOver(
        {
          query: (sql, values) => database.query(sql, values),
          queries: async sql => (await database.exec(sql)).map(result => result.rows),
          cut: () => undefined,
          end: async () => undefined,
        },
        targetFor("postgres", ""),
        {},
      ),
    close: () => database.close(),
  };
}

import LibSql from "libsql";
import type { CatalogRow } from "../../src/core/dialect/shared/dialect.js";
import { openDatabase } from "../../src/database/open.js";
import { sqlite } from "../../src/core/dialect/sqlite/index.js";
import { targetFor, type Engine } from "./engine.js";

/** A database of its own in memory. */
export function sqliteEngine(): Engine {
  let database = new LibSql(":memory:");
  const rows = async (sql: string) => database.prepare(sql).all() as CatalogRow[];
  return {
    dialect: sqlite,
    url: "",
    run: async sql => void database.exec(sql),
    rows,
    readCatalog: async () => {
      const results: CatalogRow[][] = [];
      for (const sql of sqlite.catalog.queries) results.push(await rows(sql));
      return sqlite.catalog.read(results);
    },
    empty: async () => {
      database.close();
      database = new LibSql(":memory:");
    },
    open: () => openDatabase(targetFor("sqlite", ":memory:"), { mode: "write" }),
    close: async () => void database.close(),
  };
}

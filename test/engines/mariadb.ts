import { createConnection } from "mysql2/promise";
import type { CatalogRow } from "../../src/core/dialect/shared/dialect.js";
import { openDatabase } from "../../src/database/open.js";
import { withObjects } from "../../src/database/mariadb/objects.js";
import { mariadb } from "../../src/core/dialect/mariadb/index.js";
import { targetFor, type Engine } from "./engine.js";

const SERVER = process.env["EMBERSET_TEST_MARIADB"] ?? "mariadb://root@127.0.0.1:3306/";

/** A database of its own on a MariaDB server; undefined when no server answers. */
export async function mariadbEngine(address = SERVER): Promise<Engine | undefined> {
  // Set to nothing where there is no server to be had.
  if (address === "") return undefined;
  const connection = await createConnection({
    uri: address,
    connectTimeout: 3000,
    dateStrings: true,
    supportBigNumbers: true,
  }).catch(() => undefined);
  if (!connection) return undefined;
  const name = `emberset_test_${process.pid}_${Math.random().toString(36).slice(2, 8)}`;
  const empty = async () => {
    await connection.query(`DROP DATABASE IF EXISTS ${name}`);
    await connection.query(`CREATE DATABASE ${name} CHARACTER SET utf8mb4`);
    await connection.query(`USE ${name}`);
  };
  await empty();
  const rows = async (sql: string) => (await connection.query(sql))[0] as CatalogRow[];
  return {
    dialect: mariadb,
    url: new URL(name, address).href,
    run: async sql => void (await connection.query(sql)),
    rows,
    readCatalog: async () => {
      const results: CatalogRow[][] = [];
      for (const sql of mariadb.catalog.queries) results.push(await withObjects(await rows(sql), rows));
      return mariadb.catalog.read(results);
    },
    empty,
    open: () => openDatabase(targetFor("mariadb", new URL(name, address).href), { mode: "change" }),
    close: async () => {
      await connection.query(`DROP DATABASE ${name}`);
      await connection.end();
    },
  };
}

import type { Database } from "../session/database.js";
import type { Engine } from "../session/engine.js";
import { NoScratch, withServerScratch } from "../session/server-scratch.js";
import { openMariadb } from "./open.js";

export const mariadbEngine: Engine = {
  open: openMariadb,
  withScratch: async (target, trace, work) => {
    try {
      return await withServerScratch({ open: openMariadb, createSql }, target, trace, work);
    } catch (error) {
      throw error instanceof NoScratch ? error.cause : error;
    }
  },
};

/** Texts are compared as in the target's own database. */
async function createSql({ rows }: Database, name: string): Promise<string> {
  const [row] = await rows("SELECT @@collation_database AS collation");
  return `CREATE DATABASE ${name} COLLATE ${String(row?.["collation"])}`;
}

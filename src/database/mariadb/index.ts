import type { Database } from "../session/database.js";
import type { Engine } from "../session/engine.js";
import { NoScratch, withServerScratch } from "../session/server-scratch.js";
import { openMariadb } from "./open.js";
import { Problem, problems } from "../../core/problems.js";
import { messageOf } from "../../core/errors.js";

export const mariadbEngine: Engine = {
  open: openMariadb,
  withScratch: async (target, trace, work) => {
    try {
      return await withServerScratch({ open: openMariadb, createSql }, target, trace, work);
    } catch (error) {
      if (!(error instanceof NoScratch)) throw error;
      throw problems.noScratch({ embeddable: false, reason: reasonOf(error.cause) }, error.cause);
    }
  },
};

/** What the server itself said. */
function reasonOf(error: unknown): string {
  return messageOf(error instanceof Problem ? (error.cause ?? error) : error);
}

/** Texts are compared as in the target's own database. */
async function createSql({ rows }: Database, name: string): Promise<string> {
  const [row] = await rows("SELECT @@collation_database AS collation");
  return `CREATE DATABASE ${name} COLLATE ${String(row?.["collation"])}`;
}

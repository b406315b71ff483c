import type { Database } from "../session/database.js";
import type { Engine } from "../session/engine.js";
import { NoScratch, SCRATCH, withServerScratch } from "../session/server-scratch.js";
import { openMariadb } from "./open.js";
import { Problem, problems } from "../../core/problems.js";
import { messageOf } from "../../core/errors.js";

export const mariadbEngine: Engine = {
  open: openMariadb,
  withScratch: async (target, watched, work) => {
    try {
      return await withServerScratch(
        { open: openMariadb, createSql, unused: UNUSED, use: USE, always: ALWAYS },
        target,
        watched,
        work,
      );
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

const ALWAYS = "information_schema";

/** A lock of its name is its owner's: https://mariadb.com/kb/en/is_free_lock/ */
const USE = (name: string) => `SELECT GET_LOCK('${name}', 0)`;
const UNUSED = `SELECT SCHEMA_NAME AS name FROM information_schema.SCHEMATA
  WHERE LEFT(SCHEMA_NAME, ${SCRATCH.length}) = '${SCRATCH}' AND IS_FREE_LOCK(SCHEMA_NAME)`;

/** Texts are compared as in the target's own database. */
async function createSql({ rows }: Database, name: string): Promise<string> {
  const [row] = await rows("SELECT @@collation_database AS collation, DATABASE() AS here");
  // Of the target's own that is yet to be made nothing is known but that it will have all of Unicode.
  if (row?.["here"] === ALWAYS) return `CREATE DATABASE ${name} CHARACTER SET utf8mb4`;
  return `CREATE DATABASE ${name} COLLATE ${String(row?.["collation"])}`;
}

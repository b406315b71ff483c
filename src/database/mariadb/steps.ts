import { mariadb } from "../../core/dialect/mariadb/index.js";
import { detailOf } from "../../core/errors.js";
import { problems, Problem } from "../../core/problems.js";
import { JOURNAL } from "../../core/schema/internal-tables.js";
import { sha256 } from "../../core/sha256.js";
import type { Steps } from "../session/database.js";
import type { Statements } from "../session/statements.js";

/** https://mariadb.com/kb/en/mariadb-error-code-reference/: there is one already; there is none. */
const DONE = [1007, 1008, 1050, 1051, 1147, 1304, 1305, 1359, 1360, 1537, 1539];

const NO_SUCH_TABLE = 1146;

const NO_SUCH_COLUMN = 1054;

const NO_RIGHT = [1044, 1142, 1227];

/** How a MariaDB server is asked what became of a statement. */
export function stepsOf({ rows, run }: Pick<Statements, "rows" | "run">, lock: string): Steps {
  return {
    stateOf: async (tables, remade = false) => {
      const states: string[] = [];
      for (const table of tables) states.push(await stateOf(table, remade));
      return sha256(JSON.stringify(states)).toString("hex").slice(0, 16);
    },
    lacks: async ({ table, column }) => {
      const { quote } = mariadb.names;
      try {
        await rows(`SELECT ${column === undefined ? "1" : quote(column)} FROM ${quote(table)} LIMIT 0`);
        return false;
      } catch (error) {
        const isSo = column === undefined ? isMissing(error) : says(error, NO_SUCH_COLUMN);
        return isSo || undefined;
      }
    },
    together: async (work, isLocked = false) => {
      // To begin one would let go of tables that are locked: https://mariadb.com/kb/en/lock-tables/
      await run(isLocked ? "SET autocommit = OFF" : "START TRANSACTION");
      try {
        await work();
        await run("COMMIT");
      } catch (error) {
        await run("ROLLBACK").catch(() => undefined);
        throw error;
      } finally {
        if (isLocked) await run("SET autocommit = ON").catch(() => undefined);
      }
    },
    rowsIfThere: async sql => {
      try {
        return await rows(sql);
      } catch (error) {
        if (isMissing(error)) return [];
        throw error;
      }
    },
    lock: async tables => {
      const all = [...tables, mariadb.names.quote(JOURNAL)];
      try {
        await run(`LOCK TABLES ${all.map(table => `${table} WRITE`).join(", ")}`);
      } catch (error) {
        // Who may drop a table may yet not lock it: then it is counted as it is.
        if (error instanceof Problem && NO_RIGHT.includes(Number(detailOf(error.cause, "errno"))))
          return async () => undefined;
        throw error;
      }
      return () => run("UNLOCK TABLES");
    },
    isRunning: async () => {
      const [used] = await rows("SELECT IS_USED_LOCK(?) <> CONNECTION_ID() AS others", lock);
      return Number(used?.["others"] ?? 0) === 1;
    },
    isDone: error => DONE.includes(Number(detailOf(error.cause, "errno"))),
  };

  /** How it is defined, and since when: it may be made anew just as it was. How far it counts is the rows' business. */
  async function stateOf(table: string, remade: boolean): Promise<string> {
    try {
      const [definition] = await rows(`SHOW CREATE TABLE ${mariadb.names.quote(table)}`);
      const sql =
        "SELECT CREATE_TIME AS since FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ?";
      const [since] = remade ? await rows(sql, table) : [];
      const text = Object.values(definition ?? {}).join("\n");
      return `${text.replace(/ AUTO_INCREMENT=\d+/, "")} ${String(since?.["since"])}`;
    } catch (error) {
      if (isMissing(error)) return "none";
      throw error;
    }
  }
}

/** Whether an error says that there is no such table. */
export function isMissing(error: unknown): boolean {
  return says(error, NO_SUCH_TABLE);
}

function says(error: unknown, number: number): boolean {
  return (
    error instanceof Problem &&
    error.code === problems.queryFailed.code &&
    Number(detailOf(error.cause, "errno")) === number
  );
}

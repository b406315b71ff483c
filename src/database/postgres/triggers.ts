import type { Statement } from "../../core/sql/statements.js";
import { TRIGGERS_OF_USERS } from "../../core/dialect/postgres/render/stamps.js";
import { quote } from "../../core/dialect/postgres/names.js";
import type { Database } from "../session/database.js";

/** A trigger that does not run as usual, and how: https://www.postgresql.org/docs/15/catalog-pg-trigger.html */
interface OddTrigger {
  readonly id: string;
  readonly state: string;
}

/** Triggers of somebody's that are off, or on in an unusual way, before a script turns them all off and on again. */
export async function triggersThatAreOff(
  { rows }: Pick<Database, "rows">,
  statements: readonly Statement[],
): Promise<readonly OddTrigger[]> {
  if (!statements.some(({ sql }) => sql.endsWith(TRIGGERS_OF_USERS))) return [];
  const found = await rows(
    "SELECT oid::text AS id, tgenabled AS state FROM pg_trigger WHERE NOT tgisinternal AND tgenabled <> 'O'",
  );
  return found.map(row => ({ id: String(row["id"]), state: String(row["state"]) }));
}

const VERBS: Readonly<Record<string, string>> = { D: "DISABLE", A: "ENABLE ALWAYS", R: "ENABLE REPLICA" };

/** Puts them back to how they were, where they are still there. */
export async function turnOff(
  { rows, run }: Pick<Database, "rows" | "run">,
  triggers: readonly OddTrigger[],
): Promise<void> {
  for (const { id, state } of triggers) {
    const [row] = await rows(
      `SELECT tgrelid::regclass::text AS place, tgname AS name FROM pg_trigger WHERE oid = ${id} AND tgenabled <> '${state}'`,
    );
    if (row)
      await run(`ALTER TABLE ${String(row["place"])} ${VERBS[state]!} TRIGGER ${quote(String(row["name"]))}`);
  }
}

import { readJournal } from "./journal.js";
import { readLedger } from "./ledger.js";
import type { Database } from "./session/database.js";

/** The names of all migrations of which something has been done to a database, the one that stopped in the midst too. */
export async function namesRun(database: Database): Promise<ReadonlySet<string>> {
  const stopped = await readJournal(database);
  return new Set([
    ...(await readLedger(database)).map(({ name }) => name),
    ...(stopped ? [stopped.name] : []),
  ]);
}

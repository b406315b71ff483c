import type { Catalog } from "../core/dialect/shared/dialect.js";
import { learnSpellings, type Spellings } from "../core/lower/spellings.js";
import type { Schema } from "../core/schema/types.js";
import { allSpellings, noteSpellings, readLedger, type LedgerEntry } from "./ledger.js";
import type { Database } from "./session/database.js";

/** What expressions came back as, by the server and by all that had been run there: of many databases the first is looked at. */
const known = new Map<string, Spellings>();

/** Where the spellings of a run are known from another database of the same list. */
interface Alike {
  /** What came back there; undefined: none has run it yet. */
  readonly presumed: Spellings | undefined;
  /** Notes what came back here. */
  readonly found: (spellings: Spellings) => void;
}

/** @param ledger what had been run before @param checksum of the script that has run now */
export function alikeRuns(
  { target }: Database,
  ledger: readonly LedgerEntry[],
  checksum: string,
): Alike | undefined {
  if (target.list === undefined) return undefined;
  const server = URL.canParse(target.address) ? new URL(target.address).host : "";
  const key = JSON.stringify([target.dialect, server, ledger.map(({ forward }) => forward), checksum]);
  return {
    presumed: known.get(key),
    found: spellings => {
      if (known.size > 200) known.clear();
      known.set(key, spellings);
    },
  };
}

/** How the engine spells what a script has sent, but for what earlier runs have noted. */
export function newSpellings({ schema }: Catalog, ledger: readonly LedgerEntry[], sent: Schema): Spellings {
  const noted = allSpellings(ledger);
  return Object.fromEntries(
    Object.entries(learnSpellings(sent, schema)).filter(([key, text]) => noted[key] !== text),
  );
}

/**
 * Where what was presumed is not what came back, as with other settings of one database, what did come back is noted with
 * the last run. @returns whether anything was otherwise
 */
export async function spelledOtherwise(database: Database, held: Catalog, sent: Schema): Promise<boolean> {
  return database.exclusively(async () => {
    const ledger = await readLedger(database);
    const last = ledger.at(-1);
    const otherwise = newSpellings(held, ledger, sent);
    if (!last || Object.keys(otherwise).length === 0) return false;
    await noteSpellings(database, last.number, { ...last.spellings, ...otherwise });
    return true;
  });
}

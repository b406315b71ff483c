import type { Direction } from "../core/direction.js";
import { allSpellings, readLedger, recordRun, unrecordRun, type LedgerEntry } from "./ledger.js";
import type { KeptMigration } from "./kept-scripts.js";
import type { Database } from "./session/database.js";

/** A migration that stands for others, from the first on. */
export interface Baseline {
  readonly number: number;
  readonly name: string;
  readonly folds: readonly string[];
  readonly checksums: Readonly<Record<Direction, string>>;
}

/**
 * A ledger that has what a baseline stands for, as it is with the baseline instead.
 * @returns undefined where there is nothing to be told otherwise: none of them ran, or not all did, or it is so already
 */
export function foldedLedger(
  ledger: readonly LedgerEntry[],
  { number, name, folds, checksums }: Baseline,
): LedgerEntry[] | undefined {
  const folded = ledger.filter(entry => folds.includes(entry.name));
  const [first, last] = [folded[0], folded.at(-1)];
  if (!first || last?.number !== number || !isWhole(folded, first, folds)) return undefined;
  const spellings = allSpellings(folded);
  return [
    { ...last, ...checksums, number, name, spellings },
    ...ledger.filter(entry => !folded.includes(entry)),
  ];
}

/** From the first on, or from a baseline on that itself stood for what was before it, without a gap. */
function isWhole(folded: readonly LedgerEntry[], first: LedgerEntry, folds: readonly string[]): boolean {
  const earlier = folds.slice(0, folds.indexOf(first.name));
  const isBaseline = earlier.some(name => parseInt(name, 10) === first.number);
  return (first.number === 1 || isBaseline) && folded.every((each, at) => each.number === first.number + at);
}

/** Writes it down so: what ran there before the baseline was is not the baseline's to drop. @returns whether it was */
export async function foldLedger(
  database: Database,
  baseline: Baseline,
  kept: KeptMigration,
): Promise<boolean> {
  return database.exclusively(async () => {
    const ledger = await readLedger(database);
    const entry = foldedLedger(ledger, baseline)?.[0];
    if (!entry) return false;
    const together = database.steps?.together ?? (work => work());
    await together(async () => {
      for (const { number, name } of ledger)
        if (baseline.folds.includes(name)) await unrecordRun(database, number);
      const { checksums } = baseline;
      const facts = { migration: baseline, checksums, tookMs: entry.tookMs, spellings: entry.spellings };
      await recordRun(database, { ...facts, kept: { ...kept, adopted: true } });
    });
    return true;
  });
}

import type { CatalogRow } from "../../core/dialect/shared/dialect.js";
import { JOURNAL, LEDGER, LEDGER_KEPT } from "../../core/schema/internal-tables.js";
import type { Database, Value } from "./database.js";

/** Which tables of ours there are, as far as that is known since the lock was taken: nobody else makes or drops one meanwhile. */
export interface SeenTables extends Pick<Database, "hasTable" | "run"> {
  /** Work done while the lock is held, or that only reads and is done at once: which there are is asked once. */
  readonly asOneLook: <T>(work: () => Promise<T>) => Promise<T>;
  /** What is seen from now on stays so until `forget`. */
  readonly remember: () => void;
  readonly forget: () => void;
}

/**
 * @param ask the engine: which of some tables there are
 * @param run sends what makes and drops them
 * @param isOneLook whether to ask for several takes no longer than for one
 */
export function seenTables(
  ask: (names: readonly string[]) => Promise<readonly string[]>,
  run: Database["run"],
  isOneLook: boolean,
): SeenTables {
  let known: Map<string, boolean> | undefined;
  return {
    remember: () => (known = new Map()),
    forget: () => (known = undefined),
    hasTable: async (name, afresh = false) => {
      const seen = afresh ? undefined : known?.get(name);
      if (seen !== undefined) return seen;
      const names = known && isOneLook ? [...new Set([name, ...RECORDS])] : [name];
      const there = await ask(names);
      for (const each of names) known?.set(each, there.includes(each));
      return there.includes(name);
    },
    run: async (sql, ...values) => {
      await run(sql, ...values);
      const [, verb, name] = /^(CREATE|DROP) TABLE ["`](\w+)["`]/.exec(sql) ?? [];
      if (name !== undefined) known?.set(name, verb === "CREATE");
    },
    asOneLook: async work => {
      const outer = known;
      known = new Map();
      try {
        return await work();
      } finally {
        known = outer && new Map();
      }
    },
  };
}

/** What each run asks for. */
const RECORDS = [LEDGER, LEDGER_KEPT, JOURNAL];

/**
 * What a table of ours holds; nothing where there is none, or none any more: a run that takes the first migration back, and is at
 * its end, may have dropped it since it was looked for.
 */
export async function rowsOfOurs(
  { hasTable, rows }: Pick<Database, "hasTable" | "rows">,
  table: string,
  sql: string,
  ...values: readonly Value[]
): Promise<CatalogRow[]> {
  for (let tries = 1; ; tries += 1) {
    if (!(await hasTable(table, tries > 1))) return [];
    try {
      return await rows(sql, ...values);
    } catch (error) {
      // A transaction that an error has ended answers no more; and whatever else is wrong stays so.
      const answers = await hasTable(table, true).then(
        () => true,
        () => false,
      );
      if (!answers || tries === TRIES) throw error;
    }
  }
}

/** How often a table may be dropped, and be there again, just while it is read. */
const TRIES = 20;

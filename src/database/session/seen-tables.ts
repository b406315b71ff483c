/** Tables of ours that were seen since the lock was taken: nobody else drops one until it is let go of. */
export interface SeenTables {
  /** Whether there is a table of ours. */
  readonly hasTable: (name: string) => Promise<boolean>;
  /** Work done while the lock is held. */
  readonly whileLocked: <T>(work: () => Promise<T>) => Promise<T>;
}

/** @param ask the engine */
export function seenTables(ask: (name: string) => Promise<boolean>): SeenTables {
  let there: Set<string> | undefined;
  return {
    hasTable: async name => {
      if (there?.has(name)) return true;
      const isThere = await ask(name);
      if (isThere) there?.add(name);
      return isThere;
    },
    whileLocked: async work => {
      there = new Set();
      try {
        return await work();
      } finally {
        there = undefined;
      }
    },
  };
}

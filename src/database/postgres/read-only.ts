import type { Connection } from "./session.js";

/** How long a transaction that only reads lasts before the next statement begins a new one, in milliseconds: its locks end with it. */
const LASTS = 500;

/**
 * A connection whose statements run in READ ONLY transactions: settings and locks end with each, so that a pooler which hands the
 * server's connection on after a transaction hands on nothing of ours. After an error the next statement begins a new one.
 * @param settings statements of `SET LOCAL`, run at the beginning of each
 */
export function inReadOnlyTransactions(connection: Connection, settings: string): Connection {
  const beginning = `BEGIN ISOLATION LEVEL READ COMMITTED READ ONLY; ${settings}`;
  let begun: number | undefined;
  // What a statement without rows sets is for the next one, which must be in the same transaction.
  let isAwaited = false;
  const begin = async () => {
    const isOver = begun !== undefined && !isAwaited && performance.now() - begun > LASTS;
    if (begun !== undefined && !isOver) return;
    await connection.queries(isOver ? `COMMIT; ${beginning}` : beginning);
    begun = performance.now();
  };
  const within = async <T>(work: () => Promise<T>, rowsOf: (result: T) => number): Promise<T> => {
    try {
      await begin();
      const result = await work();
      isAwaited = rowsOf(result) === 0;
      return result;
    } catch (error) {
      begun = undefined;
      isAwaited = false;
      await connection.queries("ROLLBACK").catch(() => undefined);
      throw error;
    }
  };
  return {
    query: (sql, values) =>
      within(
        () => connection.query(sql, values),
        ({ rows }) => rows.length,
      ),
    queries: sql =>
      within(
        () => connection.queries(sql),
        results => results.at(-1)?.length ?? 0,
      ),
    cut: connection.cut,
    end: async () => {
      // A pooler closes the server's connection where a client goes in the midst of a transaction.
      if (begun !== undefined) await connection.queries("COMMIT").catch(() => undefined);
      await connection.end();
    },
  };
}

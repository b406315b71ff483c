import { problems, type Problem } from "../core/problems.js";
import type { Statement } from "../core/sql/statements.js";
import type { ProbeResult } from "./count-rows.js";
import { recount } from "./losses.js";
import { Breakage, EngineError, Unsure, type Database, type Scripted } from "./session/database.js";

/** Statements that belong together. */
export interface AtOnce extends Omit<Scripted, "careful"> {
  readonly statements: readonly Statement[];
  /** What may go: the probes that count it, with as many as were counted when that was agreed to. */
  readonly agreed: readonly ProbeResult[];
  /** The migration they are of, if any. */
  readonly migration?: string;
  readonly failed: (error: EngineError, statement: Statement, done: number) => Problem;
}

/**
 * Runs statements one after the other, and sees to what they take along. Called inside `exclusively`; where the engine
 * has transactions for what they do, all of them are done or none.
 * @param careful what `watch` is to note @returns statements for what stood around things that are no more @throws MoreLost, Unsure; Problem E407, E408, and what `failed` makes of an error
 */
export async function runAtOnce(
  database: Database,
  { statements, managed, drafted, surroundings, agreed, migration, failed }: AtOnce,
  careful: boolean,
): Promise<readonly string[]> {
  await recount(database, agreed);
  const watch = await seeTo(migration, () =>
    database.watch(statements, { managed, drafted, careful, surroundings }),
  );
  let done = 0;
  const orFailed = (error: unknown) => {
    throw error instanceof EngineError ? failed(error, statements[done]!, done) : error;
  };
  // What is as it was drafted changes nothing of how what follows is read.
  if (!watch.before && database.runAllScripted && drafted?.())
    await database
      .runAllScripted(
        statements.map(({ sql }) => sql),
        () => (done += 1),
      )
      .catch(orFailed);
  for (; done < statements.length; done += 1) {
    await watch.before?.(statements[done]!);
    await database.runScripted(statements[done]!.sql).catch(orFailed);
  }
  const surroundingsLeft = await seeTo(migration, watch.restore);
  await seeTo(migration, watch.inspect);
  return surroundingsLeft;
}

/**
 * What a failing statement of no migration's is to who asked for it. @param doing what the target was to be: `emptied`
 * @returns for `failed`: Problem E528
 */
export function stepFailing({ target, steps }: Database, doing: string): AtOnce["failed"] {
  return (error, { sql }, done) => {
    const facts = { target: target.name, doing, reason: error.message, statement: sql };
    // What is not committed one by one is undone as a whole.
    return problems.stepFailed({ ...facts, repair: error.remedy, done: steps ? done : 0 }, error);
  };
}

/** Work that is done once more, carefully, where it came out that it could not be told what was so before. */
export async function unlessUnsure<T>(attempt: (careful: boolean) => Promise<T>): Promise<T> {
  try {
    return await attempt(false);
  } catch (error) {
    if (!(error instanceof Unsure)) throw error;
    return attempt(true);
  }
}

/** @param migration the one that is run, if any @throws Problem E407, E408 */
export async function seeTo<T>(migration: string | undefined, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (!(error instanceof Breakage)) throw error;
    const values = { ...(migration !== undefined && { migration }), reason: error.reason };
    throw error.kind === "references"
      ? problems.danglingReferences({ ...values, references: error.found }, error)
      : problems.brokenView({ ...values, objects: error.found }, error);
  }
}

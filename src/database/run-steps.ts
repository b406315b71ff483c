import type { StepSyntax } from "../core/dialect/shared/steps.js";
import type { RowsDone } from "../core/problems.js";
import { JOURNAL } from "../core/schema/internal-tables.js";
import type { Statement } from "../core/sql/statements.js";
import { keepJournal, sumOf, type Journal, type JournalEntry, type RunOf } from "./journal.js";
import { patiently, STEP_WAITS } from "./session/patience.js";
import { EngineError, type Database, type Steps } from "./session/database.js";

/** What a run has done is not what the script, as it is now, begins with. */
export class DoneOtherwise extends Error {
  /** @param done how many statements are done */
  constructor(readonly done: number) {
    super();
  }
}

interface StepRun {
  readonly run: RunOf;
  readonly statements: readonly Statement[];
  /** Where an earlier run has stopped, if one has. */
  readonly stopped: JournalEntry | undefined;
  /** Whether that is no earlier run but this one, which the one before it has begun just now. @default false */
  readonly isBegun?: boolean;
  /** The statements that the earlier run had. */
  readonly asItWas: () => Promise<readonly Statement[]>;
  /** Called before each statement is sent. @param isLocked whether the script has locked its tables @returns what is to be done behind it */
  readonly before: (statement: Statement, isLocked: boolean) => Promise<(() => Promise<void>) | undefined>;
  /** Told how many rows of the table of a statement have got their values, where they do in pieces. */
  readonly filled?: ((sql: string, rows: RowsDone) => void) | undefined;
  /** What becomes of an error of the engine. @param done how many statements are done; 0: nothing is */
  readonly failed: (error: EngineError, statement: Statement, done: number) => Error;
}

/** A database that commits each statement by itself, and how its statements are told. */
export interface Stepwise {
  readonly database: Database;
  readonly steps: Steps;
  readonly syntax: StepSyntax;
  /** Whether others write meanwhile: no step waits for long, and it is tried again. */
  readonly online?: boolean;
}

/**
 * Runs a script on an engine that commits each statement by itself, from where an earlier run has stopped, and keeps a
 * journal: a statement that changes rows is committed with its entry, and of one that changes the schema it says before
 * what there is, so that the next run can tell whether it is done.
 * @returns the journal, to be ended with what else belongs to the run
 * @throws DoneOtherwise
 */
export async function runSteps(
  { database, steps, syntax, online = false }: Stepwise,
  { run, statements, stopped, isBegun = false, asItWas, before, filled, failed }: StepRun,
): Promise<Journal> {
  const stepwise = { database, steps, syntax };
  const from = stopped && !isBegun ? await settle(stepwise, { statements, stopped, asItWas }) : 0;
  const patient = <T>(work: () => Promise<T>) => (online ? patiently(work) : work());
  const journal = await keepJournal(database, { run, statements }, stopped, isBegun);
  const texts = statements.map(({ sql }) => sql);
  const send = (sql: string) =>
    database.runScripted(syntax.stepOf(sql).kind === "lock" ? syntax.lockingToo(sql, [JOURNAL]) : sql);
  const isLocked = (count: number) => lockedBefore(texts, count, syntax) !== undefined;
  const { session, copies } = againBefore(texts, from, syntax);
  for (const sql of session) await send(sql);
  if (copies.length > 0)
    await steps.together(async () => {
      for (const sql of copies) await send(sql);
      await journal.done(from);
    }, isLocked(from));
  const isNothing = (done: number) =>
    texts.slice(0, done).every(sql => ["session", "lock", "unlock"].includes(syntax.stepOf(sql).kind));
  for (const [start, end] of groupsFrom(texts, from, syntax)) {
    const { kind, about, remade } = syntax.stepOf(texts[start]!);
    const group = statements.slice(start, end);
    let at = start;
    const after: (() => Promise<void>)[] = [];
    const isOver = () => Promise.all(after.splice(0).map(each => each()));
    const looksFirst = async (statement: Statement) => {
      const then = await before(statement, isLocked(start)).catch(async (error: unknown) => {
        if (isNothing(start)) await journal.ends();
        throw error;
      });
      if (then) after.push(then);
    };
    for (const statement of group) await looksFirst(statement);
    const together = () =>
      steps.together(async () => {
        const began = performance.now();
        for (const [offset, { sql }] of group.entries()) {
          at = start + offset;
          // What is locked by then keeps others waiting for as long as the next lock is waited for.
          if (offset > 0) await steps.waitAtMost?.(STEP_WAITS - (performance.now() - began));
          await send(sql);
        }
        await journal.done(end);
      }, isLocked(start));
    try {
      if (kind === "rows" || kind === "quick") await patient(together);
      else if (kind === "pieces" && steps.inPieces) {
        await journal.done(start);
        await steps.inPieces(texts[start]!, async rows => {
          await journal.filled(rows);
          filled?.(texts[start]!, rows);
        });
        await journal.done(end);
      } else if (kind === "pieces") await patient(together);
      else if (kind === "apart" && steps.apart) {
        await journal.begins(start, APART);
        await patient(() => steps.apart!.run(texts[start]!));
      } else {
        if (kind === "schema" && !(isBegun && start === 0))
          await journal.begins(start, await steps.stateOf(about, remade));
        await patient(() => send(texts[start]!));
      }
    } catch (error) {
      if (!(error instanceof EngineError)) throw error;
      // One that had begun, of which nothing tells whether it is done.
      const isUntold = start === from && stopped?.doubt !== undefined && about.length === 0;
      if (isUntold && steps.isDone(error)) continue;
      const isBefore = kind !== "pieces" && isNothing(start);
      await (isBefore ? journal.ends() : journal.done(start));
      throw failed(error, statements[at]!, isBefore ? 0 : start);
    } finally {
      await isOver();
    }
  }
  return journal;
}

/** What the journal says there was before a statement that tells by itself whether it is done. */
const APART = "apart";

/** What it says where that which the statement makes was not there when the database was looked at before. */
const NOT_YET = "not yet";

/** What the journal may say there is before the first statement of a run without a look; undefined: it takes one. */
export function knownBefore({ syntax }: Stepwise, [first]: readonly Statement[]): string | undefined {
  return first && syntax.makes?.(first.sql) ? NOT_YET : undefined;
}

/** Whether a statement locks tables, so that it is still to be seen what is locked behind it. */
export function locksTables({ syntax }: Stepwise, statements: readonly Statement[]): boolean {
  return statements.some(({ sql }) => syntax.stepOf(sql).kind === "lock");
}

/** Statements that are done at once, from one to behind the last: quick ones that follow each other, of others each. */
function groupsFrom(texts: readonly string[], from: number, { stepOf }: StepSyntax): [number, number][] {
  const groups: [number, number][] = [];
  for (let start = from; start < texts.length;) {
    let end = start + 1;
    if (stepOf(texts[start]!).kind === "quick")
      while (end < texts.length && stepOf(texts[end]!).kind === "quick") end += 1;
    groups.push([start, end]);
    start = end;
  }
  return groups;
}

/** How many statements are done: the one in doubt is, where what it is about is no more as it was. @throws DoneOtherwise */
async function settle(
  { steps, syntax }: Stepwise,
  {
    statements,
    stopped,
    asItWas,
  }: Pick<StepRun, "statements" | "asItWas"> & { readonly stopped: JournalEntry },
): Promise<number> {
  const { done, doneSum, doubt } = stopped;
  if (sumOf(statements.slice(0, done)) !== doneSum) throw new DoneOtherwise(done);
  const next = statements[done];
  if (!doubt) return done;
  if (!next) throw new DoneOtherwise(done + 1);
  if (doubt.was === NOT_YET) {
    const isAsItWas = sumOf([next]) === doubt.sum;
    const sent = isAsItWas ? next : (await asItWas())[done];
    const made = sent && sumOf([sent]) === doubt.sum ? syntax.makes?.(sent.sql) : undefined;
    if (made && (await steps.lacks?.(made)) !== false) return done;
    if (!made || !isAsItWas) throw new DoneOtherwise(done + 1);
    return done + 1;
  }
  const { kind, about, remade } = syntax.stepOf(next.sql);
  if (kind === "apart" && steps.apart) return (await steps.apart.isDone(next.sql)) ? done + 1 : done;
  if (about.length === 0 || (await steps.stateOf(about, remade)) === doubt.was) return done;
  if (sumOf([next]) !== doubt.sum) throw new DoneOtherwise(done + 1);
  return done + 1;
}

/**
 * What a session that goes on needs of what is done: what was set and is still spoken of; the tables that are locked;
 * and the copies of what others may have changed since, as long as nothing was taken away behind them.
 */
function againBefore(
  texts: readonly string[],
  from: number,
  syntax: StepSyntax,
): { readonly session: readonly string[]; readonly copies: readonly string[] } {
  const { stepOf, sets, prepares, copiedAnew, mirrored = () => [] } = syntax;
  const done = texts.slice(0, from);
  const left = texts.slice(from);
  // What is set anew before it is used is not needed, and what it was made of may be gone.
  const session = done.filter((sql, at) => {
    const name = sets(sql);
    if (name === undefined || done.slice(at + 1).some(each => sets(each) === name)) return false;
    if (!/^@\w/.test(name)) return true;
    const next = left.find(each => each.includes(name));
    return next !== undefined && sets(next) !== name;
  });
  const lock = lockedBefore(texts, from, syntax);
  if (lock === undefined) return { session, copies: [] };
  const since = done.slice(lock + 1);
  const isTaken = since.some(sql => stepOf(sql).kind === "schema" && !prepares(sql));
  const copies = isTaken
    ? []
    : [
        ...done.slice(0, lock).flatMap(sql => mirrored(sql, done[lock]!)),
        ...since.flatMap((sql, at) => copiedAnew(sql, since.slice(at + 1))),
      ];
  return { session: [...session, done[lock]!], copies };
}

/** Where the tables were locked that still are when so many statements are done; undefined: none is. */
function lockedBefore(texts: readonly string[], count: number, { stepOf }: StepSyntax): number | undefined {
  const done = texts.slice(0, count);
  const lock = done.findLastIndex(sql => stepOf(sql).kind === "lock");
  return lock > done.findLastIndex(sql => stepOf(sql).kind === "unlock") ? lock : undefined;
}

import { basename } from "node:path";
import { splitStatements, type Statement } from "../core/sql/statements.js";
import type { Catalog } from "../core/dialect/shared/dialect.js";
import { equal } from "../core/schema/canonical.js";
import { LEDGER } from "../core/schema/internal-tables.js";
import type { Spellings } from "../core/lower/spellings.js";
import { EMPTY_SCHEMA, type Schema } from "../core/schema/types.js";
import { problems, type Problem, type RowsDone } from "../core/problems.js";
import type { Direction } from "../core/direction.js";
import type { EngineError, Database } from "./session/database.js";
import {
  dropEntry,
  entryOf,
  readJournal,
  sayStopped,
  turnBack,
  type Journal,
  type JournalEntry,
} from "./journal.js";
import {
  allSpellings,
  dropEmptyLedger,
  makeLedger,
  readLedger,
  recordRun,
  unrecordRun,
  type LedgerEntry,
} from "./ledger.js";
import type { ProbeResult } from "./count-rows.js";
import { keptMigration, saysTheSame, type KeptMigration } from "./kept-scripts.js";
import { recountBefore } from "./losses.js";
import { runAtOnce, seeTo, unlessUnsure } from "./run-at-once.js";
import { alikeRuns, newSpellings } from "./spelled.js";
import { refuseTransactions, statementsFor, transactionIn } from "./script-statements.js";
import { DoneOtherwise, knownBefore, locksTables, runSteps, type Stepwise } from "./run-steps.js";

/** A migration's number and the name of its folder. */
interface RunnableMigration {
  readonly number: number;
  readonly name: string;
}

interface RunnableScript {
  readonly file: string;
  readonly text: string;
  readonly checksum: string;
}

/** A migration with its scripts. */
export interface Scripted {
  readonly migration: RunnableMigration;
  readonly scripts: Readonly<Record<Direction, RunnableScript>>;
  /** What the database keeps of it. */
  readonly kept: KeptMigration;
}

interface MigrationRun extends Scripted {
  readonly direction: Direction;
  /** The names of what has run there, the oldest first, as it was looked at before. */
  readonly ran: readonly string[];
  /** What may go: the probes that count it, with as many as were counted when that was agreed to. */
  readonly agreed?: readonly ProbeResult[];
  /** The settled schema that the script leads to. */
  readonly after: () => Schema;
  /** Names of what hangs on tables and comes from the migrations. */
  readonly managed: () => readonly string[];
  /** Whether the engine may spell an expression otherwise after it than before. */
  readonly respells: boolean;
  /** Whether the script is just as it was drafted. @default false */
  readonly drafted?: () => boolean;
  /** Whether it is run while others write, each step committed by itself. @default false */
  readonly online?: boolean;
  /**
   * What is run next, in the same direction, where nothing stands between: nobody is asked, no rows are looked at, and the
   * database was seen to be as the migrations say.
   */
  readonly next?: () => Scripted | undefined;
  /** Told how many rows have got their values by a statement, where they do in pieces. */
  readonly filled?: ((sql: string, rows: RowsDone) => void) | undefined;
}

/** "done", or "already" when another process had run it by the time the lock was ours. */
interface RunOutcome {
  readonly outcome: "done" | "already";
  readonly tookMs: number;
  /** What the database held when the script was done, as far as that was looked at. */
  readonly catalog?: Catalog | undefined;
  /** How the engine spells expressions there, by all that has run. */
  readonly spellings?: Spellings | undefined;
  /** Whether what the engine makes of expressions was taken from another database. */
  readonly presumed?: boolean;
}

/**
 * Runs one script and records it, while no other process runs one: in one transaction, so that all of it happens or
 * nothing; or, where an engine commits each statement by itself, step by step, from where an earlier run has stopped.
 * @throws MoreLost; Problem E404, E405, E407, E408, E409, E517, E518, E519, E520
 */
export async function runMigration(database: Database, run: MigrationRun): Promise<RunOutcome> {
  const { file, text } = run.scripts[run.direction];
  const statements = statementsFor(database, text);
  refuseTransactions(statements, file);
  const start = performance.now();
  const attempt = (careful: boolean) =>
    database.exclusively(
      async (): Promise<RunOutcome> => {
        const known = begun.get(database);
        const stopped = known?.entry ?? (await readJournal(database));
        try {
          refuseStopped(stopped, run, database);
          const ledger = known?.ledger ?? (await readLedger(database));
          if (await hasRunAlready(database, ledger, run)) {
            await dropBegun(database);
            return { outcome: "already", tookMs: 0 };
          }
          const stepwise = bySteps(database, run.online);
          const around = await surroundingsOf(database, run);
          const ended = stepwise
            ? await inSteps(stepwise, { ...run, around }, statements, stopped)
            : await atOnce(database, { ...run, around }, statements, careful);
          const tookMs = performance.now() - start;
          return {
            outcome: "done",
            tookMs,
            ...(await recorded(database, ledger, run, { tookMs, ...ended })),
          };
        } catch (error) {
          await dropBegun(database);
          throw error;
        }
      },
      howToRun(database, run.online),
    );
  return unlessUnsure(attempt);
}

/** Runs that the one before has begun, in its last entry of the journal, and that are not at it yet: the lock is still ours. */
const begun = new WeakMap<Database, Begun>();

interface Begun {
  readonly entry: JournalEntry;
  /** What has run by then. */
  readonly ledger: readonly LedgerEntry[];
}

/** What has begun is not gone on with. */
async function dropBegun(database: Database): Promise<void> {
  if (!begun.delete(database)) return;
  await dropEntry(database).catch(() => undefined);
}

/** Nothing more is run, so that others may. */
export async function letOthersRun(database: Database): Promise<void> {
  await dropBegun(database);
  await database.turn?.letGo();
}

/** What stood around things that come back, as the database keeps it with the migration. */
async function surroundingsOf(
  database: Database,
  { migration, direction }: MigrationRun,
): Promise<readonly string[]> {
  if (direction === "forward") return [];
  return (await keptMigration(database, migration.number))?.surroundings ?? [];
}

/** A run of a script, at its end. */
interface Ended {
  /** To be ended with what else belongs to the end. */
  readonly journal?: Journal;
  /** Statements for what stood around things that are no more. */
  readonly surroundings: readonly string[];
}

/** How a database runs a script by steps; undefined: in one transaction. */
function bySteps(database: Database, online = false): Stepwise | undefined {
  const { render } = database.dialect;
  if (online && database.online && render.online)
    return { database, steps: database.online, syntax: render.online.steps, online };
  return database.steps && render.steps && { database, steps: database.steps, syntax: render.steps };
}

function howToRun(database: Database, online = false): "by steps" | undefined {
  return online && database.online ? "by steps" : undefined;
}

/** What takes a migration back from the midst. */
interface BackFromMidst extends Pick<MigrationRun, "migration" | "ran" | "agreed"> {
  /** Where it stopped, as it was looked at before. */
  readonly stopped: JournalEntry;
  /** The script, where this begins; else the journal has it. */
  readonly script: string;
  /** Whether it is run while others write. */
  readonly online: boolean;
}

/**
 * Takes a migration back that has stopped in the midst of its way forward; itself stopped, it goes on.
 * @throws MoreLost; Problem E404, E405, E408, E518, E520
 */
export async function runBackFromMidst(
  database: Database,
  { migration, ran, agreed = [], stopped, script, online }: BackFromMidst,
): Promise<RunOutcome> {
  const { dialect, target } = database;
  const stepwise = bySteps(database, online);
  const start = performance.now();
  return database.exclusively(
    async (): Promise<RunOutcome> => {
      const found = await readJournal(database);
      if (!stepwise) return { outcome: "already", tookMs: 0 };
      const now = (await readLedger(database)).map(({ name }) => name);
      if (!found || !equal({ ...found, now }, { ...stopped, now: ran }))
        throw problems.ranMeanwhile({ target: target.name, migration: migration.name, direction: "back" });
      const text = found.script ?? script;
      const statements = splitStatements(text, dialect.tokens);
      if (found.script === undefined)
        await stepwise.steps.together(() => turnBack(database, found, statements, text));
      const run: MigrationRun = {
        ...{ migration, ran, agreed, direction: "back" },
        kept: { files: {} },
        scripts: { forward: NO_SCRIPT, back: { ...NO_SCRIPT, text } },
        after: () => EMPTY_SCHEMA,
        respells: false,
        managed: () => [],
      };
      const { journal } = await inSteps(
        stepwise,
        { ...run, around: [] },
        statements,
        await readJournal(database),
      );
      await journal?.ends();
      if (await database.hasTable(LEDGER)) await dropEmptyLedger(database);
      return { outcome: "done", tookMs: performance.now() - start };
    },
    howToRun(database, online),
  );
}

const NO_SCRIPT: RunnableScript = { file: "(the script in the journal)", text: "", checksum: "" };

/** Another migration is in the midst. @throws Problem E520 */
function refuseStopped(
  stopped: JournalEntry | undefined,
  { migration, direction }: MigrationRun,
  { target }: Database,
): void {
  const isThis = stopped?.name === migration.name && stopped.direction === direction;
  if (!stopped || (isThis && stopped.script === undefined)) return;
  throw problems.stopped({ target: target.name, ...sayStopped(stopped) });
}

/**
 * What ran there is still what it was when it was looked at: otherwise what was asked, and what the script goes by, is no
 * longer so. @returns whether another process has done just this. @throws Problem E517, E518
 */
async function hasRunAlready(
  database: Database,
  ledger: readonly LedgerEntry[],
  { migration, direction, scripts, ran }: MigrationRun,
): Promise<boolean> {
  const { number, name } = migration;
  const target = database.target.name;
  const own = ledger.find(entry => entry.number === number);
  const isOther = async () =>
    direction === "forward" &&
    own?.forward !== scripts.forward.checksum &&
    !(await saysTheSame(database, number, scripts.forward));
  if (own && (own.name !== name || (await isOther())))
    throw problems.ranOtherwise({ target, migration: name, other: own.name });
  if (direction === "forward" && own) return true;
  const now = ledger.map(entry => entry.name);
  const isAsItWas = now.length === ran.length && now.every((each, at) => each === ran[at]);
  if (isAsItWas) return false;
  // Others may have gone further back.
  if (direction === "back" && !own && now.every((each, at) => each === ran[at])) return true;
  throw problems.ranMeanwhile({ target, migration: name, direction });
}

/** All of it, or nothing. */
async function atOnce(
  database: Database,
  { migration, direction, scripts, managed, drafted, agreed = [], around }: Surrounded,
  statements: readonly Statement[],
  careful: boolean,
): Promise<Ended> {
  const { file } = scripts[direction];
  const surroundings = await runAtOnce(
    database,
    {
      ...{ statements, managed, drafted, agreed, migration: migration.name, surroundings: around },
      failed: (error, statement) => failureOf(error, statement, { migration, file }),
    },
    careful,
  );
  return { surroundings };
}

/** A run, with the statements for what stood around things that come back. */
type Surrounded = MigrationRun & { readonly around: readonly string[] };

/** Step by step, with a journal. */
async function inSteps(
  stepwise: Stepwise,
  { migration, direction, scripts, managed, kept, agreed = [], filled, around }: Surrounded,
  statements: readonly Statement[],
  stopped: JournalEntry | undefined,
): Promise<Ended> {
  const { file } = scripts[direction];
  const { number, name } = migration;
  const left = statements.slice(stopped?.done ?? 0);
  const watch = await seeTo(migration.name, () =>
    stepwise.database.watch(left, { managed, surroundings: around }),
  );
  try {
    const isBegun = begun.delete(stepwise.database);
    const journal = await runSteps(stepwise, {
      // On its way back, the ledger still has it.
      run: { number, name, direction, ...(direction === "forward" && { kept }) },
      statements,
      stopped,
      isBegun,
      asItWas: () => statementsBefore(stepwise.database, number, scripts[direction], stopped),
      filled,
      before: async (statement, isLocked) => {
        await watch.before?.(statement);
        // While others write, nothing is locked for as long as it takes to count.
        return recountBefore(stepwise.database, statement, agreed, isLocked || stepwise.online === true);
      },
      failed: (error, statement, done) =>
        failureOf(error, statement, { migration, file, done: { done, of: statements.length, direction } }),
    });
    const surroundings = await seeTo(migration.name, watch.restore);
    await seeTo(migration.name, watch.inspect);
    return { journal, surroundings };
  } catch (error) {
    if (!(error instanceof DoneOtherwise)) throw error;
    throw problems.doneOtherwise({ file, migration: migration.name, done: error.done });
  }
}

/** The statements of a script as it was when a run of it stopped; none where nobody has kept it. */
async function statementsBefore(
  database: Database,
  number: number,
  { file }: RunnableScript,
  stopped: JournalEntry | undefined,
): Promise<readonly Statement[]> {
  const kept = stopped?.kept ?? (await keptMigration(database, number));
  return statementsFor(database, kept?.files[basename(file)] ?? "");
}

/** The first entry of what is run next, where it may take the place of the last of a run that is at its end. */
function followedBy(database: Database, run: MigrationRun): JournalEntry | undefined {
  const { direction, online } = run;
  const { turn } = database;
  const stepwise = bySteps(database, online);
  if (!turn || !stepwise || stepwise.online) return undefined;
  const next = run.next?.();
  if (!next) return undefined;
  const statements = statementsFor(database, next.scripts[direction].text);
  const was = knownBefore(stepwise, statements);
  const done = statementsFor(database, run.scripts[direction].text);
  if (was === undefined || transactionIn(statements) || locksTables(stepwise, done)) return undefined;
  if (!turn.stay()) return undefined;
  const { number, name } = next.migration;
  const keeps = direction === "forward" && { kept: next.kept };
  return entryOf({ run: { number, name, direction, ...keeps }, statements }, was);
}

/** Notes what ran, and that it is at its end. */
async function recorded(
  database: Database,
  ledger: readonly LedgerEntry[],
  run: MigrationRun,
  { tookMs, journal, surroundings }: Ended & { readonly tookMs: number },
): Promise<Pick<RunOutcome, "catalog" | "presumed" | "spellings">> {
  const { migration, direction, scripts, after, respells, kept, online } = run;
  const together = bySteps(database, online)?.steps.together ?? (work => work());
  const following = journal && followedBy(database, run);
  const atItsEnd = async (note: () => Promise<readonly LedgerEntry[]>) => {
    let now = ledger;
    await together(async () => {
      now = await note();
      await (following ? journal?.passesTo(following) : journal?.ends());
    });
    if (following) begun.set(database, { entry: following, ledger: now });
    return allSpellings(now);
  };
  if (direction === "back") {
    const spellings = await atItsEnd(async () => {
      await unrecordRun(database, migration.number);
      return ledger.filter(({ number }) => number !== migration.number);
    });
    await dropEmptyLedger(database);
    return { presumed: false, spellings };
  }
  const checksums = { forward: scripts.forward.checksum, back: scripts.back.checksum };
  const isSpelled = database.dialect.catalog.respells && respells;
  const alike = isSpelled ? alikeRuns(database, ledger, checksums.forward) : undefined;
  const presumed = alike?.presumed;
  const catalog = isSpelled && !presumed ? await database.readCatalog() : undefined;
  const spellings = presumed ?? (catalog && newSpellings(catalog, ledger, after()));
  if (spellings && !presumed) alike?.found(spellings);
  await makeLedger(database);
  const noted = await atItsEnd(async () => [
    ...ledger,
    await recordRun(database, {
      ...{ migration, checksums, tookMs, spellings },
      kept: surroundings.length > 0 ? { ...kept, surroundings } : kept,
    }),
  ]);
  return { catalog, presumed: presumed !== undefined, spellings: noted };
}

/** What an engine says of a statement, as a problem. */
function failureOf(
  error: EngineError,
  { sql, line }: Statement,
  {
    migration,
    file,
    done,
  }: {
    readonly migration: RunnableMigration;
    readonly file: string;
    /** Where each statement is committed by itself: how far it came. */
    readonly done?: { readonly done: number; readonly of: number; readonly direction: Direction };
  },
): Problem {
  return problems.statementFailed(
    {
      migration: migration.name,
      file,
      line,
      reason: error.message,
      statement: sql,
      repair: error.remedy,
      ...(done && done.done > 0 && { stopped: done }),
    },
    error,
  );
}

import type { Catalog, CatalogRow, Dialect } from "../../core/dialect/shared/dialect.js";
import type { Made } from "../../core/dialect/shared/steps.js";
import type { RowsDone } from "../../core/problems.js";
import type { Statement } from "../../core/sql/statements.js";
import type { TargetSettings } from "../../project/settings.js";

/** Called with every statement that is sent to a database, and how long it took. */
export type Trace = (sql: string, milliseconds: number) => void;

/** Told for whom is waited: `process 123 on kiln, since 10:15:03 UTC`. */
export type Waiting = (whom: string) => void;

/** A parameter of a statement. */
export type Value = string | number | bigint | null;

/** An open database. Failures of the engine come out as Problems. */
export interface Database {
  readonly dialect: Dialect;
  readonly target: TargetSettings;
  /** The rows of a query. */
  readonly rows: (sql: string, ...values: readonly Value[]) => Promise<CatalogRow[]>;
  /** Runs one statement. */
  readonly run: (sql: string, ...values: readonly Value[]) => Promise<void>;
  /** Runs one statement of a script; the engine's own error comes out as an EngineError. */
  readonly runScripted: (sql: string) => Promise<void>;
  /**
   * The same for several, sent at once and run one after the other until one fails. @param onDone called for each that is done
   * Absent: that saves nothing, or each is to be seen.
   */
  readonly runAllScripted?: (sqls: readonly string[], onDone: () => void) => Promise<void>;
  /**
   * Work in one transaction while no other process writes; whatever is thrown undoes it all.
   * @param how "by steps": in none, while no other run of Emberset is at it; each statement is committed by itself, and waits
   * but shortly for what others hold. Only where there is `online`.
   */
  readonly exclusively: <T>(work: () => Promise<T>, how?: "by steps") => Promise<T>;
  /**
   * Notes what is there before a script runs. Called inside `exclusively`.
   */
  readonly watch: (statements: readonly Statement[], about: Scripted) => Promise<Watch>;
  /** Absent: the lock goes with what is done under it. */
  readonly turn?: Turn;
  /** Lets nobody else write to tables, quoted, until `exclusively` is at its end. Absent: nobody can, or not so long. */
  readonly hold?: (tables: readonly string[]) => Promise<void>;
  /** Of an engine that commits each statement by itself. */
  readonly steps?: Steps;
  /** How a script is run by steps while others write. Absent: there is one writer only. */
  readonly online?: Steps;
  readonly readCatalog: () => Promise<Catalog>;
  /** @param afresh whether to ask also where it is known since the lock was taken. @default false */
  readonly hasTable: (name: string, afresh?: boolean) => Promise<boolean>;
  /** Work that reads and is done at once, so that which tables of ours there are need be asked once only. Absent: that saves nothing. */
  readonly asOneLook?: <T>(work: () => Promise<T>) => Promise<T>;
  readonly close: () => Promise<void>;
}

/** The lock on which runs take turns, where it may stay from one to the next of the same process. */
export interface Turn {
  /**
   * Called inside `exclusively`: the lock stays when that is done, for the next to go on with or for `letGo`.
   * @returns false: it does not, others have waited long enough
   */
  readonly stay: () => boolean;
  /** Lets go of a lock that has stayed. */
  readonly letGo: () => Promise<void>;
}

/** How an engine that commits each statement by itself is asked what became of one. */
export interface Steps {
  /**
   * A sum, 16 hex digits, of what tables and views are now: another one after a statement that is about them.
   * @param remade whether that may make something anew just as it was
   */
  readonly stateOf: (tables: readonly string[], remade?: boolean) => Promise<string>;
  /** Whether what a statement makes is not there yet; undefined: that cannot be told. Absent: it never can. */
  readonly lacks?: (made: Made) => Promise<boolean | undefined>;
  /** Rows are committed together, or not at all. @param isLocked whether tables are locked, which stay so */
  readonly together: (work: () => Promise<void>, isLocked?: boolean) => Promise<void>;
  /** The rows of a query; none where its table is not there. */
  readonly rowsIfThere: (sql: string) => Promise<CatalogRow[]>;
  /** Locks tables, quoted, and lets the journal be written. @returns what lets go of them */
  readonly lock: (tables: readonly string[]) => Promise<() => Promise<void>>;
  /** Whether another run is at it just now, or locks what is asked for. */
  readonly isRunning: () => Promise<boolean>;
  /** Whether an error says that what a statement makes or drops is there, or gone, already. */
  readonly isDone: (error: EngineError) => boolean;
  /** Lets what follows in a transaction wait for no more than is left, in milliseconds, of what a step may. */
  readonly waitAtMost?: (milliseconds: number) => Promise<void>;
  /** What there is for statements that are no part of a transaction. Absent: there are none such. */
  readonly apart?: Apart;
  /**
   * An update of many rows, in pieces that are each committed. Absent: it is one statement.
   * @param filled told how many are done, in the transaction of the last of them
   */
  readonly inPieces?: (sql: string, filled: (rows: RowsDone) => Promise<void>) => Promise<void>;
}

/** Statements that are no part of a transaction, and may leave something half made. */
interface Apart {
  /** Runs one, and takes away what it leaves where it fails. */
  readonly run: (sql: string) => Promise<void>;
  /** Whether one that had begun is done; what it left half made is gone. */
  readonly isDone: (sql: string) => Promise<boolean>;
}

/** What is known of a script before it runs. */
export interface Scripted {
  /** Names of what hangs on tables and comes from the migrations, which the script itself sees to. */
  readonly managed: () => readonly string[];
  /** Whether it is just as it was drafted: then what is managed needs no look. @default false */
  readonly drafted?: (() => boolean) | undefined;
  /** Note also what takes long to note and is rarely of use. @default false */
  readonly careful?: boolean | undefined;
  /** Statements for what stood around things that come back. Absent: there is nothing such. */
  readonly surroundings?: readonly string[] | undefined;
}

/** What is to be seen to after a script ran and before it is committed. */
export interface Watch {
  /** Called before each statement: looks once more at what it will take along. Absent: nothing is. */
  readonly before?: (statement: Statement) => Promise<void>;
  /**
   * Puts back what the script took along that is not Emberset's.
   * @returns statements for what stood around things that are no more, for the way back @throws Breakage
   */
  readonly restore: () => Promise<readonly string[]>;
  /** Looks for what the script broke. @throws Breakage · Unsure when it was not noted what was broken before */
  readonly inspect: () => Promise<void>;
}

/** Something is broken, and may have been so before: all is to be undone, and done again with careful notes. */
export class Unsure extends Error {}

/** What a database engine said about one statement. */
export class EngineError extends Error {
  constructor(
    /** The engine's own code. */
    readonly code: string,
    message: string,
    /** What a person can do about it. */
    readonly remedy: string,
    cause: unknown,
  ) {
    super(message, { cause });
    this.name = "EngineError";
  }
}

/** A script that ran, but left something broken. */
export class Breakage extends Error {
  constructor(
    readonly kind: "references" | "objects",
    readonly found: readonly string[],
    readonly reason: string,
  ) {
    super(reason);
    this.name = "Breakage";
  }
}

/**
 * What a statement of a script is where each is committed by itself. "rows": it can be undone until it is committed;
 * "quick": likewise, and in no time, so that those that follow each other are committed together; "session": it changes
 * nothing but the session, "lock" and "unlock": and what others may do; "schema": it is committed by itself, whole or not
 * at all; "apart": it is no part of a transaction, and may leave something half made; "pieces": an update of many rows,
 * each by itself.
 */
export interface Step {
  readonly kind: "rows" | "quick" | "session" | "lock" | "unlock" | "schema" | "apart" | "pieces";
  /** The tables and views, as they are named, of which one is another thing afterwards; empty: it cannot be told. */
  readonly about: readonly string[];
  /** Whether it may make something of them anew just as it was. */
  readonly remade?: boolean;
}

/** A table, or a column of one. */
export interface Made {
  readonly table: string;
  readonly column?: string;
}

/** How a dialect tells the steps of a script. */
export interface StepSyntax {
  readonly stepOf: (sql: string) => Step;
  /**
   * What is there as soon as a statement is done, and cannot be before; undefined: that cannot be told from it. Absent: it
   * never can.
   */
  readonly makes?: (sql: string) => Made | undefined;
  /** A LOCK TABLES that locks some more tables to be written. */
  readonly lockingToo: (sql: string, tables: readonly string[]) => string;
  /** Whether a statement only gets something ready, beside what is there: what was copied before may be copied anew. */
  readonly prepares: (sql: string) => boolean;
  /**
   * What brings a copy that a statement has made up to date; none: it makes none, or one that must not be made twice.
   * @param behind what was done since: what is no more as it was copied stays in the copy
   */
  readonly copiedAnew: (sql: string, behind: readonly string[]) => readonly string[];
  /**
   * What brings a copy up to date that a statement has made before tables were locked, and that triggers have kept so since,
   * as long as they were there: under the lock they go. Absent: there are none.
   * @param lock the statement that locks the tables
   */
  readonly mirrored?: (sql: string, lock: string) => readonly string[];
  /** What a statement sets in its session: a variable, as `@next`, or a setting; undefined: it sets nothing. */
  readonly sets: (sql: string) => string | undefined;
}

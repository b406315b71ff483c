import type { Change } from "../change/types.js";
import type { Cure } from "../problems.js";

/** A read-only query that counts the rows which would make a change fail, or that it would take away. */
export interface Probe {
  readonly change: Change;
  /** What is counted: `rows of pieces without a title`. */
  readonly question: string;
  /** Gives one row with one number, `n`. Reads the database as it is before the changes. */
  readonly sql: string;
  /** What is run before it, in the same session; it changes nothing. */
  readonly before?: string;
  /**
   * "refuses": the change fails while the number is not 0; "loses": so many rows or values go; "keeps": so many go into
   * the attic.
   */
  readonly meaning: "refuses" | "loses" | "keeps";
  /** A look at what is counted; absent: there is nothing to tell it by, or the engine may refuse to. */
  readonly sight?: Sight | undefined;
  /** What gets rows out of the way; absent: they must be corrected. */
  readonly cure?: Cure;
  /** The table, quoted, whose rows or values would go. */
  readonly table?: string;
}

/** A probe of which it is not said yet for which change it is. */
export type Question = Omit<Probe, "change">;

/** A query for the rows that a probe counts: a look at some of them. */
export interface Sight {
  /** Without an end: `LIMIT` may follow. */
  readonly sql: string;
  /** What its columns are called to people, in their order. */
  readonly key: readonly string[];
  readonly values: readonly string[];
  /** Whether each of its rows stands for several that share the values: GROUPS are its last columns. */
  readonly grouped?: true;
}

/** What a look at rows that stand for several calls how many there are of them, and how many each stands for. */
export const GROUPS = { all: "all of them", rows: "rows with it" } as const;

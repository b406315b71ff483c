import type { Column } from "../../schema/types.js";

/** What becomes of one value of a column that changes its type, as SQL to count by before anything changes. */
export interface Retyped {
  /** The value as the column will hold it. */
  readonly value: string;
  /**
   * A condition that holds of a value that would be cut, rounded or refused: worked out by the engine itself, as its
   * own rules turn values. Absent: none would.
   */
  readonly unfit?: string;
  /** Whether working it out is refused where a value does not fit, rather than giving something else. */
  readonly fails: boolean;
}

/**
 * Of columns that are worked out neither before nor after.
 * @param value the column as it is, quoted
 * @param converted SQL of the developer's own that makes the new value, where there is some
 */
export type Retype = (before: Column, after: Column, value: string, converted: string | undefined) => Retyped;

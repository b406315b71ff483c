import type { Direction } from "../../direction.js";
import type { Replacement } from "../../change/loss.js";
import type { AlterColumn } from "../../change/types.js";
import type { Column, SequenceDefinition, Table } from "../../schema/types.js";

/**
 * The attic: tables beside the others in which a migration keeps what it takes away, under its number. Going back puts
 * all of it where it was, and lets go of what the attic held.
 */
export interface Attic {
  /** forward: things are put into it; back: taken out. */
  readonly direction: Direction;
  readonly kept: readonly Kept[];
  readonly counters: readonly KeptCounter[];
}

/** What one table of the attic holds. Things are called as they were before the migration, unless said otherwise. */
export type Kept = KeptTable | KeptBesideKey;

/** A table that is dropped, with all its rows. */
export interface KeptTable {
  readonly kind: "table";
  readonly table: Table;
  /** The address in the attic. */
  readonly address: string;
}

/** Values of a table that stays, each beside the key of its row. */
export type KeptBesideKey = KeptColumns | KeptValues;

interface BesideKey {
  readonly table: Table;
  /** The address of the table after the migration. */
  readonly now: string;
  /** The address in the attic. */
  readonly address: string;
  /** The columns by which rows are found again; none where the table has no key that stays. */
  readonly key: readonly KeyPart[];
  /** Whose values are kept. */
  readonly columns: readonly Column[];
}

/** Columns that are dropped; where no key tells the rows, all others with them. */
interface KeptColumns extends BesideKey {
  readonly kind: "columns";
}

/** A column in which other values stand afterwards. */
export interface KeptValues extends BesideKey {
  readonly kind: "values";
  readonly change: AlterColumn;
  readonly by: Replacement;
}

/** Where something stood that counts, and goes or counts no longer. */
export type KeptCounter = KeptSequence | KeptCounting;

interface KeptSequence {
  readonly kind: "sequence";
  readonly definition: SequenceDefinition;
  /** The address in the attic. */
  readonly address: string;
}

/** What a column of a table counts by. */
export interface KeptCounting {
  readonly kind: "counting";
  readonly table: Table;
  readonly column: Column;
  /** The address of the table after the migration; undefined: it is gone. */
  readonly now: string | undefined;
  /** The address in the attic. */
  readonly address: string;
}

/** A column of a key, as it is called before and after the migration. */
export interface KeyPart {
  readonly was: string;
  readonly now: string;
  /** Its values are of another type afterwards. */
  readonly retyped: boolean;
}

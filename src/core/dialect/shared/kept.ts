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
  readonly numbered: readonly Numbered[];
  /** Addresses in the attic where there may be something of what was not taken away yet, when a run was stopped. */
  readonly leftOver?: readonly string[];
}

/**
 * A table whose rows nothing tells apart, although values of it are kept. They have numbers while a migration runs; later
 * they are found again by all that they hold, equal ones each in their turn.
 */
export interface Numbered {
  readonly table: Table;
  /** The address of the table after the migration. */
  readonly now: string;
  /** The columns that stay, as they are after the migration: what they hold tells a row. */
  readonly columns: readonly Column[];
  /** How the number of a row is called in the table. */
  readonly number: string;
  /** The address in the attic of the numbers beside what the rows held. */
  readonly address: string;
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
  /** The columns by which rows are found again; none where the table has no key that stays, and its rows have no numbers. */
  readonly key: readonly KeyPart[];
  /** Whose values are kept. */
  readonly columns: readonly Column[];
}

/** Columns that are dropped; where no key tells the rows, all others with them. */
export interface KeptColumns extends BesideKey {
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
  /** Where its values are of another type afterwards: the column before and after. */
  readonly retyped?: { readonly before: Column; readonly after: Column };
  /** It is the number that rows have only while a migration runs. */
  readonly number?: true;
}

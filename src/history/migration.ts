import type { Direction } from "../core/direction.js";
import type { Change } from "../core/change/types.js";
import type { Schema } from "../core/schema/types.js";

/** The format of migration.json this program writes, and the newest it reads. */
export const FORMAT = 1;

/** What migration.json holds. */
export interface MigrationRecord {
  readonly format: number;
  readonly number: number;
  readonly title: string;
  /** The folder name of the migration before; null for the first. */
  readonly parent: string | null;
  /** Fingerprints of the schema before and after. */
  readonly before: string;
  readonly after: string;
  readonly changes: readonly Change[];
  /** Whether what it takes away is kept in the attic; absent: it takes nothing away, or what it takes is lost. */
  readonly kept?: boolean;
  /** Whether it is run while others write, each step committed by itself, where a dialect can; absent: it is not. */
  readonly online?: boolean;
  /** The migrations that it stands for, from the first on, by the names they had; the last of them had its number. */
  readonly folds?: readonly string[];
}

/** A migration as it lies on disk, with the schemas on both sides of it. */
export interface Migration extends MigrationRecord {
  /** Its folder's name: `0007-add-glaze-recipes`. */
  readonly name: string;
  readonly folder: string;
  readonly schemaBefore: Schema;
  readonly schemaAfter: Schema;
}

/** `7` → `0007` */
export function showNumber(number: number): string {
  return String(number).padStart(4, "0");
}

/** `forward.sqlite.sql` */
export function scriptName(direction: Direction, dialect: string): string {
  return `${direction}.${dialect}.sql`;
}

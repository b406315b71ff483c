export interface MadeUpTable {
  readonly name: string;
  /** Each a name and a type. */
  readonly columns: readonly (readonly [string, string])[];
  /** What it refers to, by their places in the list. */
  readonly refers: readonly number[];
}
export function madeUpSchema(count: number, seed?: number): MadeUpTable[];
/** As SQLite takes it. */
export function sqlOf(tables: readonly MadeUpTable[]): string;

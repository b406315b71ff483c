import { addressOf } from "../schema/address.js";
import type { NameMap } from "./rename.js";
import type { Change } from "./types.js";

/**
 * What everything is called before and after some changes. Tables are told by address; a column is asked for with its
 * table, both by the names of the same moment.
 */
export interface NamesThrough {
  /** The name at the start of a table, or of one of its columns, by the names at the end. */
  readonly before: (table: string, column?: string) => string;
  /** The name at the end, by the names at the start. */
  readonly after: (table: string, column?: string) => string;
  /** Whether a table, or one of its columns, by the names at the end, was not there at the start. */
  readonly arrives: (table: string, column?: string) => boolean;
  /** The names at the end by those at the start, for what stands in other parts of a schema. */
  readonly map: NameMap;
  /** Addresses at the end by those at the start, of tables that are renamed. */
  readonly tables: ReadonlyMap<string, string>;
  /** Names at the end by those at the start, of columns that are renamed, by their table's address at the end. */
  readonly columns: ReadonlyMap<string, ReadonlyMap<string, string>>;
}

/**
 * Follows names through changes in the order they are made, whatever goes by way of a spare name or is renamed again,
 * two that trade their names among them. What is not renamed has one name throughout.
 */
export function namesThrough(changes: readonly Change[]): NamesThrough {
  const tables = new Renames();
  const columns = new Map<string, Renames>();
  const added = new Set<string>();
  const key = (table: string, column: string) => JSON.stringify([table, column]);
  const columnsOf = (table: string) => {
    const own = columns.get(table) ?? new Renames();
    columns.set(table, own);
    return own;
  };
  for (const change of changes) {
    switch (change.kind) {
      case "rename table": {
        tables.follow(change.from, change.to);
        const own = columns.get(change.from);
        columns.delete(change.from);
        if (own) columns.set(change.to, own);
        break;
      }
      case "rename column": {
        columnsOf(change.table).follow(change.from, change.to);
        break;
      }
      case "add table": {
        const address = addressOf(change.table);
        tables.begin(address);
        columns.delete(address);
        added.add(address);
        break;
      }
      case "add column":
        columnsOf(change.table).begin(change.column.name);
        added.add(key(change.table, change.column.name));
        break;
      default:
      // Nothing else gives a name to a table or a column.
    }
  }
  const after = (table: string, column?: string): string => {
    const now = tables.after(table);
    return column === undefined ? now : (columns.get(now)?.after(column) ?? column);
  };
  return {
    before: (table, column) =>
      column === undefined ? tables.before(table) : (columns.get(table)?.before(column) ?? column),
    after,
    arrives: (table, column) => added.has(table) || (column !== undefined && added.has(key(table, column))),
    map: { table: after, column: after },
    tables: tables.ends,
    columns: new Map(
      [...columns].flatMap(([table, { ends }]) => (ends.size > 0 ? [[table, ends] as const] : [])),
    ),
  };
}

/** Renames of things of one kind that share their names, one after the other. */
class Renames {
  /** Names by now, by those at the start. */
  readonly ends = new Map<string, string>();
  /** undefined: it was not there at the start. */
  private readonly starts = new Map<string, string | undefined>();

  /** Something new takes a name, which something that is gone may have had. */
  begin(name: string): void {
    this.starts.set(name, undefined);
  }

  /** What is called one thing is called another from now on. */
  follow(from: string, to: string): void {
    const start = this.starts.has(from) ? this.starts.get(from) : from;
    this.starts.delete(from);
    this.starts.set(to, start);
    if (start !== undefined) this.ends.set(start, to);
  }

  before(name: string): string {
    return this.starts.get(name) ?? name;
  }

  after(name: string): string {
    return this.ends.get(name) ?? name;
  }
}

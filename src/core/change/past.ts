import { addressOf } from "../schema/address.js";
import type { Change } from "./types.js";

/** What a table, or a column, that is there now has been called and has gone through, since it came. */
interface Life {
  /** All its names so far, the one of now among them. */
  readonly names: ReadonlySet<string>;
  /** Whether rows that existed were once given a value in it. */
  readonly filled: boolean;
  /** Whether its values were once made into others by an expression of the developer's. */
  readonly converted: boolean;
}

/**
 * What all migrations so far have done to names, by the names of now. Two things that traded their names have both
 * been called both: each has a life of its own.
 */
export interface Past {
  /** The life of a table, or of one of its columns, that is there now. */
  readonly life: (table: string, column?: string) => Life | undefined;
  /** Every name that a table, or a column of the table that is called so now, was ever called by. */
  readonly hadTable: (address: string) => boolean;
  readonly hadColumn: (table: string, column: string) => boolean;
}

/** Follows every table and column through changes, from an empty schema on. */
export function pastOf(changes: readonly Change[]): Past {
  const tables = new Map<string, TableLife>();
  /** Tables that are gone, the last of each name. */
  const gone = new Map<string, TableLife>();
  const everTables = new Set<string>();
  const tableAt = (address: string) => {
    const known = tables.get(address) ?? new TableLife(address);
    tables.set(address, known);
    return known;
  };
  for (const change of changes) {
    switch (change.kind) {
      case "add table": {
        const address = addressOf(change.table);
        const life = new TableLife(address, gone.get(address)?.everColumns);
        for (const { name } of change.table.columns) life.begin(name);
        tables.set(address, life);
        everTables.add(address);
        break;
      }
      case "drop table": {
        const address = addressOf(change.table);
        const life = tables.get(address);
        if (life) gone.set(address, life);
        tables.delete(address);
        break;
      }
      case "rename table": {
        const life = tableAt(change.from);
        tables.delete(change.from);
        tables.set(change.to, life);
        life.names.add(change.to);
        everTables.add(change.to);
        break;
      }
      case "add column":
        tableAt(change.table).begin(change.column.name, { filled: change.fill !== undefined });
        break;
      case "drop column":
        tableAt(change.table).columns.delete(change.column.name);
        break;
      case "rename column":
        tableAt(change.table).rename(change.from, change.to);
        break;
      case "alter column": {
        const life = tableAt(change.table).at(change.after.name);
        life.filled ||= change.fill !== undefined;
        life.converted ||= change.convert !== undefined || change.convertBack !== undefined;
        break;
      }
      default:
      // Nothing else is remembered.
    }
  }
  return {
    life: (table, column) =>
      column === undefined ? tables.get(table)?.asLife() : tables.get(table)?.columns.get(column),
    hadTable: address => everTables.has(address),
    hadColumn: (table, column) => (tables.get(table) ?? gone.get(table))?.everColumns.has(column) ?? false,
  };
}

interface ColumnLife extends Life {
  readonly names: Set<string>;
  filled: boolean;
  converted: boolean;
}

class TableLife {
  readonly names: Set<string>;
  readonly columns = new Map<string, ColumnLife>();
  readonly everColumns: Set<string>;

  constructor(address: string, everColumns: Iterable<string> = []) {
    this.names = new Set([address]);
    this.everColumns = new Set(everColumns);
  }

  begin(column: string, { filled = false } = {}): ColumnLife {
    const life = { names: new Set([column]), filled, converted: false };
    this.columns.set(column, life);
    this.everColumns.add(column);
    return life;
  }

  at(column: string): ColumnLife {
    return this.columns.get(column) ?? this.begin(column);
  }

  rename(from: string, to: string): void {
    const life = this.at(from);
    this.columns.delete(from);
    this.columns.set(to, life);
    life.names.add(to);
    this.everColumns.add(to);
  }

  asLife(): Life {
    return { names: this.names, filled: false, converted: false };
  }
}

import { equal } from "../../schema/canonical.js";
import { isServed, leadingLists } from "../../schema/lookups.js";
import { constraintName } from "../../schema/naming.js";
import type { Index, Table } from "../../schema/types.js";
import type { Writing } from "./writing.js";

/** Which indexes of a table the model must state, and which come by themselves. */
export class StatedIndexes {
  /** All but the last ones, where the dialect makes just these for the references by itself. */
  private readonly own: readonly Index[];
  private readonly table: Table;

  constructor({ table, options }: Writing) {
    this.table = table;
    this.own = table.indexes;
    for (let count = table.indexes.length; count > 0; count -= 1) {
      const stated = { ...table, indexes: table.indexes.slice(0, -count) };
      const made = options.dialect.types.settle({ tables: [stated] }).tables[0]?.indexes;
      if (!made || !equal(byName(made), byName(table.indexes))) continue;
      this.own = stated.indexes;
      break;
    }
  }

  /** Indexes that do not follow from a reference by themselves. */
  list(): Index[] {
    const implied = this.table.foreignKeys
      .map(({ columns }) => columns)
      .filter(columns => this.comesWith(columns));
    return this.own.filter(
      index => !(isPlain(index) && implied.some(columns => this.isUsual(index, columns))),
    );
  }

  /** Whether a reference over some columns gets no index but that which serves it, or the one that the table has. */
  suitsReference(columns: readonly string[]): boolean {
    return this.isServed(columns) || this.comesWith(columns);
  }

  /** Whether a reference's own index is the one the table has. */
  private comesWith(columns: readonly string[]): boolean {
    return !this.isServed(columns) && this.own.some(index => isPlain(index) && this.isUsual(index, columns));
  }

  /** Whether a key or another index begins with these columns, so that the reference gets none of its own. */
  private isServed(columns: readonly string[]): boolean {
    const others = this.own.filter(index => !this.isUsual(index, columns));
    return isServed(columns, leadingLists({ ...this.table, indexes: others }));
  }

  private isUsual(index: Index, columns: readonly string[]): boolean {
    const parts = columns.map(column => ({ column }));
    return index.name === constraintName("ix", this.table.name, columns) && equal(index.parts, parts);
  }
}

/** In circles of references, a server makes its own indexes in another order than that of the references. */
function byName(indexes: readonly Index[]): Index[] {
  return indexes.toSorted((a, b) => (a.name < b.name ? -1 : 1));
}

function isPlain({ unique, where, method, include, options }: Index): boolean {
  return !unique && where === undefined && method === undefined && !include && !options;
}

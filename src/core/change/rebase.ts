import { addressOf, tablesByAddress } from "../schema/address.js";
import { canonical, equal } from "../schema/canonical.js";
import { columnsOfPart } from "../schema/lookups.js";
import {
  definitionKey,
  PART_KINDS,
  partsOf,
  type PartKind,
  type Parts,
  type Schema,
  type Table,
} from "../schema/types.js";
import { placeholderOf } from "../sql/tokens.js";
import { apply, factsOf, MisfitChange } from "./apply.js";
import { namesThrough } from "./names.js";
import { renameInColumn, renameInPart, renameInTable, type NameMap } from "./rename.js";
import { alterPart, isOfDefinition, tableOf, type AlterColumn, type Change } from "./types.js";

/** A change that cannot be made after others, and those of them that touch the same thing. */
export interface Conflict {
  readonly change: Change;
  readonly others: readonly Change[];
  readonly reason: string;
}

export interface Rebased {
  /** In the words of the schema that the others lead to; what they have done already is not done again. */
  readonly changes: readonly Change[];
  readonly conflicts: readonly Conflict[];
}

/**
 * Changes that were made to a schema, as they are made after others that were made to the same schema: what the others
 * call otherwise is called so, what both do is done once, and where both do something else to one thing, it is a conflict.
 * Without one, `apply(apply(base, over), rebase(base, changes, over).changes)` is what the two come to in either order.
 */
export function rebase(base: Schema, changes: readonly Change[], over: readonly Change[]): Rebased {
  return new Rebaser(base, changes, over).rebase();
}

class Rebaser {
  private now: Schema;
  /** The schema that our changes have led to so far, were there no others; and the one they lead to. */
  private mine: Schema;
  private readonly end: Schema;
  /** Addresses, as we call them, of tables that both make the same. */
  private readonly shared = new Set<string>();
  private readonly names: Translation;
  private readonly done: Change[] = [];
  private readonly conflicts: Conflict[] = [];
  private readonly gone: ReadonlySet<string>;

  constructor(
    base: Schema,
    private readonly changes: readonly Change[],
    private readonly over: readonly Change[],
  ) {
    this.now = apply(base, over);
    this.mine = base;
    this.end = apply(base, changes);
    this.names = new Translation(base, over);
    const there = tablesByAddress(this.now);
    this.gone = new Set(base.tables.map(addressOf).filter(address => !there.has(this.names.table(address))));
  }

  rebase(): Rebased {
    for (const change of this.changes) {
      try {
        const next = this.next(change);
        if (next) {
          this.now = apply(this.now, [next]);
          this.done.push(next);
        }
      } catch (error) {
        if (!(error instanceof MisfitChange) && !(error instanceof Apart)) throw error;
        const reason = error instanceof MisfitChange ? error.reason : error.message;
        this.conflicts.push({ change, others: this.othersAbout(change), reason });
      }
      this.names.follow(change);
      this.mine = apply(this.mine, [change]);
    }
    return { changes: this.done, conflicts: this.conflicts };
  }

  /** The change as it is made now; undefined: it is done. @throws Apart, MisfitChange */
  private next(change: Change): Change | undefined {
    if (isOfDefinition(change)) return this.definition(change);
    const own = tableOf(change)!;
    if (this.isShared(change, own)) return undefined;
    if (change.kind !== "add table" && this.gone.has(this.names.start(own))) {
      // Whatever we did to it before, in the end it goes.
      if (!this.staysWithUs(this.names.start(own))) return undefined;
      throw new Apart("the others drop the table");
    }
    const table = this.names.table(own);
    switch (change.kind) {
      case "add table":
        return this.addTable(change.table);
      case "drop table":
        return this.dropTable(table);
      case "rename table":
        return this.renamed(change.from, change.to, table, { ...change, from: table });
      case "rename column": {
        const from = this.names.column(own, change.from);
        this.isThere(table, from);
        return this.renamed(change.from, change.to, from, { ...change, table, from });
      }
      case "alter table": {
        const facts = merged(change.before, change.after, factsOf(this.get(table)));
        return facts && { ...change, table, before: factsOf(this.get(table)), after: facts };
      }
      case "add column": {
        const column = renameInColumn(change.column, own, this.names);
        const known = this.get(table).columns.find(({ name }) => name === column.name);
        const last = this.lastColumn(own, change.column.name);
        if (known && [column, last].some(each => equal(known, each))) return undefined;
        if (known) throw new Apart("the others add another column of that name");
        const { at: _, ...rest } = change;
        return { ...rest, table, column };
      }
      case "drop column": {
        const name = this.names.column(own, change.column.name);
        const known = this.get(table).columns.find(each => each.name === name);
        if (!known) return undefined;
        if (this.names.isRenamed(own, change.column.name)) throw new Apart(`the others call it ${name}`);
        if (!equal(known, renameInColumn(change.column, own, this.names)))
          throw new Apart("the others change the column that goes");
        this.isUnused(table, name);
        const { at: _, ...rest } = change;
        return { ...rest, table, column: known };
      }
      case "alter column":
        return this.alterColumn(change, own, table);
      case "rename part": {
        const parts = partsOf(this.get(table), change.what);
        if (parts.some(({ name }) => name === change.from)) return { ...change, table };
        if (parts.some(({ name }) => name === change.to)) return undefined;
        throw new Apart("the others drop it, or call it otherwise");
      }
      default:
        return this.part(change, own, table);
    }
  }

  /** A column as our changes leave it, in the others' words. */
  private lastColumn(table: string, column: string) {
    const last = tablesByAddress(this.end).get(table);
    const found = last?.columns.find(({ name }) => name === column);
    return found && renameInColumn(found, table, this.names);
  }

  private addTable(given: Table): Change | undefined {
    const table = renameInTable(given, this.names.but(addressOf(given)));
    const known = tablesByAddress(this.now).get(addressOf(given));
    if (known) {
      // Both may have gone on with it.
      const last = tablesByAddress(this.end).get(namesThrough(this.changes).after(addressOf(given)));
      if (!last || !same(renameInTable(last, this.names.but(addressOf(last))), known))
        throw new Apart("the others add another table of that name");
      this.shared.add(addressOf(given));
      return undefined;
    }
    for (const { references } of table.foreignKeys) this.isReferable(references, table);
    return { kind: "add table", table };
  }

  private dropTable(address: string): Change {
    const now = this.get(address);
    const was = this.mine.tables.find(each => this.names.table(addressOf(each)) === address);
    if (was && addressOf(was) !== address) throw new Apart(`the others call it ${address}`);
    if (was && !same(renameInTable(was, this.names.but(address)), now))
      throw new Apart("the others change the table that goes");
    const referring = this.now.tables.filter(
      table => table !== now && table.foreignKeys.some(({ references }) => references.table === address),
    );
    if (referring.length > 0)
      throw new Apart(`the others refer to it, from ${referring.map(addressOf).join(", ")}`);
    return { kind: "drop table", table: now };
  }

  /** Whether our changes leave a table of the start, by its address there. */
  private staysWithUs(start: string): boolean {
    const names = namesThrough(this.changes);
    const last = names.after(start);
    return !names.arrives(last) && this.end.tables.some(table => addressOf(table) === last);
  }

  /** Whether a change is about a table that both make; what it is called follows. */
  private isShared(change: Change, own: string): boolean {
    if (!this.shared.has(own) || change.kind === "add table") return false;
    if (change.kind === "rename table") {
      this.shared.delete(own);
      this.shared.add(change.to);
    }
    return true;
  }

  /** A rename that both make is done; two to other names are a conflict. */
  private renamed<C extends Change>(from: string, to: string, now: string, change: C): C | undefined {
    if (now === from) return change;
    if (now === to) return undefined;
    throw new Apart(`the others call it ${now}`);
  }

  private alterColumn(change: AlterColumn, own: string, table: string): Change | undefined {
    const [before, after] = [change.before, change.after].map(each => renameInColumn(each, own, this.names));
    const known = this.get(table).columns.find(({ name }) => name === before!.name);
    if (!known) throw new Apart("the others drop the column");
    const column = merged(before!, after!, known);
    return column && { ...change, table, before: known, after: column };
  }

  private part(
    change: Extract<Change, { kind: "add part" | "drop part" | "alter part" }>,
    own: string,
    table: string,
  ): Change | undefined {
    const { what } = change;
    const translated = (part: Parts[PartKind]) =>
      renameInPart(what, part as never, own, this.names) as Parts[PartKind];
    const parts: readonly Parts[PartKind][] = partsOf(this.get(table), what);
    // Those without a name are told by what they say.
    const like = (one: Parts[PartKind]) =>
      parts.find(part => what === "key" || (one.name === "" ? equal(part, one) : part.name === one.name));
    switch (change.kind) {
      case "add part": {
        const value = translated(change.value);
        const known = like(value);
        if (known && equal(known, value)) return undefined;
        if (known) throw new Apart("the others add another of that name");
        if (what === "foreign key" && "references" in value)
          this.isReferable(value.references, this.get(table));
        for (const column of columnsIn(value)) this.isThere(table, column);
        return { ...change, table, value } as Change;
      }
      case "drop part": {
        const value = translated(change.value);
        const known = like(value);
        // Where the others have put another in its place, it is gone all the same.
        if (!known || this.over.some(each => equal(each, change))) return undefined;
        if (!equal(known, value)) throw new Apart("the others change what goes");
        return { ...change, table, value } as Change;
      }
      default: {
        const [before, after] = [translated(change.before), translated(change.after)];
        const known = like(before);
        if (known && equal(known, after)) return undefined;
        if (!known || !equal(known, before)) throw new Apart("the others change it, too");
        return alterPart(table, what, known as never, after as never) as Change;
      }
    }
  }

  private definition(change: Extract<Change, { kind: `${string} definition` }>): Change | undefined {
    const key = definitionKey("before" in change ? change.before : change.definition);
    const known = this.now.definitions?.find(each => definitionKey(each) === key);
    if (change.kind === "drop definition") {
      if (!known) return undefined;
      if (!equal(known, change.definition)) throw new Apart("the others change what goes");
      return change;
    }
    const after = change.kind === "add definition" ? change.definition : change.after;
    return known && equal(known, after) ? undefined : change;
  }

  private get(address: string): Table {
    const table = tablesByAddress(this.now).get(address);
    if (!table) throw new Apart(`there is no table ${address} any more`);
    return table;
  }

  private isThere(table: string, column: string): void {
    if (!this.get(table).columns.some(({ name }) => name === column))
      throw new Apart(`the others drop column ${table}.${column}`);
  }

  /** What the others have made of a column since stands in its way. */
  private isUnused(address: string, column: string): void {
    // What we leave in its way ourselves is none of theirs.
    const own = this.mine.tables.find(table => this.names.table(addressOf(table)) === address);
    const ours = own?.columns.find(({ name }) => this.names.column(addressOf(own), name) === column);
    const known = new Set(
      own && ours
        ? [...usesIn(renameInTable(own, this.names), column), ...referring(this.mine, own, ours.name)]
        : [],
    );
    const there = this.get(address);
    const others = [...usesIn(there, column), ...referring(this.now, there, column)].filter(
      use => !known.has(use),
    );
    if (others.length > 0) throw new Apart(`the others use it in ${others.join(", ")}`);
  }

  private isReferable(references: { table: string; columns: readonly string[] }, own: Table): void {
    if (references.table === addressOf(own)) return;
    for (const column of references.columns) this.isThere(references.table, column);
  }

  /** The others' changes about the same table, or the same column of it. */
  private othersAbout(change: Change): Change[] {
    if (isOfDefinition(change)) return this.over.filter(isOfDefinition);
    const own = tableOf(change)!;
    const names = new Set([this.names.start(own), this.names.table(own), own]);
    const of = this.over.filter(
      each => names.has(tableOf(each) ?? "") || (each.kind === "rename table" && names.has(each.to)),
    );
    const column = columnOf(change);
    const same = of.filter(each => column !== undefined && columnOf(each) === column);
    if (same.length > 0) return same;
    // What it refers to may be another table's.
    return of.length > 0 ? of : [...this.over];
  }
}

/** What of its table is about a column: `index ix_pieces_weight`. */
function usesIn(own: Table, column: string): string[] {
  const parts = PART_KINDS.flatMap(kind =>
    partsOf(own, kind)
      .filter(part => columnsOfPart(kind, part).includes(column))
      .map(({ name }) => `${kind} ${name}`),
  );
  const text = JSON.stringify(placeholderOf(column)).slice(1, -1);
  const computed = own.columns
    .filter(each => each.computed && JSON.stringify(each.computed.sql).includes(text))
    .map(({ name }) => `column ${name}`);
  return [...parts, ...computed];
}

/** What refers to a column. */
function referring({ tables }: Schema, own: Table, column: string): string[] {
  return tables.flatMap(table =>
    table.foreignKeys
      .filter(({ references }) => references.table === addressOf(own) && references.columns.includes(column))
      .map(({ name }) => `foreign key ${name}`),
  );
}

/** Whether two tables say the same, the order of what they have aside. */
function same(a: Table, b: Table): boolean {
  return equal(canonical({ tables: [a] }), canonical({ tables: [b] }));
}

/** Both do something else to one thing. */
class Apart extends Error {}

/** What changes from before to after, made to what is there now; undefined: it is so already. @throws Apart */
function merged<T extends object>(before: T, after: T, now: T): T | undefined {
  const said = [...new Set([...Object.keys(before), ...Object.keys(after)])].filter(name => {
    const [was, is, here] = [before, after, now].map(each => Reflect.get(each, name) as unknown);
    if (equal(was, is) || equal(here, is)) return false;
    if (!equal(here, was)) throw new Apart(`the others change its ${name}, too`);
    return true;
  });
  if (said.length === 0) return undefined;
  const rest = Object.entries(now).filter(([name]) => !said.includes(name));
  const anew = Object.entries(after).filter(([name]) => said.includes(name));
  return Object.fromEntries([...rest, ...anew]) as T;
}

function columnOf(change: Change): string | undefined {
  switch (change.kind) {
    case "add column":
    case "drop column":
      return change.column.name;
    case "alter column":
      return change.after.name;
    case "rename column":
      return change.from;
    default:
      return undefined;
  }
}

/** The columns that a part names, its expressions aside. */
function columnsIn(part: Parts[PartKind]): string[] {
  if ("columns" in part) return [...part.columns];
  return "parts" in part ? part.parts.flatMap(each => ("column" in each ? [each.column] : [])) : [];
}

/** What is called how by the others, by what it is called at some point of the changes. */
class Translation implements NameMap {
  private readonly tables = new Map<string, string>();
  private readonly columns = new Map<string, Map<string, string>>();
  /** What tables were called in the schema that both began with. */
  private readonly starts = new Map<string, string>();

  /** Names that the others have given to columns, by the address of their table at the start. */
  private readonly renamed = new Map<string, ReadonlySet<string>>();

  constructor({ tables }: Schema, over: readonly Change[]) {
    const names = namesThrough(over);
    for (const table of tables) {
      const address = addressOf(table);
      const now = names.after(address);
      this.tables.set(address, now);
      this.starts.set(address, address);
      this.renamed.set(address, new Set(names.columns.get(now)?.values()));
      this.columns.set(address, new Map(table.columns.map(({ name }) => [name, names.after(address, name)])));
    }
  }

  readonly table = (address: string): string => this.tables.get(address) ?? address;
  readonly column = (table: string, column: string): string => this.columns.get(table)?.get(column) ?? column;

  /** Whether the others call a column otherwise, which was there from the start. */
  isRenamed(table: string, column: string): boolean {
    return this.renamed.get(this.start(table))?.has(this.column(table, column)) ?? false;
  }

  start(address: string): string {
    return this.starts.get(address) ?? address;
  }

  /** The same, but that a table's own address stays. */
  but(own: string): NameMap {
    return {
      table: address => (address === own ? address : this.table(address)),
      column: (table, column) => (table === own ? column : this.column(table, column)),
    };
  }

  /** After a change of ours, things are called as it says. */
  follow(change: Change): void {
    if (change.kind === "rename table") {
      for (const map of [this.columns, this.starts] as Map<string, unknown>[]) {
        const value = map.get(change.from);
        map.delete(change.from);
        if (value !== undefined) map.set(change.to, value);
      }
      this.tables.delete(change.from);
      this.tables.set(change.to, change.to);
    } else if (change.kind === "rename column") {
      const own = this.columns.get(change.table);
      own?.delete(change.from);
      own?.set(change.to, change.to);
    } else if (change.kind === "add table") {
      const address = addressOf(change.table);
      this.tables.set(address, address);
      this.columns.delete(address);
    } else if (change.kind === "add column")
      this.columns.get(change.table)?.set(change.column.name, change.column.name);
  }
}

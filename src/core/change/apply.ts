import { addressOf } from "../schema/address.js";
import { equal } from "../schema/canonical.js";
import {
  definitionKey,
  partsOf,
  withParts,
  type Definition,
  type PartKind,
  type Schema,
  type Table,
} from "../schema/types.js";
import { renameInTable, type NameMap } from "./rename.js";
import { isOfDefinition, type Change, type DefinitionChange, type TableFacts } from "./types.js";
import { describeChange } from "./words.js";

/** A change that does not fit the schema it is applied to. */
export class MisfitChange extends Error {
  constructor(
    readonly change: Change,
    readonly reason: string,
  ) {
    super(`${describeChange(change)}: ${reason}`);
    this.name = "MisfitChange";
  }
}

/**
 * The schema after the changes, in their order.
 * @throws MisfitChange when a change speaks of something that is not there, is there already, or is not as it says
 */
export function apply(schema: Schema, changes: readonly Change[]): Schema {
  const tables = new Map(schema.tables.map(table => [addressOf(table), table]));
  const definitions = new Map((schema.definitions ?? []).map(each => [definitionKey(each), each]));
  for (const change of changes) {
    if (isOfDefinition(change)) stepDefinition(definitions, change);
    else step(tables, change);
  }
  return {
    tables: [...tables.values()],
    ...(definitions.size > 0 && { definitions: [...definitions.values()] }),
  };
}

function stepDefinition(definitions: Map<string, Definition>, change: DefinitionChange): void {
  const misfit = (reason: string): never => {
    throw new MisfitChange(change, reason);
  };
  const key = definitionKey("before" in change ? change.before : change.definition);
  const known = definitions.get(key);
  switch (change.kind) {
    case "add definition":
      if (known) misfit("it is there already");
      definitions.set(key, change.definition);
      return;
    case "drop definition":
      if (!equal(known, change.definition)) misfit("it is not there as the change says");
      definitions.delete(key);
      return;
    case "alter definition":
      if (!equal(known, change.before)) misfit("it is not as the change says it was");
      definitions.set(key, change.after);
      return;
    default:
      change satisfies never;
  }
}

function step(tables: Map<string, Table>, change: Exclude<Change, DefinitionChange>): void {
  const misfit = (reason: string): never => {
    throw new MisfitChange(change, reason);
  };
  const get = (address: string): Table => tables.get(address) ?? misfit(`there is no table ${address}`);
  const free = (address: string): void =>
    void (tables.has(address) && misfit(`a table ${address} is there already`));

  switch (change.kind) {
    case "add table":
      free(addressOf(change.table));
      tables.set(addressOf(change.table), change.table);
      return;
    case "drop table":
      get(addressOf(change.table));
      tables.delete(addressOf(change.table));
      return;
    case "rename table":
      get(change.from);
      free(change.to);
      renameAll(tables, { table: is(change.from, change.to), column: (_, column) => column }, [change.from]);
      return;
    case "rename column": {
      const { columns } = get(change.table);
      if (!columns.some(({ name }) => name === change.from)) misfit(`there is no column ${change.from}`);
      if (columns.some(({ name }) => name === change.to)) misfit(`a column ${change.to} is there already`);
      const rename = is(change.from, change.to);
      const names: NameMap = {
        table: address => address,
        column: (table, column) => (table === change.table ? rename(column) : column),
      };
      renameAll(tables, names, [change.table]);
      return;
    }
    case "alter table": {
      const table = get(change.table);
      if (!equal(factsOf(table), change.before)) misfit("the table is not as the change says it was");
      const { note: _, options: __, ...rest } = table;
      tables.set(change.table, { ...rest, ...change.after });
      return;
    }
    case "add column": {
      const table = get(change.table);
      if (table.columns.some(({ name }) => name === change.column.name))
        misfit("the column is there already");
      const columns = table.columns.toSpliced(change.at ?? table.columns.length, 0, change.column);
      tables.set(change.table, { ...table, columns });
      return;
    }
    case "drop column": {
      const table = get(change.table);
      const columns = table.columns.filter(({ name }) => name !== change.column.name);
      if (columns.length === table.columns.length) misfit("there is no such column");
      tables.set(change.table, { ...table, columns });
      return;
    }
    case "alter column": {
      const table = get(change.table);
      const at = table.columns.findIndex(({ name }) => name === change.before.name);
      if (at < 0) misfit("there is no such column");
      if (!equal(table.columns[at], change.before)) misfit("the column is not as the change says it was");
      tables.set(change.table, { ...table, columns: table.columns.with(at, change.after) });
      return;
    }
    case "add part": {
      const table = get(change.table);
      const parts = partsOf(table, change.what);
      const clash =
        change.what === "key" ? parts.length > 0 : parts.some(part => sameName(part, change.value));
      if (clash) misfit("it is there already");
      tables.set(change.table, withParts(table, change.what as PartKind, [...parts, change.value] as never));
      return;
    }
    case "drop part": {
      const table = get(change.table);
      const parts = partsOf(table, change.what);
      const at = parts.findIndex(part => equal(part, change.value));
      if (at < 0) misfit("it is not there as the change says");
      const left = parts.toSpliced(at, 1);
      tables.set(change.table, withParts(table, change.what as PartKind, left as never));
      return;
    }
    case "alter part": {
      const table = get(change.table);
      const parts = partsOf(table, change.what);
      if (!parts.some(part => equal(part, change.before)))
        misfit("it is not there as the change says it was");
      const altered = parts.map(part => (equal(part, change.before) ? change.after : part));
      tables.set(change.table, withParts(table, change.what as PartKind, altered as never));
      return;
    }
    case "rename part": {
      const table = get(change.table);
      const parts = partsOf(table, change.what);
      if (!parts.some(({ name }) => name === change.from))
        misfit(`there is no ${change.what} ${change.from}`);
      const renamed = parts.map(part => (part.name === change.from ? { ...part, name: change.to } : part));
      tables.set(change.table, withParts(table, change.what as PartKind, renamed as never));
      return;
    }
    default:
      change satisfies never;
  }
}

/** Parts without a name (an engine allows them) never clash. */
function sameName(a: { readonly name: string }, b: { readonly name: string }): boolean {
  return a.name !== "" && a.name === b.name;
}

function is(from: string, to: string): (name: string) => string {
  return name => (name === from ? to : name);
}

/** Replaces names in the tables given and in all that refer to them, keeping the order of tables. */
function renameAll(tables: Map<string, Table>, names: NameMap, touched: readonly string[]): void {
  const before = [...tables];
  tables.clear();
  for (const [address, table] of before) {
    const concerned =
      touched.includes(address) ||
      table.foreignKeys.some(({ references }) => touched.includes(references.table));
    const after = concerned ? renameInTable(table, names) : table;
    tables.set(addressOf(after), after);
  }
}

/** The facts of a table that `alter table` is about. */
export function factsOf(table: Table): TableFacts {
  return {
    ...(table.note !== undefined && { note: table.note }),
    ...(table.options !== undefined && { options: table.options }),
  };
}

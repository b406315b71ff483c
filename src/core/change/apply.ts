import { addressOf } from "../schema/address.js";
import { equal } from "../schema/canonical.js";
import { definitionKey, partsOf, withParts } from "../schema/types.js";
import type { Definition, PartKind, Schema, Table } from "../schema/types.js";
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

/** The tables while changes are made to them, by address; what does not fit is told with the change. */
class Tables {
  constructor(
    private readonly tables: Map<string, Table>,
    private readonly change: Change,
  ) {}

  misfit(reason: string): never {
    throw new MisfitChange(this.change, reason);
  }

  get(address: string): Table {
    return this.tables.get(address) ?? this.misfit(`there is no table ${address}`);
  }

  isFree(address: string): void {
    if (this.tables.has(address)) this.misfit(`a table ${address} is there already`);
  }

  put(address: string, table: Table): void {
    this.tables.set(address, table);
  }

  remove(address: string): void {
    this.get(address);
    this.tables.delete(address);
  }

  /** Replaces names in a table and in all that refer to it, keeping the order of tables. */
  rename(touched: string, names: NameMap): void {
    const before = [...this.tables];
    this.tables.clear();
    for (const [address, table] of before) {
      const concerned =
        address === touched || table.foreignKeys.some(({ references }) => references.table === touched);
      const after = concerned ? renameInTable(table, names) : table;
      this.tables.set(addressOf(after), after);
    }
  }
}

type TableChange = Exclude<Change, DefinitionChange>;

function step(tables: Map<string, Table>, change: TableChange): void {
  // One function for each kind; the table of them holds each to its own.
  (STEPS[change.kind] as Step<TableChange>)(new Tables(tables, change), change);
}

type Step<C> = (tables: Tables, change: C) => void;

const STEPS: { readonly [Kind in TableChange["kind"]]: Step<Extract<TableChange, { kind: Kind }>> } = {
  "add table": (tables, { table }) => {
    tables.isFree(addressOf(table));
    tables.put(addressOf(table), table);
  },
  "drop table": (tables, { table }) => tables.remove(addressOf(table)),
  "rename table": (tables, { from, to }) => {
    tables.get(from);
    tables.isFree(to);
    tables.rename(from, { table: renaming(from, to), column: (_, column) => column });
  },
  "rename column": (tables, { table: address, from, to }) => {
    const { columns } = tables.get(address);
    if (!columns.some(({ name }) => name === from)) tables.misfit(`there is no column ${from}`);
    if (columns.some(({ name }) => name === to)) tables.misfit(`a column ${to} is there already`);
    const rename = renaming(from, to);
    tables.rename(address, {
      table: each => each,
      column: (table, column) => (table === address ? rename(column) : column),
    });
  },
  "alter table": (tables, { table: address, before, after }) => {
    const table = tables.get(address);
    if (!equal(factsOf(table), before)) tables.misfit("the table is not as the change says it was");
    const { note: _, options: __, grants: ___, ...rest } = table;
    tables.put(address, { ...rest, ...after });
  },
  "add column": (tables, { table: address, column, at }) => {
    const table = tables.get(address);
    if (table.columns.some(({ name }) => name === column.name)) tables.misfit("the column is there already");
    const columns = table.columns.toSpliced(at ?? table.columns.length, 0, column);
    tables.put(address, { ...table, columns });
  },
  "drop column": (tables, { table: address, column }) => {
    const table = tables.get(address);
    const columns = table.columns.filter(({ name }) => name !== column.name);
    if (columns.length === table.columns.length) tables.misfit("there is no such column");
    tables.put(address, { ...table, columns });
  },
  "alter column": (tables, { table: address, before, after }) => {
    const table = tables.get(address);
    const at = table.columns.findIndex(({ name }) => name === before.name);
    if (at < 0) tables.misfit("there is no such column");
    if (!equal(table.columns[at], before)) tables.misfit("the column is not as the change says it was");
    tables.put(address, { ...table, columns: table.columns.with(at, after) });
  },
  "add part": (tables, { table: address, what, value }) => {
    const table = tables.get(address);
    const parts: readonly Named[] = partsOf(table, what);
    const clash = what === "key" ? parts.length > 0 : parts.some(part => sameName(part, value));
    if (clash) tables.misfit("it is there already");
    tables.put(address, withAnyParts(table, what, [...parts, value]));
  },
  "drop part": (tables, { table: address, what, value }) => {
    const table = tables.get(address);
    const parts = partsOf(table, what);
    const at = parts.findIndex(part => equal(part, value));
    if (at < 0) tables.misfit("it is not there as the change says");
    tables.put(address, withAnyParts(table, what, parts.toSpliced(at, 1)));
  },
  "alter part": (tables, { table: address, what, before, after }) => {
    const table = tables.get(address);
    const parts = partsOf(table, what);
    if (!parts.some(part => equal(part, before))) tables.misfit("it is not there as the change says it was");
    tables.put(
      address,
      withAnyParts(
        table,
        what,
        parts.map(part => (equal(part, before) ? after : part)),
      ),
    );
  },
  "rename part": (tables, { table: address, what, from, to }) => {
    const table = tables.get(address);
    const parts = partsOf(table, what);
    if (!parts.some(({ name }) => name === from)) tables.misfit(`there is no ${what} ${from}`);
    const renamed = parts.map(part => (part.name === from ? { ...part, name: to } : part));
    tables.put(address, withParts(table, what, renamed));
  },
};

interface Named {
  readonly name: string;
}

/** Parts that came out of the table's own, or out of a change of that kind. */
function withAnyParts(table: Table, kind: PartKind, parts: readonly Named[]): Table {
  return withParts(table, kind, parts as never);
}

/** Parts without a name (an engine allows them) never clash. */
function sameName(a: Named, b: Named): boolean {
  return a.name !== "" && a.name === b.name;
}

function renaming(from: string, to: string): (name: string) => string {
  return name => (name === from ? to : name);
}

/** The facts of a table that `alter table` is about. */
export function factsOf(table: Table): TableFacts {
  return {
    ...(table.note !== undefined && { note: table.note }),
    ...(table.options !== undefined && { options: table.options }),
    ...(table.grants !== undefined && { grants: table.grants }),
  };
}

import {
  isOfDefinition,
  type AddColumn,
  type AlterColumn,
  type Change,
  type DefinitionChange,
} from "../change/types.js";
import { describeChange, titleOf } from "../change/words.js";
import { renameSteps } from "../change/rename.js";
import { startNames, type StartNames } from "../change/start-names.js";
import { columnsOfComputed, columnsOfPart } from "../change/columns-used.js";
import { addressOf, parseAddress, tablesByAddress } from "../schema/address.js";
import { equal } from "../schema/canonical.js";
import {
  PART_KINDS,
  partsOf,
  type Column,
  type ForeignKey,
  type Index,
  type Options,
  type PartKind,
  type Parts,
  type Schema,
  type Table,
} from "../schema/types.js";
import {
  atticNamespaces,
  becameBlocks,
  changedSinceBlocks,
  emptiedBlocks,
  keepBlocks,
  putAway,
  replacedBy,
  restoredTo,
  takenOut,
  unfilled,
  type AtticSyntax,
  type KeptTable,
  type KeptValues,
} from "./attic.js";
import type { Block, RenderPlan } from "./dialect.js";

/** What a dialect whose ALTER TABLE can do everything says of its syntax. */
export interface AlterSyntax {
  readonly table: (address: string) => string;
  /** Statements that make a table, without its references, indexes and stamps. */
  readonly createTable: (table: Table) => string[];
  readonly addColumn: (change: AddColumn, table: Table) => Clauses;
  readonly dropColumn: (column: Column) => string;
  /** `stamps`: the columns whose stamps are kept while it runs. */
  readonly alterColumn: (change: AlterColumn, table: Table, stamps: readonly Column[]) => Clauses;
  readonly addPart: <K extends Exclude<PartKind, "index">>(kind: K, part: Parts[K]) => string;
  readonly dropPart: (kind: Exclude<PartKind, "index">, part: Parts[PartKind]) => string;
  readonly createIndex: (table: Table, index: Index) => string;
  readonly dropIndex: (table: Table, index: Index) => string;
  /** `table` is as it was before. */
  readonly renameTable: (from: string, to: string, table: Table) => string[];
  readonly renameColumn: (address: string, from: string, to: string, table: Table) => string[];
  readonly renamePart: (table: Table, kind: PartKind, from: string, to: string) => string;
  /** Facts of a table that differ, its note aside. */
  readonly alterOptions: (table: string, before: Options | undefined, after: Options | undefined) => string[];
  /** What is made before all tables, and what goes after them. */
  readonly define: (change: DefinitionChange, plan: RenderPlan) => string[];
  readonly createNamespace: (name: string) => string;
  readonly dropNamespace: (name: string) => string;
  readonly notes: (table: Table, columns: readonly Column[], self: boolean) => string[];
  readonly createStamp: (table: Table, column: Column) => string[];
  readonly dropStamp: (table: Table, column: Column) => string[];
  readonly attic: AtticSyntax;
  /** Puts a table into the attic instead of dropping it; `references` are those it has left. */
  readonly keepTable: (kept: KeptTable, references: readonly ForeignKey[], plan: RenderPlan) => string[];
  /** Takes it out again as a table without references. */
  readonly takeTable: (kept: KeptTable, plan: RenderPlan) => string[];
  /** Statements that give columns of a table their old values, none of which is an update in the eyes of stamps. */
  readonly restore: (kept: KeptValues, table: Table, stamps: readonly Column[], plan: RenderPlan) => string[];
  /** Statements that put null where a column will get its old values; the key of the attic is still of its later types. */
  readonly clear: (kept: KeptValues, column: Column, table: Table, stamps: readonly Column[]) => string[];
}

type RenamePart = Extract<Change, { readonly kind: "rename part" }>;

/** What one change adds to the ALTER TABLE of its table, and what must run before and after it. */
export interface Clauses {
  readonly before?: readonly string[];
  /** Clauses that come before those of all other changes. */
  readonly first?: readonly string[];
  readonly clauses: readonly string[];
  /** Clauses of a second ALTER TABLE, which the first must not be joined with. */
  readonly afterwards?: readonly string[];
  readonly after?: readonly string[];
}

/**
 * The statements of a plan, where tables are altered in place. What happens to one table is one ALTER TABLE where it
 * can be, so that its rows are passed over once. The order:
 * references go · indexes and stamps go · tables go · columns and constraints go (in the old names) · renames ·
 * columns and constraints change and arrive · tables arrive · indexes and stamps arrive · references arrive.
 */
export function renderByAlter(given: RenderPlan, syntax: AlterSyntax): Block[] {
  const { before, after } = given;
  const changes = withLiftedParts(withLiftedComputed(given.changes, before, after), before, after);
  const plan = { ...given, changes };
  const tables = { before: tablesByAddress(before), after: tablesByAddress(after) };
  const arriving = new Set(
    changes.flatMap(change => (change.kind === "add table" ? [addressOf(change.table)] : [])),
  );
  const stamps = stampChanges(before, after, changes);
  const was = (address: string) => tables.before.get(address)!;
  const now = (address: string) => tables.after.get(address)!;
  const start = startNames(changes);
  const named = [namespacesOf(before), namespacesOf(after)] as const;
  const define = (kind: Change["kind"]) =>
    each(changes, change =>
      change.kind === kind && isOfDefinition(change) ? syntax.define(change, plan) : [],
    );
  const standing = standingStamps(before, stamps.dropped, start);
  const restored = new Map(
    after.tables.flatMap(table => {
      const kept = restoredTo(plan, addressOf(table));
      return kept.length > 0 ? [[addressOf(table), kept] as const] : [];
    }),
  );
  const isRestored = (change: AddColumn) =>
    restored
      .get(change.table)
      ?.some(({ columns }) => columns.some(({ column }) => column.name === change.column.name)) ?? false;
  // Values that come back from the attic are out of the way while a column changes its type.
  const replacing = (change: AlterColumn): KeptValues | undefined => {
    const { table, after: column } = change;
    const held = before.tables.find(each => addressOf(each) === start.table(table))!;
    const name = start.column(table, column.name);
    const isKey =
      held.key?.columns.includes(name) ||
      before.tables.some(({ foreignKeys }) =>
        foreignKeys.some(
          ({ references }) => references.table === addressOf(held) && references.columns.includes(name),
        ),
      );
    return isKey ? undefined : replacedBy(restored.get(table) ?? [], change);
  };
  const isLate = (change: Change) =>
    (change.kind === "add part" || change.kind === "alter part") && restored.has(change.table);
  const arrive = (change: Change): Alteration | undefined => {
    switch (change.kind) {
      case "alter column": {
        const { table } = change;
        const kept = replacing(change);
        if (!kept) return { table, ...syntax.alterColumn(change, now(table), standing(table)) };
        const bare = { ...change, before: unfilled(change.before), after: unfilled(change.after) };
        const altered = syntax.alterColumn(bare, now(table), standing(table));
        const cleared = syntax.clear(kept, change.before, now(table), standing(table));
        return { table, ...altered, before: [...(altered.before ?? []), ...cleared] };
      }
      case "add column": {
        const first = isRestored(change) ? { ...change, column: unfilled(change.column) } : change;
        return { table: change.table, ...syntax.addColumn(first, now(change.table)) };
      }
      case "alter part":
        return change.what === "index" || change.what === "foreign key"
          ? undefined
          : {
              table: change.table,
              first: [syntax.dropPart(change.what, change.before)],
              clauses: [syntax.addPart(change.what, change.after as never)],
            };
      case "add part":
        return change.what === "index" || change.what === "foreign key"
          ? undefined
          : { table: change.table, clauses: [syntax.addPart(change.what, change.value as never)] };
      default:
        return undefined;
    }
  };
  // A part that waits for old values to come back is in their way, and in that of the columns' new types.
  const makeWay = (change: Change): Alteration | undefined => {
    const whole = arrive(change);
    return whole?.first && { table: whole.table, first: whole.first, clauses: [] };
  };
  const complete = (change: Change): Alteration | undefined => {
    if (isLate(change)) {
      const { first: _, ...rest } = arrive(change) ?? {};
      return "table" in rest ? rest : undefined;
    }
    const column =
      change.kind === "add column" && isRestored(change)
        ? change.column
        : change.kind === "alter column" && replacing(change)
          ? change.after
          : undefined;
    if (!column) return undefined;
    const { table, fill } = change as AddColumn | AlterColumn;
    const whole = { kind: "alter column", table, before: unfilled(column), after: column } as const;
    return { table, ...syntax.alterColumn({ ...whole, ...(fill && { fill }) }, now(table), standing(table)) };
  };
  return [
    ...atticNamespaces(plan, "forward").map(name => ({
      title: "make room in the attic",
      statements: [syntax.createNamespace(name)],
    })),
    ...keepBlocks(plan, syntax.attic),
    ...changedSinceBlocks(plan, syntax.attic),
    ...[...named[1]]
      .filter(name => !named[0].has(name))
      .map(name => ({ title: `add namespace ${name}`, statements: [syntax.createNamespace(name)] })),
    ...define("add definition"),
    ...alterations(changes, syntax, change =>
      change.kind === "drop part" && change.what === "foreign key"
        ? { table: change.table, clauses: [syntax.dropPart("foreign key", change.value)] }
        : undefined,
    ),
    ...each(changes, change =>
      change.kind === "drop part" && change.what === "index"
        ? [syntax.dropIndex(was(change.table), change.value)]
        : [],
    ),
    ...stamps.dropped.map(({ table, column }) => ({
      title: `drop the stamp of ${addressOf(table)}.${column.name}`,
      statements: syntax.dropStamp(table, column),
    })),
    ...changes.flatMap(change => (change.kind === "drop table" ? dropBlock(change.table, plan, syntax) : [])),
    // What is computed goes before what it is computed from.
    ...alterations(changes.filter(isDropOfComputed), syntax, dropColumnOf(syntax)),
    ...alterations(
      changes.filter(change => !isDropOfComputed(change)),
      syntax,
      change => {
        if (change.kind === "drop column")
          return { table: change.table, clauses: [syntax.dropColumn(change.column)] };
        if (change.kind !== "drop part" || change.what === "foreign key" || change.what === "index")
          return undefined;
        return { table: change.table, clauses: [syntax.dropPart(change.what, change.value)] };
      },
    ),
    ...each(changes, change => {
      if (change.kind === "rename table")
        return syntax.renameTable(change.from, change.to, was(start.table(change.to)) ?? was(change.from));
      return change.kind === "rename column"
        ? syntax.renameColumn(change.table, change.from, change.to, was(start.table(change.table)))
        : [];
    }),
    ...define("alter definition"),
    ...each(inTurn(changes.filter(change => change.kind === "rename part")), change => [
      syntax.renamePart(now(change.table), change.what, change.from, change.to),
    ]),
    ...alterations(changes, syntax, change => (isLate(change) ? makeWay(change) : arrive(change))),
    ...[...restored].flatMap(([address, kept]) =>
      kept.map(each => ({
        title: `restore ${each.columns.map(({ column }) => `${address}.${column.name}`).join(", ")} from the attic`,
        statements: syntax.restore(each, now(address), standing(address), plan),
      })),
    ),
    ...alterations(changes, syntax, complete),
    ...each(changes, change =>
      change.kind === "alter table"
        ? syntax.alterOptions(change.table, change.before.options, change.after.options)
        : [],
    ),
    ...notesBlocks(changes, now, syntax),
    ...each(changes, change => {
      if (change.kind !== "add table") return [];
      const table = now(addressOf(change.table));
      const kept = takenOut(plan, addressOf(table));
      if (kept) return syntax.takeTable(kept, plan);
      return [
        ...syntax.createTable(table),
        ...table.indexes.map(index => syntax.createIndex(table, index)),
        ...syntax.notes(table, table.columns, true),
      ];
    }),
    ...each(changes, change => {
      if (change.kind === "add part" && change.what === "index")
        return [syntax.createIndex(now(change.table), change.value)];
      if (change.kind !== "alter part" || change.what !== "index") return [];
      return [
        syntax.dropIndex(now(change.table), change.before),
        syntax.createIndex(now(change.table), change.after),
      ];
    }),
    ...stamps.added.map(({ table, column }) => ({
      title: `keep the stamp ${addressOf(table)}.${column.name}`,
      statements: syntax.createStamp(table, column),
    })),
    ...[...arriving].flatMap(address => referencesOf(now(address), changes, syntax)),
    ...alterations(changes, syntax, change =>
      change.kind === "add part" && change.what === "foreign key"
        ? { table: change.table, clauses: [syntax.addPart("foreign key", change.value)] }
        : undefined,
    ),
    ...define("drop definition"),
    ...[...named[0]]
      .filter(name => !named[1].has(name))
      .map(name => ({ title: `drop namespace ${name}`, statements: [syntax.dropNamespace(name)] })),
    ...becameBlocks(plan, syntax.attic),
    ...emptiedBlocks(plan, syntax.attic),
    ...atticNamespaces(plan, "back").map(name => ({
      title: "let go of the room in the attic",
      statements: [syntax.dropNamespace(name)],
    })),
  ];
}

/** Renames of parts in an order in which none takes a name that is still in use: tables may have traded their names. */
function inTurn(renames: readonly RenamePart[]): RenamePart[] {
  // What an index stands for shares its names with all relations of the namespace, the rest only with its table's.
  const groups = new Map<string, RenamePart[]>();
  for (const rename of renames) {
    const { table, what } = rename;
    const beside = what === "check" || what === "foreign key" ? table : (parseAddress(table).namespace ?? "");
    groups.set(beside, [...(groups.get(beside) ?? []), rename]);
  }
  return [...groups.values()].flatMap(group => {
    const holders = new Map(group.map(rename => [rename.from, rename]));
    const names = new Map(group.map(({ from, to }) => [from, to]));
    return renameSteps(names, new Set(names.keys())).map(([from, to]) => {
      const step = { ...holders.get(from)!, from, to };
      holders.set(to, step);
      return step;
    });
  });
}

function dropBlock(dropped: Table, plan: RenderPlan, syntax: AlterSyntax): Block[] {
  const address = addressOf(dropped);
  const kept = putAway(plan, address);
  if (!kept)
    return [
      {
        title: titleOf({ kind: "drop table", table: dropped }),
        statements: [`DROP TABLE ${syntax.table(address)}`],
      },
    ];
  const gone = new Set(
    plan.changes.flatMap(change =>
      change.kind === "drop part" && change.what === "foreign key" && change.table === address
        ? [change.value]
        : [],
    ),
  );
  const references = kept.table.foreignKeys.filter(each => ![...gone].some(part => equal(part, each)));
  return [
    { title: `put table ${address} into the attic`, statements: syntax.keepTable(kept, references, plan) },
  ];
}

/** The columns of a table, by its address after, whose stamps are kept all the while. */
function standingStamps(
  { tables }: Schema,
  dropped: readonly StampOf[],
  start: StartNames,
): (address: string) => Column[] {
  const byAddress = new Map(tables.map(table => [addressOf(table), table]));
  return address => {
    const table = byAddress.get(start.table(address));
    if (!table || start.tableArrives(address)) return [];
    const gone = dropped.filter(each => each.table === table).map(({ column }) => column);
    return table.columns.filter(column => column.stamp === "updated" && !gone.includes(column));
  };
}

/** The namespaces that tables and definitions stand in, but for the usual one. */
function namespacesOf({ tables, definitions = [] }: Schema): Set<string> {
  return new Set(
    [...tables, ...definitions].flatMap(({ namespace }) => (namespace === undefined ? [] : [namespace])),
  );
}

function isDropOfComputed(change: Change): boolean {
  return change.kind === "drop column" && change.column.computed !== undefined;
}

function dropColumnOf(syntax: AlterSyntax): (change: Change) => Alteration | undefined {
  return change =>
    change.kind === "drop column"
      ? { table: change.table, clauses: [syntax.dropColumn(change.column)] }
      : undefined;
}

/** A block for each change that has statements. */
function each<C extends Change>(changes: readonly C[], statementsOf: (change: C) => string[]): Block[] {
  return changes.flatMap(change => {
    const statements = statementsOf(change);
    return statements.length > 0 ? [{ title: titleOf(change), statements }] : [];
  });
}

/** The references of a table that arrives; those parted from it to open a circle are changes of their own. */
function referencesOf(table: Table, changes: readonly Change[], syntax: AlterSyntax): Block[] {
  const parted = new Set(
    changes.flatMap(change =>
      change.kind === "add part" && change.table === addressOf(table) ? [change.value.name] : [],
    ),
  );
  const own = table.foreignKeys.filter(({ name }) => !parted.has(name));
  if (own.length === 0) return [];
  const clauses = own.map(foreignKey => syntax.addPart("foreign key", foreignKey));
  return [
    {
      title: `references of ${addressOf(table)}`,
      statements: [alterTable(addressOf(table), clauses, syntax)],
    },
  ];
}

interface Alteration extends Clauses {
  readonly table: string;
}

/** One ALTER TABLE for all that the chosen changes do to a table. */
function alterations(
  changes: readonly Change[],
  syntax: AlterSyntax,
  choose: (change: Change) => Alteration | undefined,
): Block[] {
  const byTable = new Map<
    string,
    {
      titles: string[];
      before: string[];
      first: string[];
      clauses: string[];
      afterwards: string[];
      after: string[];
    }
  >();
  for (const change of changes) {
    const chosen = choose(change);
    if (!chosen) continue;
    const group = byTable.get(chosen.table) ?? {
      titles: [],
      before: [],
      first: [],
      clauses: [],
      afterwards: [],
      after: [],
    };
    group.titles.push(titleOf(change));
    group.before.push(...(chosen.before ?? []));
    group.first.push(...(chosen.first ?? []));
    group.clauses.push(...chosen.clauses);
    group.afterwards.push(...(chosen.afterwards ?? []));
    group.after.push(...(chosen.after ?? []));
    byTable.set(chosen.table, group);
  }
  return [...byTable].flatMap(([table, { titles, before, first, clauses, afterwards, after }]) => {
    const altered = [[...first, ...clauses], afterwards]
      .filter(list => list.length > 0)
      .map(list => alterTable(table, list, syntax));
    const statements = [...before, ...altered, ...after];
    if (statements.length === 0) return [];
    return titles.length === 1
      ? [{ title: titles[0]!, statements }]
      : [{ title: `alter table ${table}`, details: titles, statements }];
  });
}

function alterTable(table: string, clauses: readonly string[], syntax: AlterSyntax): string {
  const name = `ALTER TABLE ${syntax.table(table)}`;
  return clauses.length === 1 ? `${name} ${clauses[0]}` : `${name}\n  ${clauses.join(",\n  ")}`;
}

/** Notes of tables and columns that stay. */
function notesBlocks(
  changes: readonly Change[],
  now: (address: string) => Table,
  syntax: AlterSyntax,
): Block[] {
  return changes.flatMap(change => {
    const [columns, self] =
      change.kind === "alter column" && change.before.note !== change.after.note
        ? [[change.after], false]
        : change.kind === "add column" && change.column.note !== undefined
          ? [[change.column], false]
          : [[], change.kind === "alter table" && change.before.note !== change.after.note];
    if (columns.length === 0 && !self) return [];
    const statements = syntax.notes(now((change as { readonly table: string }).table), columns, self);
    return statements.length > 0 ? [{ title: `note: ${describeChange(change)}`, statements }] : [];
  });
}

interface StampOf {
  readonly table: Table;
  readonly column: Column;
}

/** Stamps hang on a table's and a column's name: a rename drops them and makes them anew. */
function stampChanges(
  before: Schema,
  after: Schema,
  changes: readonly Change[],
): { dropped: StampOf[]; added: StampOf[] } {
  const renamed = new Set<string>();
  for (const change of changes) {
    if (change.kind === "rename table") renamed.add(change.from).add(change.to);
    if (change.kind === "rename column") renamed.add(change.table);
  }
  const list = ({ tables }: Schema) =>
    tables.flatMap(table =>
      table.columns.flatMap(column => (column.stamp === "updated" ? [{ table, column }] : [])),
    );
  const key = ({ table, column }: StampOf) => JSON.stringify([addressOf(table), column.name]);
  const gone = new Set(
    changes.flatMap(change => (change.kind === "drop table" ? [addressOf(change.table)] : [])),
  );
  const [old, fresh] = [list(before), list(after)];
  const [oldKeys, freshKeys] = [new Set(old.map(key)), new Set(fresh.map(key))];
  return {
    dropped: old.filter(
      each =>
        gone.has(addressOf(each.table)) || renamed.has(addressOf(each.table)) || !freshKeys.has(key(each)),
    ),
    added: fresh.filter(each => renamed.has(addressOf(each.table)) || !oldKeys.has(key(each))),
  };
}

/** The columns of a plan, as table and name at its end, whose types change. */
function retypedColumns(changes: readonly Change[]): Set<string> {
  return new Set(
    changes.flatMap(change =>
      change.kind === "alter column" && !equal(change.before.type, change.after.type)
        ? [JSON.stringify([change.table, change.after.name])]
        : [],
    ),
  );
}

/**
 * No column that a computed one is made of may change its type or go, and no expression can be changed in place. A
 * computed column loses nothing when it goes at the beginning and comes back at the end, with the parts about it.
 */
function withLiftedComputed(changes: readonly Change[], before: Schema, after: Schema): Change[] {
  const start = startNames(changes);
  const retyped = retypedColumns(changes);
  const oldTables = tablesByAddress(before);
  let result = [...changes];
  for (const table of after.tables) {
    const address = addressOf(table);
    const was = start.tableArrives(address) ? undefined : oldTables.get(start.table(address));
    if (!was) continue;
    for (const column of table.columns.filter(({ computed }) => computed)) {
      const old = was.columns.find(({ name }) => name === start.column(address, column.name));
      const alteration = changes.find(
        change =>
          change.kind === "alter column" && change.table === address && change.after.name === column.name,
      );
      const bases = old ? columnsOfComputed(old) : [];
      const survivors = new Map(table.columns.map(({ name }) => [start.column(address, name), name]));
      const disturbed = bases.some(
        base => !survivors.has(base) || retyped.has(JSON.stringify([address, survivors.get(base)])),
      );
      const added = changes.some(
        change =>
          change.kind === "add column" && change.table === address && change.column.name === column.name,
      );
      if (old && !added && (alteration || disturbed))
        result = liftColumn(result, { address, table, was, column, old });
    }
  }
  return result;
}

interface LiftedColumn {
  readonly address: string;
  readonly table: Table;
  readonly was: Table;
  readonly column: Column;
  readonly old: Column;
}

function liftColumn(
  changes: readonly Change[],
  { address, table, was, column, old }: LiftedColumn,
): Change[] {
  const from = addressOf(was);
  const about = (kind: PartKind, part: Parts[PartKind], name: string) =>
    columnsOfPart(kind, part).includes(name);
  const altered = changes.filter(
    change =>
      change.kind === "alter part" &&
      change.table === address &&
      (about(change.what, change.before, column.name) || about(change.what, change.after, column.name)),
  );
  const alteredNames = (what: PartKind) =>
    new Set(
      altered.flatMap(change =>
        change.kind === "alter part" && change.what === what ? [change.after.name] : [],
      ),
    );
  const drops = PART_KINDS.flatMap(what =>
    partsOf(was, what)
      .filter(part => about(what, part, old.name) || alteredNames(what).has(part.name))
      .map(value => ({ kind: "drop part", table: from, what, value }) as Change),
  );
  const adds = PART_KINDS.flatMap(what =>
    partsOf(table, what)
      .filter(part => about(what, part, column.name) || alteredNames(what).has(part.name))
      .map(value => ({ kind: "add part", table: address, what, value }) as Change),
  );
  const rest = changes.filter(change => {
    switch (change.kind) {
      case "alter column":
        return change.table !== address || change.after.name !== column.name;
      case "rename column":
        return change.table !== address || change.to !== column.name;
      case "drop part":
        return change.table !== from || !about(change.what, change.value, old.name);
      case "add part":
        return change.table !== address || !about(change.what, change.value, column.name);
      case "alter part":
        return !altered.includes(change);
      case "rename part":
        return (
          change.table !== address ||
          !partsOf(table, change.what).some(
            part => part.name === change.to && about(change.what, part, column.name),
          )
        );
      default:
        return true;
    }
  });
  const [gone, back] = [
    { kind: "drop column", table: from, column: old } as const,
    { kind: "add column", table: address, column } as const,
  ];
  return [...drops, gone, ...rest, back, ...adds];
}

/**
 * Parts that stand in the way while a column changes its type, references on either side of it and expressions about
 * it, and references that are altered: they go at the beginning and come back at the end.
 */
function withLiftedParts(changes: readonly Change[], before: Schema, after: Schema): Change[] {
  const retyped = retypedColumns(changes);
  const start = startNames(changes);
  const oldTables = tablesByAddress(before);
  const isRetyped = (table: string, column: string) => retyped.has(JSON.stringify([table, column]));
  const stands = (address: string, kind: PartKind, part: Parts[PartKind]): boolean => {
    const own = columnsOfPart(kind, part).some(column => isRetyped(address, column));
    if (kind === "check") return own;
    if (kind === "index") return own && isExpression(part as Index);
    if (kind !== "foreign key") return false;
    const { references } = part as ForeignKey;
    return own || references.columns.some(column => isRetyped(references.table, column));
  };
  let result = [...changes];
  for (const table of after.tables) {
    const address = addressOf(table);
    const was = start.tableArrives(address) ? undefined : oldTables.get(start.table(address));
    if (!was) continue;
    for (const kind of LIFTED_KINDS) {
      for (const value of partsOf(table, kind)) {
        const concerns = (change: Change) =>
          (change.kind === "rename part" &&
            change.table === address &&
            change.what === kind &&
            change.to === value.name) ||
          (change.kind === "alter part" &&
            change.table === address &&
            change.what === kind &&
            change.after.name === value.name);
        const own = changes.find(concerns);
        const altered = own?.kind === "alter part" && kind === "foreign key";
        const arrives = changes.some(
          change =>
            change.kind === "add part" &&
            change.table === address &&
            change.what === kind &&
            change.value.name === value.name,
        );
        const old = partsOf(was, kind).find(
          ({ name }) => name === (own?.kind === "rename part" ? own.from : value.name),
        );
        if (!old || arrives || !(altered || stands(address, kind, value))) continue;
        result = [
          ...result.filter(change => !concerns(change)),
          { kind: "drop part", table: start.table(address), what: kind, value: old } as Change,
          { kind: "add part", table: address, what: kind, value } as Change,
        ];
      }
    }
  }
  return result;
}

const LIFTED_KINDS = ["foreign key", "check", "index"] as const;

function isExpression(index: Index): boolean {
  return index.where !== undefined || index.parts.some(part => "sql" in part);
}

import { placeholderOf } from "../sql/tokens.js";
import { addressOf, parseAddress } from "../schema/address.js";
import { withRuleColumns } from "../schema/rules.js";
import { fillPlaceholders, mapSqlText } from "../sql/placeholders.js";
import type { Column, PartKind, Parts, Rule, SqlText, Table, Unique } from "../schema/types.js";

/** New names by old ones; a name that is not in it stays. */
export interface NameMap {
  /** A table's address. */
  readonly table: (address: string) => string;
  /** A column of a table, the table by its address before the renaming. */
  readonly column: (table: string, column: string) => string;
}

/** The table with every name in it replaced; its parts keep their order. */
export function renameInTable(table: Table, names: NameMap): Table {
  const from = addressOf(table);
  const { namespace: _, ...rest } = table;
  return {
    ...rest,
    ...parseAddress(names.table(from)),
    columns: table.columns.map(column => renameInColumn(column, from, names)),
    ...(table.key && { key: renameInPart("key", table.key, from, names) }),
    uniques: table.uniques.map(part => renameInPart("unique", part, from, names)),
    indexes: table.indexes.map(part => renameInPart("index", part, from, names)),
    foreignKeys: table.foreignKeys.map(part => renameInPart("foreign key", part, from, names)),
    checks: table.checks.map(part => renameInPart("check", part, from, names)),
  };
}

/** The column under its new name, with the names in its expressions replaced. */
export function renameInColumn(column: Column, table: string, names: NameMap): Column {
  const { computed } = column;
  return {
    ...column,
    name: names.column(table, column.name),
    ...(computed && { computed: { ...computed, sql: renameInSql(computed.sql, table, names) } }),
  };
}

/** The part, still under its own name, with every name in it replaced. */
export function renameInPart<K extends PartKind>(
  kind: K,
  part: Parts[K],
  table: string,
  names: NameMap,
): Parts[K] {
  return RENAMED[kind](part, table, names);
}

const RENAMED: {
  readonly [P in PartKind]: (part: Parts[P], table: string, names: NameMap) => Parts[P];
} = {
  key: renameInKeyed,
  unique: renameInKeyed,
  index: (index, table, names) => ({
    ...index,
    parts: index.parts.map(each =>
      "column" in each
        ? { ...each, column: names.column(table, each.column) }
        : { ...each, sql: renameInSql(each.sql, table, names) },
    ),
    ...(index.where !== undefined && { where: renameInSql(index.where, table, names) }),
    ...renamedInclude(index, table, names),
  }),
  "foreign key": (foreignKey, table, names) => {
    const target = foreignKey.references.table;
    return {
      ...foreignKey,
      columns: foreignKey.columns.map(each => names.column(table, each)),
      references: {
        table: names.table(target),
        columns: foreignKey.references.columns.map(each => names.column(target, each)),
      },
    };
  },
  check: (check, table, names) => {
    const column = check.column === undefined ? undefined : names.column(table, check.column);
    return {
      ...check,
      rules: check.rules.map(rule => renameInRule(rule, table, names)),
      ...(column !== undefined && { name: column, column }),
    };
  },
};

function renameInKeyed(part: Unique, table: string, names: NameMap): Unique {
  const columns = part.columns.map(each => names.column(table, each));
  return { ...part, columns, ...renamedInclude(part, table, names) };
}

function renamedInclude(
  { include }: { readonly include?: readonly string[] },
  table: string,
  names: NameMap,
): { include?: string[] } {
  return include ? { include: include.map(each => names.column(table, each)) } : {};
}

function renameInRule(rule: Rule, table: string, names: NameMap): Rule {
  return withRuleColumns(
    rule,
    column => names.column(table, column),
    text => renameInText(text, table, names),
  );
}

/** SQL with the names in its placeholders replaced. */
export function renameInSql(sql: SqlText, table: string, names: NameMap): SqlText {
  return mapSqlText(sql, text => renameInText(text, table, names));
}

function renameInText(text: string, table: string, names: NameMap): string {
  return fillPlaceholders(text, name => placeholderOf(names.column(table, name)));
}

/**
 * Renames one after the other, so that no step takes a name still in use; a circle goes by way of a spare name, and so
 * does a name that changes in nothing but capitals, which SQLite and some servers do not tell apart.
 * @param taken all names in use at the start
 * @param spareFor a spare name like another
 */
export function renameSteps(
  renames: ReadonlyMap<string, string>,
  taken: ReadonlySet<string>,
  spareFor: (name: string, turn: number) => string = spareName,
): [string, string][] {
  const waiting = new Map(renames);
  const used = new Set(taken);
  const steps: [string, string][] = [];
  while (waiting.size > 0) {
    const moving = new Set([...waiting.keys()].map(fold));
    const free = [...waiting].find(([, to]) => !used.has(to) && !moving.has(fold(to)));
    const [from, to] = free ?? spareStep(waiting, used, spareFor);
    steps.push([from, to]);
    used.delete(from);
    used.add(to);
    const final = waiting.get(from)!;
    waiting.delete(from);
    if (!free) waiting.set(to, final);
  }
  return steps;
}

function fold(name: string): string {
  return name.toLowerCase();
}

/** How much of a name a spare one begins with: it may be no longer than names can be. */
const SPARE = 24;

function spareName(name: string, turn: number): string {
  return `${[...name].slice(0, SPARE).join("")}_between${turn > 1 ? turn : ""}`;
}

/** A spare address in the same namespace. */
export function spareAddress(address: string, turn: number): string {
  const { name, ...rest } = parseAddress(address);
  return addressOf({ ...rest, name: spareName(name, turn) });
}

function spareStep(
  waiting: ReadonlyMap<string, string>,
  used: ReadonlySet<string>,
  spareFor: (name: string, turn: number) => string,
): [string, string] {
  const from = [...waiting.keys()][0]!;
  let turn = 1;
  while (used.has(spareFor(from, turn))) turn += 1;
  return [from, spareFor(from, turn)];
}

import { renameInTable } from "../change/rename.js";
import { addressOf, parseAddress } from "../schema/address.js";
import { tableGrantedTo } from "../schema/grants.js";
import { columnsOfPart } from "../schema/lookups.js";
import { constraintName, cutName } from "../schema/naming.js";
import { textFor } from "../sql/placeholders.js";
import { isObject, PART_KINDS, partsOf, withParts } from "../schema/types.js";
import type {
  Check,
  Column,
  DataType,
  Default,
  Definition,
  Index,
  IndexPart,
  Options,
  PartKind,
  Parts,
  Rule,
  Schema,
  SqlText,
  Table,
  TypeDefinition,
  Unique,
} from "../schema/types.js";
import type { TokenRules } from "../sql/tokens.js";
import { spellExpression } from "./expressions.js";

/** What a dialect says so that the shared walk can settle a schema for it. */
export interface SettleRules {
  readonly dialect: string;
  readonly tokens: TokenRules;
  /** In bytes; absent: names may be of any length. */
  readonly nameLimit?: number;
  /** Whether the dialect keeps notes on tables and columns. */
  readonly keepsNotes: boolean;
  /** Whether there are roles to grant something to. */
  readonly roles: boolean;
  /** Whether tables stand in namespaces, and types and sequences beside them. */
  readonly namespaces: boolean;
  /** Whether a constraint may be without a name. */
  readonly unnamed: boolean;
  /** Why it cannot hold an index; undefined when it can. */
  readonly cannotHoldIndex: (index: Index) => string | undefined;
  /** Whether a check that stands beside its column is told from one of the table. Absent: it is not. */
  readonly checksBeside?: boolean;
  /** What it does not know of keys, unique constraints and indexes, and of the columns of an index. */
  readonly unheld: {
    readonly part: readonly (keyof Index | keyof Unique)[];
    readonly term: readonly (keyof IndexPart)[];
  };
  /** How a column counts up; the dialect may not know every way. */
  readonly identity: (identity: NonNullable<Column["identity"]>) => NonNullable<Column["identity"]>;
  readonly type: (type: DataType, column: Column) => string;
  /** SQL for a rule; undefined when the dialect holds it in another way, or cannot. */
  readonly rule: (rule: Exclude<Rule, { kind: "sql" }>, column: Column | undefined) => string | undefined;
  readonly default: (value: Exclude<Default, { kind: "sql" }>, column: Column) => string;
  /** SQL of the developer's own as a default. */
  readonly defaultSql: (text: string, column: Column) => string | undefined;
  readonly now: (column: Column) => string;
  /** A type or a sequence as its catalog says it; undefined: it has none. Absent: as it is, where there are namespaces. */
  readonly definition?: (definition: TypeDefinition) => Definition | undefined;
  /** An option of a table as its catalog says it; undefined: it is what is usual, of which a catalog says nothing. Absent: as it is. */
  readonly tableOption?: (name: string, value: string) => string | undefined;
}

/** Tables are never changed in place: each is settled once, and an unchanged one stays the same object. */
const settledTables = new WeakMap<SettleRules, WeakMap<Table, Table>>();

/** The schema as a dialect holds it. Settling what is settled changes nothing. */
export function settleSchema(schema: Schema, rules: SettleRules): Schema {
  const known = settledTables.get(rules) ?? new WeakMap<Table, Table>();
  settledTables.set(rules, known);
  const settle = (table: Table): Table => {
    const settled = known.get(table) ?? settleTable(table, rules);
    known.set(table, settled);
    return settled;
  };
  const definitions = (schema.definitions ?? []).flatMap(each => settleDefinition(each, rules) ?? []);
  return { tables: schema.tables.map(settle), ...(definitions.length > 0 && { definitions }) };
}

/** An object is held where there is SQL for the dialect. */
function settleDefinition(definition: Definition, rules: SettleRules): Definition | undefined {
  if (!isObject(definition)) {
    if (rules.definition) return rules.definition(definition);
    return rules.namespaces ? definition : undefined;
  }
  const sql = textFor(definition.sql, rules.dialect);
  return sql === undefined ? undefined : { ...definition, sql };
}

function settleTable(given: Table, rules: SettleRules): Table {
  const cut = (name: string) => cutName(name, rules.nameLimit);
  const table = withCutColumns(rules.roles ? given : tableGrantedTo(given, () => false), cut);
  const spell = (sql: SqlText) => spellExpression(textOrNothing(sql, rules), table.columns, rules.tokens);
  const { note, namespace, options, ...rest } = table;
  const address = flatten({ name: table.name, ...(namespace !== undefined && { namespace }) }, rules);
  const settled: Table = {
    ...rest,
    ...address,
    name: cut(address.name),
    ...ownOptions(options && tableOptions(options, rules), rules),
    ...(rules.keepsNotes && note !== undefined && { note }),
    columns: table.columns.map(column =>
      settleColumn(inKey(column, table, rules) ? { ...column, nullable: false } : column, spell, rules),
    ),
    foreignKeys: table.foreignKeys.map(foreignKey => ({
      ...foreignKey,
      references: {
        ...foreignKey.references,
        table: cutAddress(foreignKey.references.table, cut, rules),
      },
    })),
    indexes: table.indexes
      .filter(index => rules.cannotHoldIndex(index) === undefined)
      .map(index => settleIndex(index, spell, rules)),
    checks: table.checks.flatMap(check => settleCheck(check, table, spell, rules)),
  };
  const settlePart = (kind: PartKind, { options: own, ...part }: Parts[PartKind]) => ({
    ...(kind === "foreign key" || kind === "check" ? part : without(part, rules.unheld.part)),
    name: cut(part.name === "" && !rules.unnamed ? nameFor(kind, part, address.name) : part.name),
    ...ownOptions(own, rules),
  });
  const partsSettled = (kind: PartKind) => partsOf(settled, kind).map(part => settlePart(kind, part));
  return PART_KINDS.reduce((so, kind) => withParts(so, kind, partsSettled(kind)), settled);
}

/** The table with the names of columns cut, its own and those it refers to. */
function withCutColumns(table: Table, cut: (name: string) => string): Table {
  const names = [
    ...table.columns.map(({ name }) => name),
    ...table.foreignKeys.flatMap(({ references }) => references.columns),
  ];
  if (names.every(name => cut(name) === name)) return table;
  return renameInTable(table, { table: address => address, column: (_, name) => cut(name) });
}

function cutAddress(address: string, cut: (name: string) => string, rules: SettleRules): string {
  const flat = flatten(parseAddress(address), rules);
  return addressOf({ ...flat, name: cut(flat.name) });
}

/** Where there are no namespaces, they are part of the name. */
function flatten(
  address: Pick<Table, "name" | "namespace">,
  rules: SettleRules,
): Pick<Table, "name" | "namespace"> {
  if (rules.namespaces || address.namespace === undefined) return address;
  return { name: `${address.namespace}_${address.name}` };
}

/** The options of this dialect, and of no other. */
function ownOptions(options: Options | undefined, { dialect }: SettleRules): { options?: Options } {
  const own = options?.[dialect];
  return own && Object.keys(own).length > 0 ? { options: { [dialect]: own } } : {};
}

function tableOptions(options: Options, { dialect, tableOption }: SettleRules): Options {
  if (!tableOption) return options;
  const own = Object.entries(options[dialect] ?? {}).flatMap(([name, value]) => {
    const told = tableOption(name, value);
    return told === undefined ? [] : [[name, told] as const];
  });
  return { [dialect]: Object.fromEntries(own) };
}

const PREFIXES = { key: "pk", unique: "uq", index: "ix", "foreign key": "fk", check: "ck" } as const;

/** What a constraint that has no name elsewhere is called. */
function nameFor(kind: PartKind, part: Parts[PartKind], table: string): string {
  return constraintName(PREFIXES[kind], table, kind === "key" ? [] : columnsOfPart(kind, part));
}

/** SQLite alone lets a key hold null. */
function inKey({ name, nullable }: Column, { key }: Table, { unnamed }: SettleRules): boolean {
  return nullable && !unnamed && (key?.columns.includes(name) ?? false);
}

function settleColumn(column: Column, spell: (sql: SqlText) => string, rules: SettleRules): Column {
  const { note, stamp, default: value, computed, identity, options, collation, ...rest } = column;
  const settledDefault = settleDefault(value, column, spell, rules);
  return {
    ...rest,
    type: { kind: "native", sql: { [rules.dialect]: rules.type(column.type, column) } },
    ...(identity && { identity: rules.identity(identity) }),
    ...ownOptions(options, rules),
    ...collated(collation, rules),
    ...(settledDefault !== undefined && { default: { kind: "sql", sql: settledDefault } as const }),
    ...(computed && { computed: { ...computed, sql: spell(computed.sql) } }),
    ...(stamp === "updated" && { stamp }),
    ...(rules.keepsNotes && note !== undefined && { note }),
  };
}

function settleDefault(
  value: Default | undefined,
  column: Column,
  spell: (sql: SqlText) => string,
  rules: SettleRules,
): string | undefined {
  if (value?.kind === "sql") {
    const text = textFor(value.sql, rules.dialect);
    return text === undefined ? undefined : rules.defaultSql(spell(text), column);
  }
  if (value) return rules.default(value, column);
  return column.stamp ? rules.now(column) : undefined;
}

function settleIndex(index: Index, spell: (sql: SqlText) => string, rules: SettleRules): Index {
  const settle = ({ collation, ...part }: IndexPart): IndexPart => ({
    ...("sql" in part ? { ...part, sql: spell(part.sql) } : part),
    ...collated(collation, rules),
  });
  return {
    ...index,
    parts: index.parts.map(part => without(settle(part), rules.unheld.term)),
    ...(index.where !== undefined && { where: spell(index.where) }),
  };
}

function settleCheck(
  check: Check,
  table: Table,
  spell: (sql: SqlText) => string,
  rules: SettleRules,
): Check[] {
  const texts = check.rules.flatMap(rule => {
    if (rule.kind === "sql") return textFor(rule.sql, rules.dialect) === undefined ? [] : [spell(rule.sql)];
    const text = rules.rule(
      rule,
      "column" in rule ? table.columns.find(({ name }) => name === rule.column) : undefined,
    );
    return text === undefined ? [] : [text];
  });
  if (texts.length === 0) return [];
  const sql =
    texts.length === 1
      ? texts[0]!
      : texts.map(text => (/\bor\b/i.test(text) ? `(${text})` : text)).join(" AND ");
  const settled = rules.checksBeside ? check : without(check, ["column"]);
  return [{ ...settled, rules: [{ kind: "sql", sql }] }];
}

function collated(collation: SqlText | undefined, { dialect }: SettleRules): { collation?: string } {
  const own = collation === undefined ? undefined : textFor(collation, dialect);
  return own === undefined ? {} : { collation: own };
}

/** The same without some of its properties. */
function without<T extends object>(value: T, names: readonly string[]): T {
  if (!names.some(name => name in value)) return value;
  return Object.fromEntries(Object.entries(value).filter(([name]) => !names.includes(name))) as T;
}

function textOrNothing(sql: SqlText, rules: SettleRules): string {
  return textFor(sql, rules.dialect) ?? "";
}

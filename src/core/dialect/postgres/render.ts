import { type AddColumn, type AlterColumn, type DefinitionChange } from "../../change/types.js";
import { addressOf, parseAddress, quoteAddress } from "../../schema/address.js";
import { equal } from "../../schema/canonical.js";
import { cutName } from "../../schema/naming.js";
import { ATTIC } from "../../schema/own.js";
import type {
  Column,
  Default,
  Definition,
  DomainDefinition,
  EnumDefinition,
  ForeignKey,
  Index,
  Options,
  PartKind,
  Parts,
  Schema,
  Table,
} from "../../schema/types.js";
import { renderByAlter, type AlterSyntax, type Clauses } from "../alter.js";
import { matchOf, restoreText, type AtticSyntax, type KeptTable, type KeptValues } from "../attic.js";
import type { Block, RenderPlan } from "../dialect.js";
import { renderExpression } from "../settle.js";
import { atticTables } from "./catalog.js";
import { textFor } from "../../schema/sql-text.js";
import { defaultText, literal, NAME_LIMIT, quote, sequenceName, stampName } from "./expressions.js";
import { NAME } from "./types.js";

/** The statements of a plan: https://www.postgresql.org/docs/15/sql-altertable.html */
export function render(plan: RenderPlan): Block[] {
  return renderByAlter(plan, { ...SYNTAX, attic: atticOf(plan) });
}

/** PostgreSQL never takes anything along unasked. */
/** A namespace for each migration, and for each namespace it takes tables from: all that hangs on a table fits in. */
function atticPlace(number: string, table: Table, column?: string): string {
  const namespace = [`${ATTIC}${number}`, table.namespace].filter(Boolean).join("_");
  const name = column === undefined ? table.name : `${table.name}_${column}`;
  return addressOf({ namespace: cutName(namespace, NAME_LIMIT), name: cutName(name, NAME_LIMIT) });
}

export function attachments(_schema: Schema): string[] {
  return [];
}

export function scriptNotes(_blocks: readonly Block[]): string[] {
  return [];
}

export const ATTIC_SYNTAX: AtticSyntax = {
  place: atticPlace,
  tables: atticTables,
  table: quoteTable,
  quote,
  typeOf,
  // Not every type can be compared by itself.
  same: (a, b) => `${a}::text IS NOT DISTINCT FROM ${b}::text`,
  deleteFrom: table => `DELETE FROM ${table} AS k`,
  updateFrom: ({ table, from, set, where }) =>
    `UPDATE ${table} AS t SET ${set.join(", ")} FROM ${from} AS k WHERE ${where}`,
};

/** The attic as a plan needs it: values of types made by migrations are kept as texts. */
function atticOf(plan: RenderPlan): AtticSyntax {
  return {
    ...ATTIC_SYNTAX,
    typeOf: column => {
      const array = ownType(column, plan);
      return array === undefined ? typeOf(column) : `text${array}`;
    },
    keepable: column => {
      const array = ownType(column, plan);
      const name = quote(column.name);
      return array === undefined ? name : `${name}::text${array} AS ${name}`;
    },
  };
}

/**
 * `[]` for each dimension where a column is of a type made by a migration; undefined elsewhere. This migration or a later
 * one may change such a type, or drop it: nothing in the attic may hang on it.
 */
function ownType(column: Column, { before, after }: RenderPlan): string | undefined {
  const [, base = "", array = ""] = /^(.*?)((?:\[\])*)$/.exec(typeOf(column)) ?? [];
  const isOwn = [before, after].some(({ definitions = [] }) =>
    definitions.some(each => base === typeName(addressOf(each)) || base === quoteTable(addressOf(each))),
  );
  return isOwn ? array : undefined;
}

/** Whether a table can be moved into the attic as it is, and stay there whatever becomes of the types beside it. */
function canMove(table: Table, { before, after, attic }: RenderPlan): boolean {
  const text = JSON.stringify(table);
  // What is there only after the migration is nothing the table can hang on.
  const { definitions = [] } = attic?.direction === "back" ? after : before;
  return !definitions.some(({ name }) => text.includes(JSON.stringify(name).slice(1, -1)));
}

/** What is moved takes its indexes, constraints and counters along, and none of its rows is touched. */
function keepTable(
  { table, place }: KeptTable,
  references: readonly ForeignKey[],
  plan: RenderPlan,
): string[] {
  const address = addressOf(table);
  if (!canMove(table, plan)) {
    const { keepable } = atticOf(plan);
    const columns = table.columns.filter(({ computed }) => !computed).map(column => keepable!(column));
    return [
      `CREATE TABLE ${quoteTable(place)} AS SELECT ${columns.join(", ")} FROM ${quoteTable(address)}`,
      `DROP TABLE ${quoteTable(address)}`,
    ];
  }
  const dropped = references.map(({ name }) => `DROP CONSTRAINT ${quote(name)}`);
  return [
    ...(dropped.length > 0 ? [alterTable(address, dropped.join(", "))] : []),
    ...renameTable(address, place, table),
  ];
}

function takeTable({ table, place }: KeptTable, plan: RenderPlan): string[] {
  if (canMove(table, plan)) return renameTable(place, addressOf(table), table);
  const columns = table.columns.filter(({ computed }) => !computed);
  const values = columns.map(column => {
    const name = quote(column.name);
    return ownType(column, plan) === undefined ? name : `${name}::${typeOf(column)}`;
  });
  return [
    ...createTable(table),
    `INSERT INTO ${quoteTable(addressOf(table))} (${columns.map(({ name }) => quote(name)).join(", ")}) ` +
      `OVERRIDING SYSTEM VALUE SELECT ${values.join(", ")} FROM ${quoteTable(place)}`,
    ...columns.filter(({ identity }) => identity).map(column => countOn(addressOf(table), column)),
    `DROP TABLE ${quoteTable(place)}`,
    ...table.indexes.map(index => createIndex(table, index)),
    ...notes(table, table.columns, true),
  ];
}

function restore(kept: KeptValues, table: Table, stamps: readonly Column[], plan: RenderPlan): string[] {
  const set = kept.columns.map(({ column }) => {
    const name = quote(column.name);
    const cast = ownType(column, plan) === undefined ? "" : `::${typeOf(column)}`;
    return `${name} = k.${name}${cast}`;
  });
  return unstamped(table, stamps, restoreText(kept, ATTIC_SYNTAX, set));
}

function clear(kept: KeptValues, column: Column, table: Table, stamps: readonly Column[]): string[] {
  const [address, name] = [addressOf(table), quote(column.name)];
  const update = ATTIC_SYNTAX.updateFrom({
    table: quoteTable(address),
    from: quoteTable(kept.place),
    set: [`${name} = NULL`],
    where: matchOf(
      kept.key.map(({ was, retyped }) => ({ was, now: was, retyped })),
      quote,
    ),
  });
  return [
    ...(column.nullable ? [] : [alterTable(address, `ALTER COLUMN ${name} DROP NOT NULL`)]),
    ...unstamped(table, stamps, update),
  ];
}

/** An update that leaves the moments of the last update as they are. */
function unstamped(table: Table, stamps: readonly Column[], update: string): string[] {
  const triggers = (verb: string) =>
    stamps.map(({ name }) =>
      alterTable(addressOf(table), `${verb} TRIGGER ${quote(stampName(table.name, name))}`),
    );
  return [...triggers("DISABLE"), update, ...triggers("ENABLE")];
}

const SYNTAX: AlterSyntax = {
  table: quoteTable,
  createTable,
  addColumn,
  dropColumn: column => `DROP COLUMN ${quote(column.name)}`,
  alterColumn,
  addPart: (kind, part) => `ADD ${constraintText(kind, part)}`,
  dropPart: (_, part) => `DROP CONSTRAINT ${quote(part.name)}`,
  createIndex,
  dropIndex: (table, index) => `DROP INDEX ${quoteBeside(table, index.name)}`,
  renameTable,
  renameColumn: (address, from, to, table) => [
    `ALTER TABLE ${quoteTable(address)} RENAME COLUMN ${quote(from)} TO ${quote(to)}`,
    ...table.columns
      .filter(column => column.name === from)
      .flatMap(column => renameCounter(column, parseAddress(address), [address, from], [address, to])),
  ],
  renamePart: (table, kind, from, to) =>
    kind === "index"
      ? `ALTER INDEX ${quoteBeside(table, from)} RENAME TO ${quote(to)}`
      : `ALTER TABLE ${quoteTable(addressOf(table))} RENAME CONSTRAINT ${quote(from)} TO ${quote(to)}`,
  alterOptions,
  define,
  createNamespace: name => `CREATE SCHEMA ${quote(name)}`,
  dropNamespace: name => `DROP SCHEMA ${quote(name)}`,
  notes,
  createStamp,
  dropStamp: (table, column) => {
    const name = stampName(table.name, column.name);
    return [
      `DROP TRIGGER ${quote(name)} ON ${quoteTable(addressOf(table))}`,
      `DROP FUNCTION ${quoteBeside(table, name)}()`,
    ];
  },
  attic: ATTIC_SYNTAX,
  keepTable,
  takeTable,
  restore,
  clear,
};

function quoteTable(address: string): string {
  return quoteAddress(address, quote);
}

/** Indexes and functions live in the namespace of their table. */
function quoteBeside({ namespace }: Table, name: string): string {
  return namespace === undefined ? quote(name) : `${quote(namespace)}.${quote(name)}`;
}

/** References come at the end, when all tables are there. */
function tableText(table: Table): string {
  const lines = [
    ...table.columns.map(columnText),
    ...(table.key ? [constraintText("key", table.key)] : []),
    ...table.uniques.map(unique => constraintText("unique", unique)),
    ...table.checks.filter(check => !isUnproven(check)).map(check => constraintText("check", check)),
  ];
  const { unlogged, using, with: settings } = table.options?.[NAME] ?? {};
  return [
    `CREATE ${unlogged ? "UNLOGGED " : ""}TABLE ${quoteTable(addressOf(table))} (\n  ${lines.join(",\n  ")}\n)`,
    using && `USING ${quote(using)}`,
    settings && `WITH (${settings})`,
  ]
    .filter(Boolean)
    .join(" ");
}

/** A sequence of a column's own is made before the column, and owned by it as soon as it is there. */
function createTable(table: Table): string[] {
  return [
    ...table.columns.flatMap(createCounter),
    tableText(table),
    ...table.columns.flatMap(column => ownCounter(addressOf(table), column)),
    ...table.checks
      .filter(isUnproven)
      .map(check => alterTable(addressOf(table), `ADD ${constraintText("check", check)}`)),
    ...table.columns
      .flatMap(column => storageClauses({}, column))
      .map(clause => alterTable(addressOf(table), clause)),
  ];
}

/** A check that old rows may break; stated with its table, it would count as proven. */
function isUnproven({ options }: Parts["check"]): boolean {
  return options?.[NAME]?.["not valid"] !== undefined;
}

function alterTable(address: string, clause: string): string {
  return `ALTER TABLE ${quoteTable(address)} ${clause}`;
}

/** The name and settings of a sequence that stands beside its column rather than inside it (PostgreSQL's "serial"). */
function counterOf(
  column: Column | undefined,
): { sequence: string; settings: Record<string, string> } | undefined {
  const { sequence, ...settings } = column?.options?.[NAME] ?? {};
  return sequence === undefined || !column?.identity ? undefined : { sequence, settings };
}

function createCounter(column: Column): string[] {
  const counter = counterOf(column);
  if (!counter) return [];
  const type = counter.settings["sequence type"] ?? countedType(column);
  return [
    `CREATE SEQUENCE ${quoteTable(counter.sequence)}${type === undefined ? "" : ` AS ${type}`}${sequenceText(counter.settings)}`,
  ];
}

/** The column's own type, where a sequence can have it. */
function countedType(column: Column): string | undefined {
  return ["smallint", "integer", "bigint"].find(type => type === typeOf(column));
}

function ownCounter(table: string, column: Column): string[] {
  const counter = counterOf(column);
  return counter
    ? [`ALTER SEQUENCE ${quoteTable(counter.sequence)} OWNED BY ${quoteTable(table)}.${quote(column.name)}`]
    : [];
}

const SEQUENCE_WORDS = [
  ["increment", "INCREMENT BY"],
  ["minimum", "MINVALUE"],
  ["maximum", "MAXVALUE"],
  ["start", "START WITH"],
  ["cache", "CACHE"],
] as const;

function sequenceText(settings: Readonly<Record<string, string>>): string {
  const words = SEQUENCE_WORDS.flatMap(([name, word]) =>
    settings[name] ? [`${word} ${settings[name]}`] : [],
  );
  return [...words, ...(settings["cycle"] ? ["CYCLE"] : [])].map(word => ` ${word}`).join("");
}

/** All of a sequence's settings stated, also those that are as usual again. */
function resetSequence(settings: Readonly<Record<string, string>>, type: string | undefined): string {
  const down = (settings["increment"] ?? "1").startsWith("-");
  const start = settings["start"] ?? (down ? (settings["maximum"] ?? "-1") : (settings["minimum"] ?? "1"));
  return [
    type && `AS ${type}`,
    `INCREMENT BY ${settings["increment"] ?? "1"}`,
    settings["minimum"] ? `MINVALUE ${settings["minimum"]}` : "NO MINVALUE",
    settings["maximum"] ? `MAXVALUE ${settings["maximum"]}` : "NO MAXVALUE",
    `START WITH ${start}`,
    `CACHE ${settings["cache"] ?? "1"}`,
    settings["cycle"] ? "CYCLE" : "NO CYCLE",
  ]
    .filter(Boolean)
    .join(" ");
}

/** The sequence of an identity is called after its column; PostgreSQL leaves it its old name. */
function renameCounter(
  column: Column,
  { namespace }: Pick<Table, "namespace">,
  [oldTable, oldColumn]: readonly [string, string],
  [newTable, newColumn]: readonly [string, string],
): string[] {
  const options = column.options?.[NAME] ?? {};
  if (!column.identity || options["sequence"] || options["sequence name"]) return [];
  const [from, to] = [
    sequenceName(parseAddress(oldTable).name, oldColumn),
    sequenceName(parseAddress(newTable).name, newColumn),
  ];
  if (from === to) return [];
  const place = namespace === undefined ? "" : `${quote(namespace)}.`;
  return [`ALTER SEQUENCE IF EXISTS ${place}${quote(from)} RENAME TO ${quote(to)}`];
}

function renameTable(from: string, to: string, table: Table): string[] {
  const [old, now] = [parseAddress(from), parseAddress(to)];
  const moved = addressOf({ ...now, name: old.name });
  const usual = "(SELECT quote_ident(current_schema()))";
  return [
    ...(old.namespace === now.namespace
      ? []
      : now.namespace === undefined
        ? [
            `DO $move$ BEGIN EXECUTE 'ALTER TABLE ${quoteTable(from).replaceAll("'", "''")} SET SCHEMA ' || ${usual}; END $move$`,
          ]
        : [alterTable(from, `SET SCHEMA ${quote(now.namespace)}`)]),
    ...(old.name === now.name ? [] : [alterTable(moved, `RENAME TO ${quote(now.name)}`)]),
    ...table.columns.flatMap(column => renameCounter(column, now, [from, column.name], [to, column.name])),
  ];
}

function alterOptions(table: string, before: Options | undefined, after: Options | undefined): string[] {
  const [was, now] = [before?.[NAME] ?? {}, after?.[NAME] ?? {}];
  const names = (settings = "") =>
    settings
      .split(/,\s*/)
      .filter(Boolean)
      .map(each => each.split("=")[0]!.trim());
  const gone = names(was["with"]).filter(name => !names(now["with"]).includes(name));
  return [
    ...(was["unlogged"] !== now["unlogged"] ? [now["unlogged"] ? "SET UNLOGGED" : "SET LOGGED"] : []),
    ...(was["using"] !== now["using"] ? [`SET ACCESS METHOD ${quote(now["using"] ?? "heap")}`] : []),
    ...(gone.length > 0 ? [`RESET (${gone.join(", ")})`] : []),
    ...(now["with"] && was["with"] !== now["with"] ? [`SET (${now["with"]})`] : []),
  ].map(clause => alterTable(table, clause));
}

/** Where and how a column's values are kept. */
function storageClauses(before: Pick<Column, "options">, after: Column): string[] {
  const [was, now] = [before.options?.[NAME] ?? {}, after.options?.[NAME] ?? {}];
  const column = `ALTER COLUMN ${quote(after.name)}`;
  return [
    ...(was["storage"] !== now["storage"]
      ? [`${column} SET STORAGE ${(now["storage"] ?? "default").toUpperCase()}`]
      : []),
    ...(was["compression"] !== now["compression"]
      ? [`${column} SET COMPRESSION ${now["compression"] ?? "default"}`]
      : []),
    ...(was["statistics"] !== now["statistics"]
      ? [`${column} SET STATISTICS ${now["statistics"] ?? "-1"}`]
      : []),
  ];
}

function define(change: DefinitionChange, plan: RenderPlan): string[] {
  switch (change.kind) {
    case "add definition":
      return [createDefinition(change.definition), ...definitionNote(change.definition)];
    case "drop definition":
      return [`DROP ${WORDS[change.definition.kind]} ${quoteTable(addressOf(change.definition))}`];
    case "alter definition":
      return [
        ...alterDefinition(change.before, change.after, plan),
        ...(change.before.note === change.after.note ? [] : definitionNote(change.after, true)),
      ];
    default:
      return change satisfies never;
  }
}

const WORDS = { enum: "TYPE", domain: "DOMAIN", sequence: "SEQUENCE" } as const;

function definitionNote(definition: Definition, reset = false): string[] {
  const { note } = definition;
  if (note === undefined && !reset) return [];
  const text = note === undefined ? "NULL" : literal(note);
  return [`COMMENT ON ${WORDS[definition.kind]} ${quoteTable(addressOf(definition))} IS ${text}`];
}

function createDefinition(definition: Definition): string {
  const name = quoteTable(addressOf(definition));
  switch (definition.kind) {
    case "enum":
      return `CREATE TYPE ${name} AS ENUM (${definition.values.map(literal).join(", ")})`;
    case "domain":
      return [
        `CREATE DOMAIN ${name} AS ${definition.type}`,
        definition.collation && `COLLATE ${quote(definition.collation)}`,
        definition.default !== undefined && `DEFAULT ${definition.default}`,
        !definition.nullable && "NOT NULL",
        ...definition.checks.map(check => `CONSTRAINT ${quote(check.name)} CHECK (${check.sql})`),
      ]
        .filter(Boolean)
        .join(" ");
    case "sequence": {
      const { settings = {} } = definition;
      const type = settings["sequence type"];
      return `CREATE SEQUENCE ${name}${type ? ` AS ${type}` : ""}${sequenceText(settings)}`;
    }
    default:
      return definition satisfies never;
  }
}

function alterDefinition(before: Definition, after: Definition, plan: RenderPlan): string[] {
  if (before.kind === "enum" && after.kind === "enum") return alterEnum(before, after, plan);
  if (before.kind === "domain" && after.kind === "domain") return alterDomain(before, after, plan);
  if (after.kind !== "sequence") return [];
  const { settings = {} } = after;
  const type = settings["sequence type"] ?? "bigint";
  return [`ALTER SEQUENCE ${quoteTable(addressOf(after))} ${resetSequence(settings, type)}`];
}

/**
 * Values can be added in place (https://www.postgresql.org/docs/15/sql-altertype.html), but not used before the
 * transaction ends. Otherwise the type is made anew and its columns are turned over to it.
 */
function alterEnum(before: EnumDefinition, after: EnumDefinition, plan: RenderPlan): string[] {
  const name = quoteTable(addressOf(after));
  const added = after.values.filter(value => !before.values.includes(value));
  const kept = after.values.filter(value => before.values.includes(value));
  const rest = JSON.stringify(plan.changes.filter(({ kind }) => kind !== "alter definition"));
  const used = added.some(value => rest.includes(JSON.stringify(literal(value)).slice(1, -1)));
  if (
    kept.length === before.values.length &&
    kept.every((value, at) => value === before.values[at]) &&
    !used
  ) {
    return added.map(value => {
      const at = after.values.indexOf(value);
      const place =
        at === 0 ? `BEFORE ${literal(before.values[0] ?? "")}` : `AFTER ${literal(after.values[at - 1]!)}`;
      return `ALTER TYPE ${name} ADD VALUE ${literal(value)}${before.values.length === 0 ? "" : ` ${place}`}`;
    });
  }
  const away = `${after.name.slice(0, NAME_LIMIT - 4)}_old`;
  return [
    `ALTER TYPE ${name} RENAME TO ${quote(away)}`,
    createDefinition(after),
    ...definitionNote(after),
    ...turnOver(after, plan, array => `text${array}`),
    `DROP TYPE ${quoteTable(addressOf({ ...after, name: away }))}`,
  ];
}

function alterDomain(before: DomainDefinition, after: DomainDefinition, plan: RenderPlan): string[] {
  const name = quoteTable(addressOf(after));
  if (before.type !== after.type || before.collation !== after.collation) {
    const away = `${after.name.slice(0, NAME_LIMIT - 4)}_old`;
    return [
      `ALTER DOMAIN ${name} RENAME TO ${quote(away)}`,
      createDefinition(after),
      ...definitionNote(after),
      ...turnOver(after, plan, array => `${before.type}${array}`),
      `DROP DOMAIN ${quoteTable(addressOf({ ...after, name: away }))}`,
    ];
  }
  const missing = (from: DomainDefinition, others: DomainDefinition) =>
    from.checks.filter(check => !others.checks.some(each => equal(each, check)));
  return [
    ...missing(before, after).map(check => `DROP CONSTRAINT ${quote(check.name)}`),
    ...(before.default === after.default
      ? []
      : [after.default === undefined ? "DROP DEFAULT" : `SET DEFAULT ${after.default}`]),
    ...(before.nullable === after.nullable ? [] : [after.nullable ? "DROP NOT NULL" : "SET NOT NULL"]),
    ...missing(after, before).map(check => `ADD CONSTRAINT ${quote(check.name)} CHECK (${check.sql})`),
  ].map(clause => `ALTER DOMAIN ${name} ${clause}`);
}

/** Columns of a type that has been made anew, in the tables that stay. */
function turnOver(
  type: Definition,
  { before, changes }: RenderPlan,
  by: (array: string) => string,
): string[] {
  const gone = new Set(
    changes.flatMap(change => {
      if (change.kind === "drop table") return [addressOf(change.table)];
      return change.kind === "drop column" ? [JSON.stringify([change.table, change.column.name])] : [];
    }),
  );
  const called = new Set([typeName(addressOf(type)), quoteTable(addressOf(type))]);
  return before.tables.flatMap(table => {
    const start = addressOf(table);
    if (gone.has(start)) return [];
    const now = changes.reduce(
      (so, change) => (change.kind === "rename table" && change.from === so ? change.to : so),
      start,
    );
    return table.columns.flatMap(column => {
      const [, base = "", array = ""] = /^(.*?)((?:\[\])*)$/.exec(typeOf(column)) ?? [];
      if (!called.has(base) || gone.has(JSON.stringify([start, column.name]))) return [];
      const renamed = changes.reduce(
        (so, change) =>
          change.kind === "rename column" && change.table === now && change.from === so ? change.to : so,
        column.name,
      );
      const name = `ALTER COLUMN ${quote(renamed)}`;
      const target = `${quoteTable(addressOf(type))}${array}`;
      const value = column.default && defaultOf(column);
      return [
        ...(value ? [alterTable(now, `${name} DROP DEFAULT`)] : []),
        alterTable(now, `${name} TYPE ${target} USING ${quote(renamed)}::${by(array)}::${target}`),
        ...(value ? [alterTable(now, `${name} SET DEFAULT ${value}`)] : []),
      ];
    });
  });
}

/** As format_type writes it: quoted only where it must be. */
function typeName(address: string): string {
  const { namespace, name } = parseAddress(address);
  const plain = (word: string) => (/^[a-z_][a-z0-9_$]*$/.test(word) ? word : quote(word));
  return namespace === undefined ? plain(name) : `${plain(namespace)}.${plain(name)}`;
}

function columnText(column: Column): string {
  return [
    quote(column.name),
    typeOf(column),
    column.collation && `COLLATE ${quote(textFor(column.collation, NAME) ?? "")}`,
    !column.nullable && "NOT NULL",
    defaultOf(column) !== undefined && `DEFAULT ${defaultOf(column)}`,
    isIdentity(column) && identityText(column),
    column.computed &&
      `GENERATED ALWAYS AS (${renderExpression(column.computed.sql, NAME, quote)}) ${column.computed.stored ? "STORED" : "VIRTUAL"}`,
  ]
    .filter(Boolean)
    .join(" ");
}

function isIdentity(column: Column): boolean {
  return column.identity !== undefined && !counterOf(column);
}

function identityText({ identity, options }: Column): string {
  const { "sequence name": name, ...settings } = options?.[NAME] ?? {};
  const inside = [...(name ? [` SEQUENCE NAME ${quoteTable(name)}`] : []), sequenceText(settings)]
    .join("")
    .trim();
  return `GENERATED ${identity === "always" ? "ALWAYS" : "BY DEFAULT"} AS IDENTITY${inside && ` (${inside})`}`;
}

function typeOf({ type }: Column): string {
  return type.kind === "native" ? (type.sql[NAME] ?? "text") : "text";
}

function defaultOf(column: Column): string | undefined {
  const counter = counterOf(column);
  if (counter) return `nextval(${literal(quoteTable(counter.sequence))}::regclass)`;
  const { default: value } = column;
  return value?.kind === "sql" ? renderExpression(value.sql, NAME, quote) : undefined;
}

function fillText(fill: Default): string {
  return fill.kind === "sql" ? renderExpression(fill.sql, NAME, quote) : defaultText(fill);
}

/** Old rows get their value by way of a default, which costs no pass over them when it is constant. */
function addColumn({ column, fill, table }: AddColumn): Clauses {
  const around = { before: createCounter(column), after: ownCounter(table, column) };
  const storage = storageClauses({}, column);
  if (!fill || column.nullable || column.computed || column.identity)
    return { ...around, clauses: [`ADD COLUMN ${columnText(column)}`], afterwards: storage };
  const name = quote(column.name);
  const filled: Column = { ...column, default: { kind: "sql", sql: { [NAME]: fillText(fill) } } };
  const settled = column.default ? `SET DEFAULT ${defaultOf(column) ?? "NULL"}` : "DROP DEFAULT";
  return {
    clauses: [`ADD COLUMN ${columnText(filled)}`],
    afterwards: [`ALTER COLUMN ${name} ${settled}`, ...storage],
  };
}

function alterColumn(change: AlterColumn, table: Table, stamps: readonly Column[]): Clauses {
  const { before, after, fill, convert } = change;
  const name = quote(after.name);
  const retyped =
    typeOf(before) !== typeOf(after) || before.collation !== after.collation || convert !== undefined;
  const converted =
    convert === undefined
      ? castText(before, after)
      : `(${renderExpression(convert, NAME, quote)})::${typeOf(after)}`;
  const [had, has] = [defaultOf(before), defaultOf(after)];
  const redefaulted = had !== has;
  const [counted, counts] = [counterOf(before), counterOf(after)];
  const moved = counted?.sequence !== counts?.sequence;
  const [was, is] = [isIdentity(before), isIdentity(after)];
  const collate = after.collation ? ` COLLATE ${quote(textFor(after.collation, NAME) ?? "")}` : "";
  const fills = fill && before.nullable && !after.nullable;
  const value = fills ? `coalesce(${converted}, ${fillText(fill)})` : converted;
  const column = `ALTER COLUMN ${name}`;
  const owner = `ALTER TABLE ${quoteTable(change.table)}`;
  return {
    before: [
      // It keeps the values it was computed to; a column that becomes computed is dropped and made anew instead.
      ...(before.computed && !after.computed ? [`${owner} ${column} DROP EXPRESSION`] : []),
      ...(fills && !retyped
        ? unstamped(
            table,
            stamps,
            `UPDATE ${quoteTable(change.table)} SET ${name} = ${fillText(fill)} WHERE ${name} IS NULL`,
          )
        : []),
      // The type of an identity column must count, so it stops being one first.
      ...(was && !is ? [`${owner} ${column} DROP IDENTITY`] : []),
      ...(moved ? createCounter(after) : []),
    ],
    clauses: [
      // A default of the old type may not fit the new one while it changes.
      ...(had !== undefined && (redefaulted || retyped) ? [`${column} DROP DEFAULT`] : []),
      ...(retyped ? [`${column} TYPE ${typeOf(after)}${collate} USING ${value}`] : []),
      ...(has !== undefined && (redefaulted || retyped) ? [`${column} SET DEFAULT ${has}`] : []),
      ...(before.nullable && !after.nullable ? [`${column} SET NOT NULL`] : []),
      ...(!before.nullable && after.nullable ? [`${column} DROP NOT NULL`] : []),
      ...(was && is && after.identity !== before.identity
        ? [`${column} SET GENERATED ${after.identity === "always" ? "ALWAYS" : "BY DEFAULT"}`]
        : []),
      ...(was && is && !equal(before.options, after.options) ? identityClauses(after) : []),
      ...storageClauses(before, after),
    ],
    afterwards: is && !was ? [`${column} ADD ${identityText(after)}`] : [],
    after: [
      ...(moved ? ownCounter(change.table, after) : []),
      ...(moved && counted ? [`DROP SEQUENCE ${quoteTable(counted.sequence)}`] : []),
      ...(!moved && counts && (retyped || !equal(before.options, after.options))
        ? [
            `ALTER SEQUENCE ${quoteTable(counts.sequence)} ${resetSequence(counts.settings, counts.settings["sequence type"] ?? countedType(after))}`,
          ]
        : []),
      ...((is && !was) || (moved && counts) ? [countOn(change.table, after)] : []),
    ],
  };
}

function identityClauses(column: Column): string[] {
  const words = resetSequence(column.options?.[NAME] ?? {}, undefined).match(
    /NO \w+|\w+ (?:BY |WITH )?-?\d+|CYCLE/g,
  );
  return [`ALTER COLUMN ${quote(column.name)} ${(words ?? []).map(word => `SET ${word}`).join(" ")}`];
}

/** What counts in a table goes on behind the rows that are there. */
export function goOnCounting(table: Table): string[] {
  return table.columns
    .filter(({ identity }) => identity !== undefined)
    .map(column => countOn(addressOf(table), column));
}

/** The counter of a new identity goes on behind the rows that are there. */
function countOn(table: string, column: Column): string {
  const [owner, name] = [literal(quoteTable(table)), literal(column.name)];
  const next = `(SELECT coalesce(max(${quote(column.name)}), 0) + 1 FROM ${quoteTable(table)})`;
  return `SELECT setval(pg_get_serial_sequence(${owner}, ${name}), ${next}, false)`;
}

/** Types that no cast leads between go by way of text. */
function castText(before: Column, after: Column): string {
  const name = quote(after.name);
  const [from, to] = [typeOf(before), typeOf(after)];
  if (/^bytea$/.test(from) !== /^bytea$/.test(to)) {
    return to === "bytea" ? `convert_to(${name}::text, 'UTF8')::${to}` : `encode(${name}, 'escape')::${to}`;
  }
  const textual = /^(?:text|varchar|char)/;
  // A cast that is written down cuts what is too long; the one on the way into a column refuses it.
  if (/^(?:varchar|char)/.test(to)) return textual.test(from) ? name : `${name}::text`;
  const number = /^(?:smallint|integer|bigint|real|double precision|numeric)/;
  const direct = textual.test(from) || textual.test(to) || (number.test(from) && number.test(to));
  return direct ? `${name}::${to}` : `${name}::text::${to}`;
}

function constraintText(kind: Exclude<PartKind, "index">, part: Parts[PartKind]): string {
  const named = `CONSTRAINT ${quote(part.name)} `;
  switch (kind) {
    case "key":
      return `${named}PRIMARY KEY (${list((part as Parts["key"]).columns)})${indexedText(part as Parts["key"])}`;
    case "unique": {
      const unique = part as Parts["unique"];
      const nulls = unique.options?.[NAME]?.["nulls"];
      return `${named}UNIQUE ${nulls ? `NULLS ${nulls.toUpperCase()} ` : ""}(${list(unique.columns)})${indexedText(unique)}`;
    }
    case "check": {
      const { rules, options } = part as Parts["check"];
      const rule = rules[0]!;
      const own = options?.[NAME] ?? {};
      return [
        `${named}CHECK (${rule.kind === "sql" ? renderExpression(rule.sql, NAME, quote) : ""})`,
        own["no inherit"] && "NO INHERIT",
        own["not valid"] && "NOT VALID",
      ]
        .filter(Boolean)
        .join(" ");
    }
    case "foreign key":
      return named + referenceText(part as ForeignKey);
    default:
      return kind satisfies never;
  }
}

/** What stands behind the columns of a key or a unique constraint. */
function indexedText({ include, deferrable, options }: Parts["unique"]): string {
  const settings = options?.[NAME]?.["with"];
  return [
    include && `INCLUDE (${list(include)})`,
    settings && `WITH (${settings})`,
    deferrable && `DEFERRABLE INITIALLY ${deferrable.toUpperCase()}`,
  ]
    .filter(Boolean)
    .map(word => ` ${word as string}`)
    .join("");
}

function referenceText({ columns, references, onDelete, onUpdate, deferrable, options }: ForeignKey): string {
  const own = options?.[NAME] ?? {};
  const set = own["set columns"] ? ` (${own["set columns"]})` : "";
  return [
    `FOREIGN KEY (${list(columns)}) REFERENCES ${quoteTable(references.table)} (${list(references.columns)})`,
    own["match"] && `MATCH ${own["match"].toUpperCase()}`,
    onDelete !== "no action" && `ON DELETE ${onDelete.toUpperCase()}${set}`,
    onUpdate !== "no action" && `ON UPDATE ${onUpdate.toUpperCase()}`,
    deferrable && `DEFERRABLE INITIALLY ${deferrable.toUpperCase()}`,
    own["not valid"] && "NOT VALID",
  ]
    .filter(Boolean)
    .join(" ");
}

function createIndex(table: Table, index: Index): string {
  const parts = index.parts.map(part =>
    [
      "column" in part ? quote(part.column) : `(${renderExpression(part.sql, NAME, quote)})`,
      part.collation && `COLLATE ${quote(textFor(part.collation, NAME) ?? "")}`,
      part.operatorClass,
      part.descending && "DESC",
      part.nulls && `NULLS ${part.nulls.toUpperCase()}`,
    ]
      .filter(Boolean)
      .join(" "),
  );
  const method = index.method === undefined ? "" : ` USING ${index.method}`;
  const where = index.where === undefined ? "" : ` WHERE ${renderExpression(index.where, NAME, quote)}`;
  const unique = index.unique ? "UNIQUE " : "";
  const { nulls, with: settings } = index.options?.[NAME] ?? {};
  const behind = [
    index.include && ` INCLUDE (${list(index.include)})`,
    nulls && ` NULLS ${nulls.toUpperCase()}`,
    settings && ` WITH (${settings})`,
  ];
  const columns = `(${parts.join(", ")})${behind.filter(Boolean).join("")}`;
  return `CREATE ${unique}INDEX ${quote(index.name)} ON ${quoteTable(addressOf(table))}${method} ${columns}${where}`;
}

function notes(table: Table, columns: readonly Column[], self: boolean): string[] {
  const name = quoteTable(addressOf(table));
  const text = (note: string | undefined) => (note === undefined ? "NULL" : literal(note));
  const arriving = columns.length === table.columns.length && self;
  const wanted = arriving ? columns.filter(({ note }) => note !== undefined) : columns;
  return [
    ...(self && (!arriving || table.note !== undefined)
      ? [`COMMENT ON TABLE ${name} IS ${text(table.note)}`]
      : []),
    ...wanted.map(column => `COMMENT ON COLUMN ${name}.${quote(column.name)} IS ${text(column.note)}`),
  ];
}

function createStamp(table: Table, column: Column): string[] {
  const name = stampName(table.name, column.name);
  const stamp = quote(column.name);
  return [
    `CREATE FUNCTION ${quoteBeside(table, name)}() RETURNS trigger LANGUAGE plpgsql AS ${dollarQuoted(
      `\nBEGIN\n  IF NEW.${stamp} IS NOT DISTINCT FROM OLD.${stamp} THEN\n    NEW.${stamp} := now();\n  END IF;\n  RETURN NEW;\nEND\n`,
    )}`,
    `CREATE TRIGGER ${quote(name)} BEFORE UPDATE ON ${quoteTable(addressOf(table))} FOR EACH ROW EXECUTE FUNCTION ${quoteBeside(table, name)}()`,
  ];
}

/** A tag that the text does not hold: a name may be anything. */
function dollarQuoted(text: string): string {
  let tag = "$stamp$";
  while (text.includes(tag)) tag = `$${tag.slice(1, -1)}_$`;
  return `${tag}${text}${tag}`;
}

function list(names: readonly string[]): string {
  return names.map(quote).join(", ");
}

import { columnsOfComputed, columnsOfPart } from "../../change/columns-used.js";
import { isOfDefinition, type AddColumn, type AddPart, type Change } from "../../change/types.js";
import { describeChange, differsBeyondNote, titleOf } from "../../change/words.js";
import { addressOf, parseAddress, tablesByAddress } from "../../schema/address.js";
import { ATTIC } from "../../schema/own.js";
import {
  PART_KINDS,
  partsOf,
  type Check,
  type Column,
  type Default,
  type ForeignKey,
  type Index,
  type Schema,
  type Table,
  type Unique,
} from "../../schema/types.js";
import {
  atticWords,
  becameBlocks,
  changedSinceBlocks,
  emptiedBlocks,
  keepBlocks,
  putAway,
  restoredTo,
  takenOut,
  type AtticSyntax,
  type KeptTable,
  type KeptValues,
} from "../attic.js";
import type { Block, RenderPlan } from "../dialect.js";
import { renderExpression } from "../settle.js";
import { atticTables } from "./catalog.js";
import { textFor } from "../../schema/sql-text.js";
import { defaultSqlText, literal, quote, stampTrigger, stampTriggerName } from "./expressions.js";
import { NAME } from "./types.js";

/**
 * SQLite changes little of a table in place (https://sqlite.org/lang_altertable.html). What it can, it does;
 * the rest is done by building the table anew and moving its rows, all of a table's changes at once.
 *
 * The order: tables go; tables and columns are renamed; tables that stay are altered or built anew; tables arrive.
 * References are not enforced while a migration runs, and checked before it is committed, so a reference may point
 * to a table that arrives later.
 */
export function render(plan: RenderPlan): Block[] {
  const { before, after, changes } = plan;
  const tables = { before: tablesByAddress(before), after: tablesByAddress(after) };
  const drops = changes.filter(change => change.kind === "drop table");
  const adds = changes.filter(change => change.kind === "add table");
  const arriving = new Set(adds.map(change => addressOf(change.table)));
  const leaving = new Set(drops.map(change => addressOf(change.table)));
  const works = worksOf(changes, arriving, leaving).map(work => ({
    ...work,
    was: tables.before.get(work.from)!,
    now: tables.after.get(work.to)!,
    restored: restoredTo(plan, work.to),
    taken: takenNames(tables.before.get(work.from)!, work.to, after),
  }));
  const ways = works.map(work => ({ work, rebuilt: !canStay(work, changes) }));

  return [
    ...keepBlocks(plan, ATTIC_SYNTAX),
    ...changedSinceBlocks(plan, ATTIC_SYNTAX),
    ...ways.flatMap(({ work, rebuilt }) => clearBlocks(work, rebuilt)),
    ...drops.map(change => {
      const kept = putAway(plan, addressOf(change.table));
      return kept
        ? { title: `put table ${addressOf(change.table)} into the attic`, statements: keepTable(kept) }
        : {
            title: describeChange(change),
            statements: [`DROP TABLE ${quoteTable(addressOf(change.table))}`],
          };
    }),
    ...changes.flatMap(change =>
      change.kind === "rename table"
        ? [
            {
              title: describeChange(change),
              statements: [`ALTER TABLE ${quoteTable(change.from)} RENAME TO ${quoteTable(change.to)}`],
            },
          ]
        : [],
    ),
    ...ways.flatMap(({ work, rebuilt }) => (rebuilt ? rebuildBlocks(work) : alterBlocks(work))),
    ...adds.map(change => {
      const address = addressOf(change.table);
      return createBlock(change, tables.after.get(address)!, takenOut(plan, address));
    }),
    ...becameBlocks(plan, ATTIC_SYNTAX),
    ...emptiedBlocks(plan, ATTIC_SYNTAX),
  ];
}

/** Beside the other tables: SQLite has no namespaces. */
function atticPlace(number: string, table: Table, column?: string): string {
  return addressOf({ name: `${ATTIC}${number}_${atticWords(table, column)}` });
}

export const ATTIC_SYNTAX: AtticSyntax = {
  place: atticPlace,
  tables: atticTables,
  table: quoteTable,
  quote,
  typeOf,
  same: (a, b) => `${a} IS ${b}`,
  deleteFrom: table => `DELETE FROM ${table} AS k`,
  updateFrom: ({ table, from, set, where }) =>
    `UPDATE ${table} AS t SET ${set.join(", ")} FROM ${from} AS k WHERE ${where}`,
};

/**
 * A new name costs no pass over the rows. Names of indexes and stamps are free again, and legacy_alter_table keeps
 * views from following the table into the attic.
 */
function keepTable({ table, place }: KeptTable): string[] {
  return [
    ...table.indexes.map(({ name }) => `DROP INDEX ${quote(name)}`),
    ...table.columns
      .filter(({ stamp }) => stamp)
      .map(({ name }) => `DROP TRIGGER ${quote(stampTriggerName(table.name, name))}`),
    REBUILD_START,
    `ALTER TABLE ${quote(table.name)} RENAME TO ${quoteTable(place)}`,
    "PRAGMA legacy_alter_table = OFF",
  ];
}

/** Indexes, and the triggers that keep stamps: SQLite drops them with their table. */
export function attachments({ tables }: Schema): string[] {
  return tables.flatMap(({ name, indexes, columns }) => [
    ...indexes.map(index => index.name),
    ...columns.flatMap(column => (column.stamp ? [stampTriggerName(name, column.name)] : [])),
  ]);
}

/** What the runner does around a script and a person running it by hand must do too. */
export function scriptNotes(blocks: readonly Block[]): string[] {
  const rebuilds = blocks.some(({ statements }) => statements.includes(REBUILD_START));
  return rebuilds
    ? [
        "By hand: in one transaction, after PRAGMA foreign_keys = OFF. Triggers and indexes of your own on a rebuilt table",
        "are put back by `emberset forward` and `emberset back`, not by this script.",
      ]
    : [];
}

const REBUILD_START = "PRAGMA legacy_alter_table = ON";

function quoteTable(address: string): string {
  return quote(parseAddress(address).name);
}

/** What happens to one table that stays. */
interface Work {
  readonly from: string;
  readonly to: string;
  readonly changes: readonly Change[];
  readonly was: Table;
  readonly now: Table;
  /** What it gets back from the attic. */
  readonly restored: readonly KeptValues[];
  /** The names of its indexes and stamps that another table will have: they must be free before that is made. */
  readonly taken: ReadonlySet<string>;
}

/** Names are shared by all tables of the database. */
function takenNames(was: Table, to: string, { tables }: Schema): ReadonlySet<string> {
  const own = new Set(attachments({ tables: [was] }));
  if (own.size === 0) return own;
  const others = attachments({ tables: tables.filter(table => addressOf(table) !== to) });
  return new Set(others.filter(name => own.has(name)));
}

/** The changes by the table that stays; what happens to the parts of tables that come or go is in those tables. */
function worksOf(
  changes: readonly Change[],
  arriving: ReadonlySet<string>,
  leaving: ReadonlySet<string>,
): Pick<Work, "from" | "to" | "changes">[] {
  const renames = changes.filter(change => change.kind === "rename table");
  const ends = new Map<string, string>();
  for (const { from, to } of renames) {
    const start = [...ends].find(([, now]) => now === from)?.[0] ?? from;
    ends.set(start, to);
  }
  const starts = new Map([...ends].map(([from, to]) => [to, from]));
  const works = new Map<string, { from: string; to: string; changes: Change[] }>(
    [...ends].map(([from, to]) => [to, { from, to, changes: [] }]),
  );
  for (const change of changes) {
    if (
      change.kind === "add table" ||
      change.kind === "drop table" ||
      change.kind === "rename table" ||
      isOfDefinition(change)
    )
      continue;
    const early = change.kind === "drop part" || change.kind === "drop column";
    if (early ? leaving.has(change.table) : arriving.has(change.table)) continue;
    const to = early ? (ends.get(change.table) ?? change.table) : change.table;
    const work = works.get(to) ?? { from: starts.get(to) ?? to, to, changes: [] };
    work.changes.push(change);
    works.set(to, work);
  }
  return [...works.values()];
}

/** Whether every change of a table can be made where it stands. */
function canStay({ changes, was, now, restored }: Work, all: readonly Change[]): boolean {
  if (restored.length > 0) return false;
  const added = new Map(
    changes.filter(change => change.kind === "add column").map(change => [change.column.name, change]),
  );
  const dropped = new Set(
    changes.flatMap(change => (change.kind === "drop column" ? [change.column.name] : [])),
  );
  return changes.every(change => {
    switch (change.kind) {
      case "rename column":
        return !dropped.has(change.to);
      case "add column":
        return canAddInPlace(change, now);
      case "drop column":
        return canDropInPlace(change.column.name, was, all);
      case "alter column":
        return (
          change.convert === undefined &&
          !differsBeyondNote(withoutStamp(change.before), withoutStamp(change.after))
        );
      case "add part":
        return change.what === "index" || inlinePart(change, added);
      case "drop part":
      case "alter part":
        return change.what === "index";
      case "rename part":
        return change.what === "index";
      case "alter table":
      case "add table":
      case "drop table":
      case "rename table":
      case "add definition":
      case "drop definition":
      case "alter definition":
        return false;
      default:
        return change satisfies never;
    }
  });
}

function withoutStamp({ stamp: _, ...column }: Column): Column {
  return column;
}

/** The conditions of https://sqlite.org/lang_altertable.html#altertabaddcol */
function canAddInPlace(change: AddColumn, now: Table): boolean {
  const { column, at, fill } = change;
  if (
    at !== undefined ||
    column.identity ||
    column.computed?.stored ||
    now.key?.columns.includes(column.name)
  )
    return false;
  if (now.uniques.some(({ columns }) => columns.includes(column.name))) return false;
  if (column.computed) return true;
  const value = column.default && defaultOf(column);
  const constant = value === undefined || (!value.startsWith("(") && !/^current_/i.test(value));
  const filledByDefault = fill === undefined || fillText(fill) === (value ?? "NULL");
  return constant && filledByDefault && (column.nullable || (value !== undefined && !/^null$/i.test(value)));
}

/** The conditions of https://sqlite.org/lang_altertable.html#altertabdropcol; indexes are dropped before. */
function canDropInPlace(column: string, was: Table, all: readonly Change[]): boolean {
  const used = PART_KINDS.some(
    kind => kind !== "index" && partsOf(was, kind).some(part => columnsOfPart(kind, part).includes(column)),
  );
  const referred = all.some(
    change =>
      change.kind === "drop part" &&
      change.what === "foreign key" &&
      change.value.references.table === addressOf(was) &&
      change.value.references.columns.includes(column),
  );
  return !used && !referred && !was.columns.some(each => columnsOfComputed(each).includes(column));
}

/** Whether a part can be written behind the one column that brings it. */
function inlinePart(change: Change, added: ReadonlyMap<string, AddColumn>): boolean {
  if (change.kind !== "add part" || (change.what !== "check" && change.what !== "foreign key")) return false;
  const columns = columnsOfPart(change.what, change.value);
  const bringer = columns.length === 1 ? added.get(columns[0]!) : undefined;
  if (!bringer) return false;
  // With references enforced, only a column that starts as null may bring one.
  return change.what === "check" || (bringer.column.nullable && bringer.column.default === undefined);
}

/** What must go before tables and columns get their new names: indexes, stamps, and names that are taken over. */
function clearBlocks({ from, changes, was, now, taken }: Work, rebuilt: boolean): Block[] {
  const table = quoteTable(from);
  const blocks: Block[] = [];
  const lost = was.columns.filter(({ stamp }) => stamp);
  const renamed = addressOf(was) !== addressOf(now) || changes.some(({ kind }) => kind === "rename column");
  for (const column of lost) {
    const stays = now.columns.some(({ name, stamp }) => name === column.name && stamp);
    const name = stampTriggerName(was.name, column.name);
    if (!taken.has(name) && (rebuilt || (stays && !renamed))) continue;
    blocks.push({
      title: `drop the stamp of ${from}.${column.name}`,
      statements: [`DROP TRIGGER ${quote(name)}`],
    });
  }
  for (const { name } of was.indexes.filter(index => taken.has(index.name))) {
    blocks.push({ title: `make the name ${name} free`, statements: [`DROP INDEX ${quote(name)}`] });
  }
  for (const change of changes) {
    if (change.kind === "drop part" && change.what === "index" && !rebuilt && !taken.has(change.value.name)) {
      blocks.push({ title: describeChange(change), statements: [`DROP INDEX ${quote(change.value.name)}`] });
    }
    if (change.kind === "drop column" && !rebuilt) {
      const statements = [`ALTER TABLE ${table} DROP COLUMN ${quote(change.column.name)}`];
      blocks.push({ title: describeChange(change), statements });
    }
  }
  const gone = new Set(
    changes.flatMap(change => (change.kind === "drop column" ? [change.column.name] : [])),
  );
  const away = changes.flatMap(change =>
    change.kind === "rename column" && gone.has(change.to) && rebuilt ? [change.to] : [],
  );
  for (const name of away) {
    const statements = [`ALTER TABLE ${table} RENAME COLUMN ${quote(name)} TO ${quote(awayName(name))}`];
    blocks.push({ title: `make the name ${from}.${name} free`, statements });
  }
  return blocks;
}

/** What a column that goes is called while another takes its name. */
function awayName(column: string): string {
  return `emberset_old_${column}`;
}

function renameColumnBlocks({ to, changes }: Work): Block[] {
  return changes.flatMap(change =>
    change.kind === "rename column"
      ? [
          {
            title: describeChange(change),
            statements: [
              `ALTER TABLE ${quoteTable(to)} RENAME COLUMN ${quote(change.from)} TO ${quote(change.to)}`,
            ],
          },
        ]
      : [],
  );
}

function alterBlocks(work: Work): Block[] {
  const { to, changes, was, now, taken } = work;
  const dropIndex = (name: string) => (taken.has(name) ? [] : [`DROP INDEX ${quote(name)}`]);
  const table = quoteTable(to);
  const brought = changes.filter(change => change.kind === "add part").filter(({ what }) => what !== "index");
  const blocks = renameColumnBlocks(work);
  for (const change of changes) {
    if (change.kind === "add column") {
      const { column } = change;
      const parts = brought.filter(part => columnsOfPart(part.what, part.value).includes(column.name));
      blocks.push({
        title: [change, ...parts].map(titleOf).join(" · "),
        statements: [
          [`ALTER TABLE ${table} ADD COLUMN ${columnText(column, now)}`, ...parts.map(inlineText)].join(" "),
        ],
      });
    }
    if (change.kind === "rename part" && change.what === "index") {
      const index = now.indexes.find(({ name }) => name === change.to)!;
      blocks.push({
        title: titleOf(change),
        statements: [...dropIndex(change.from), indexText(now, index)],
      });
    }
    if (change.kind === "alter part" && change.what === "index") {
      const statements = [...dropIndex(change.before.name), indexText(now, change.after)];
      blocks.push({ title: titleOf(change), statements });
    }
    if (change.kind === "add part" && change.what === "index") {
      blocks.push({ title: titleOf(change), statements: [indexText(now, change.value)] });
    }
  }
  const renamed = addressOf(was) !== addressOf(now) || changes.some(({ kind }) => kind === "rename column");
  for (const column of now.columns.filter(({ stamp }) => stamp)) {
    if (!renamed && was.columns.some(({ name, stamp }) => name === column.name && stamp)) continue;
    blocks.push({ title: `keep the stamp ${to}.${column.name}`, statements: [triggerText(now, column)] });
  }
  return blocks;
}

/**
 * The table built anew, its rows moved: https://sqlite.org/lang_altertable.html#otheralter. legacy_alter_table keeps
 * the last rename from reading views that speak of the table, and from touching references to it.
 */
function rebuildBlocks(work: Work): Block[] {
  const { to, changes, now } = work;
  const table = quoteTable(to);
  const scratch: Table = { ...now, name: `emberset_new_${now.name}` };
  const { names, values, joins } = movedColumns(work);
  const done = changes.filter(({ kind }) => kind !== "rename column");
  const hasCounter = (each: Table) => each.columns.some(({ identity }) => identity === "serial");
  const counts = hasCounter(now) && hasCounter(work.was);
  return [
    ...renameColumnBlocks(work),
    {
      title: `rebuild table ${to}`,
      details: done.map(titleOf),
      statements: [
        REBUILD_START,
        tableText(scratch, addressOf(now)),
        `INSERT INTO ${quote(scratch.name)} (${names.join(", ")})\n  SELECT ${values.join(", ")} FROM ${[table, ...joins].join("\n  ")}`,
        ...(counts ? sequenceStatements(now.name, scratch.name) : []),
        `DROP TABLE ${table}`,
        `ALTER TABLE ${quote(scratch.name)} RENAME TO ${table}`,
        "PRAGMA legacy_alter_table = OFF",
        ...now.indexes.map(index => indexText(now, index)),
        ...now.columns.filter(({ stamp }) => stamp).map(column => triggerText(now, column)),
      ],
    },
  ];
}

/** Where the old rows' values come from, column by column; what is left to defaults is not named. */
function movedColumns({ changes, now, restored }: Work): {
  names: string[];
  values: string[];
  joins: string[];
} {
  const names: string[] = [];
  const values: string[] = [];
  const kept = new Map(
    restored.flatMap((each, at) => each.columns.map(({ column }, of) => [column.name, { at, of }])),
  );
  for (const column of now.columns) {
    if (column.computed) continue;
    const added = changes.find(change => change.kind === "add column" && change.column.name === column.name);
    const altered = changes.find(
      change => change.kind === "alter column" && change.after.name === column.name,
    );
    const fill =
      added?.kind === "add column" || altered?.kind === "alter column" ? (added ?? altered) : undefined;
    const filled = fill && "fill" in fill && fill.fill && !column.nullable ? fillText(fill.fill) : undefined;
    const attic = kept.get(column.name);
    if (added && filled === undefined && !attic) continue;
    names.push(quote(column.name));
    const converted =
      altered?.kind === "alter column" && altered.convert !== undefined
        ? renderExpression(altered.convert, NAME, quote)
        : quote(column.name);
    const moved = filled === undefined ? converted : `coalesce(${converted}, ${filled})`;
    const value = added ? (filled ?? ownValue(column)) : moved;
    values.push(
      attic ? `CASE WHEN emberset_found${attic.at} IS NULL THEN ${value} ELSE ${keptName(attic)} END` : value,
    );
  }
  return { names, values, joins: restored.map(atticJoin) };
}

/** What a row gets in a column that arrives and about which nothing is said. */
function ownValue(column: Column): string {
  const value = defaultOf(column);
  return column.identity || value === undefined ? "NULL" : value;
}

/** Brings the rows of the attic beside those of the table, under names that no column has. */
function atticJoin({ key, columns, place }: KeptValues, at: number): string {
  const named = [
    `1 AS emberset_found${at}`,
    ...key.map(({ was }, of) => `${quote(was)} AS emberset_key${at}_${of}`),
    ...columns.map(({ column }, of) => `${quote(column.name)} AS ${keptName({ at, of })}`),
  ];
  const match = key.map(({ was }, of) => `emberset_key${at}_${of} = ${quote(was)}`);
  return `LEFT JOIN (SELECT ${named.join(", ")} FROM ${quoteTable(place)}) ON ${match.join(" AND ")}`;
}

function keptName({ at, of }: { readonly at: number; readonly of: number }): string {
  return `emberset_kept${at}_${of}`;
}

/** The counter of a serial key goes on where it stood, even past rows that are gone: https://sqlite.org/autoinc.html */
function sequenceStatements(table: string, scratch: string): string[] {
  const [from, to] = [literal(table), literal(scratch)];
  return [
    `DELETE FROM sqlite_sequence WHERE name = ${to}`,
    `INSERT INTO sqlite_sequence (name, seq) SELECT ${to}, seq FROM sqlite_sequence WHERE name = ${from}`,
  ];
}

function createBlock(change: Change, table: Table, kept?: KeptTable): Block {
  return {
    title: kept ? `take table ${addressOf(table)} out of the attic` : titleOf(change),
    statements: [
      tableText(table, addressOf(table)),
      ...(kept ? takeRows(kept, table) : []),
      ...table.indexes.map(index => indexText(table, index)),
      ...table.columns.filter(({ stamp }) => stamp).map(column => triggerText(table, column)),
    ],
  };
}

/** Its rows are moved into a table made anew: the one in the attic has no references any more. */
function takeRows({ place }: KeptTable, table: Table): string[] {
  const columns = list(table.columns.filter(({ computed }) => !computed).map(({ name }) => name));
  const { name } = parseAddress(place);
  return [
    `INSERT INTO ${quote(table.name)} (${columns})\n  SELECT ${columns} FROM ${quote(name)}`,
    ...(table.columns.some(({ identity }) => identity === "serial")
      ? sequenceStatements(name, table.name)
      : []),
    `DROP TABLE ${quote(name)}`,
  ];
}

/** `CREATE TABLE`; references to the table itself go by `address`, its name in the end. */
function tableText(table: Table, address: string): string {
  const inline = table.columns.find(column => isInlineKey(column, table));
  const lines = table.columns.map(column =>
    column === inline ? inlineKeyText(column, table) : columnText(column, table),
  );
  if (table.key && !inline) lines.push(`${constraint(table.key.name)}PRIMARY KEY ${keyedText(table.key)}`);
  for (const unique of table.uniques) lines.push(`${constraint(unique.name)}UNIQUE ${keyedText(unique)}`);
  for (const foreignKey of table.foreignKeys) {
    lines.push(
      `${constraint(foreignKey.name)}FOREIGN KEY (${list(foreignKey.columns)}) ${referenceText(foreignKey, address, table)}`,
    );
  }
  for (const check of table.checks) lines.push(`${constraint(check.name)}${checkText(check)}`);
  const options = [
    ...(table.options?.[NAME]?.["without rowid"] ? ["WITHOUT ROWID"] : []),
    ...(table.options?.[NAME]?.["strict"] ? ["STRICT"] : []),
  ].join(", ");
  return `CREATE TABLE ${quote(table.name)} (\n  ${lines.join(",\n  ")}\n)${options && ` ${options}`}`;
}

/** The columns of a key or a unique constraint, each with its own terms, and what happens on a conflict. */
function keyedText({ columns, options }: Unique): string {
  const { terms, "on conflict": conflict } = options?.[NAME] ?? {};
  const own = terms === undefined ? [] : (JSON.parse(terms) as string[]);
  const parts = columns.map((column, at) => [quote(column), own[at]].filter(Boolean).join(" "));
  return `(${parts.join(", ")})${conflictText(conflict)}`;
}

function conflictText(conflict: string | undefined): string {
  return conflict === undefined ? "" : ` ON CONFLICT ${conflict.toUpperCase()}`;
}

/** The rowid, and a descending INTEGER key, which must not become one, are told by where the key is stated. */
function isInlineKey(column: Column, table: Table): boolean {
  if (column.identity) return true;
  const { key } = table;
  const descending = key?.options?.[NAME]?.["terms"] === JSON.stringify(["DESC"]);
  return descending && key.columns[0] === column.name && typeOf(column).toLowerCase() === "integer";
}

function inlineKeyText(column: Column, { key, ...table }: Table): string {
  const { terms, "on conflict": conflict } = key?.options?.[NAME] ?? {};
  const stated = !column.identity || column.options?.[NAME]?.["not null"] !== undefined;
  return [
    columnText({ ...column, nullable: column.nullable || !stated }, table),
    `${named(key?.name).trim()} PRIMARY KEY`.trim(),
    terms === undefined ? "" : (JSON.parse(terms) as string[])[0],
    conflictText(conflict).trim(),
    column.identity === "serial" ? "AUTOINCREMENT" : "",
  ]
    .filter(Boolean)
    .join(" ");
}

function typeOf({ type }: Column): string {
  return type.kind === "native" ? (type.sql[NAME] ?? "") : "";
}

function columnText(column: Column, table: Pick<Table, "options">): string {
  const type = typeOf(column);
  const value = column.default && defaultOf(column);
  const conflict = column.options?.[NAME]?.["not null on conflict"];
  return [
    quote(column.name),
    table.options?.[NAME]?.["types"] === "capitals" ? type.toUpperCase() : type,
    !column.nullable && `NOT NULL${conflictText(conflict)}`,
    value !== undefined && `DEFAULT ${value}`,
    column.collation !== undefined && `COLLATE ${textFor(column.collation, NAME)}`,
    column.computed &&
      `GENERATED ALWAYS AS (${renderExpression(column.computed.sql, NAME, quote)}) ${column.computed.stored ? "STORED" : "VIRTUAL"}`,
  ]
    .filter(Boolean)
    .join(" ");
}

function defaultOf(column: Column): string | undefined {
  return column.default?.kind === "sql" ? renderExpression(column.default.sql, NAME, quote) : undefined;
}

function fillText(fill: Default): string {
  if (fill.kind === "value") return literal(fill.value);
  return fill.kind === "sql" ? defaultSqlText(renderExpression(fill.sql, NAME, quote)) : "NULL";
}

function inlineText(change: AddPart): string {
  const name = constraint(change.value.name);
  if (change.what === "check") return `${name}${checkText(change.value)}`;
  return `${name}${referenceText(change.value as ForeignKey)}`;
}

function referenceText(foreignKey: ForeignKey, address?: string, table?: Table): string {
  const { references, onDelete, onUpdate, deferrable, options } = foreignKey;
  const implied = options?.[NAME]?.["columns"] === "implied";
  const target =
    references.table === address && table ? parseAddress(address).name : parseAddress(references.table).name;
  return [
    `REFERENCES ${quote(target)}${implied ? "" : ` (${list(references.columns)})`}`,
    onDelete !== "no action" && `ON DELETE ${onDelete.toUpperCase()}`,
    onUpdate !== "no action" && `ON UPDATE ${onUpdate.toUpperCase()}`,
    deferrable && `DEFERRABLE INITIALLY ${deferrable.toUpperCase()}`,
  ]
    .filter(Boolean)
    .join(" ");
}

function checkText(check: Check): string {
  const rule = check.rules[0]!;
  return `CHECK (${rule.kind === "sql" ? renderExpression(rule.sql, NAME, quote) : ""})`;
}

function indexText(table: Table, index: Index): string {
  const parts = index.parts.map(part => {
    const what = "column" in part ? quote(part.column) : `(${renderExpression(part.sql, NAME, quote)})`;
    return [
      what,
      part.collation !== undefined && `COLLATE ${textFor(part.collation, NAME)}`,
      part.descending && "DESC",
    ]
      .filter(Boolean)
      .join(" ");
  });
  const where = index.where === undefined ? "" : ` WHERE ${renderExpression(index.where, NAME, quote)}`;
  return `CREATE ${index.unique ? "UNIQUE " : ""}INDEX ${quote(index.name)} ON ${quote(table.name)} (${parts.join(", ")})${where}`;
}

function triggerText(table: Table, column: Column): string {
  return stampTrigger(
    table.name,
    column.name,
    table.key?.columns ?? [],
    table.options?.[NAME]?.["without rowid"] !== undefined,
  );
}

function constraint(name: string): string {
  return name === "" ? "" : `CONSTRAINT ${quote(name)} `;
}

function named(name: string | undefined): string {
  return name ? ` CONSTRAINT ${quote(name)}` : "";
}

function list(names: readonly string[]): string {
  return names.map(quote).join(", ");
}

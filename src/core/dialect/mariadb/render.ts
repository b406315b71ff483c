import { renameInColumn, renameInPart, type NameMap } from "../../change/rename.js";
import { columnsOfPart } from "../../change/columns-used.js";
import { isOfDefinition, type Change } from "../../change/types.js";
import { describeChange, titleOf } from "../../change/words.js";
import { addressOf, quoteAddress, tablesByAddress } from "../../schema/address.js";
import { equal } from "../../schema/canonical.js";
import { cutName } from "../../schema/naming.js";
import { ATTIC } from "../../schema/own.js";
import {
  partsOf,
  type Column,
  type Default,
  type ForeignKey,
  type Index,
  type Options,
  type PartKind,
  type Parts,
  type Schema,
  type SqlText,
  type Table,
} from "../../schema/types.js";
import { startNames } from "../../change/start-names.js";
import {
  atticWords,
  becameBlocks,
  changedSinceBlocks,
  emptiedBlocks,
  keepBlocks,
  matchOf,
  putAway,
  replacedBy,
  restoredTo,
  restoreText,
  takenOut,
  unfilled,
  type AtticSyntax,
  type KeptValues,
} from "../attic.js";
import { placeOf } from "../tokens.js";
import type { Block, RenderPlan } from "../dialect.js";
import { renderExpression } from "../settle.js";
import { atticTables } from "./catalog.js";
import { textFor } from "../../schema/sql-text.js";
import { defaultText, literal, NOW, quote } from "./expressions.js";
import { NAME_LIMIT } from "./settle.js";
import { NAME } from "./types.js";

/**
 * The statements of a plan: https://mariadb.com/kb/en/alter-table/. MariaDB takes all that happens to a table as one
 * ALTER TABLE, and looks only at the result; renames of columns are part of it. Each statement is committed by itself.
 * The order: references go · tables go · tables are renamed · tables are altered · tables arrive · references arrive.
 */
export function render(plan: RenderPlan): Block[] {
  const { before, after, changes } = plan;
  const start = startNames(changes);
  const arriving = new Set(
    changes.flatMap(change => (change.kind === "add table" ? [addressOf(change.table)] : [])),
  );
  const oldTables = tablesByAddress(before);
  const pairs = after.tables.flatMap(now => {
    const was = arriving.has(addressOf(now)) ? undefined : oldTables.get(start.table(addressOf(now)));
    const restored = restoredTo(plan, addressOf(now));
    return was ? [{ was, now, restored, ...namesBetween(now, changes) }] : [];
  });
  const lifted = liftReferences(pairs, before, after, arriving);
  return [
    ...keepBlocks(plan, ATTIC_SYNTAX),
    ...changedSinceBlocks(plan, ATTIC_SYNTAX),
    ...lifted.drops.map(({ address, foreignKey }) => ({
      title: `drop foreign key ${foreignKey.name} on ${address}`,
      statements: [
        alterText(address, [
          `DROP FOREIGN KEY ${quote(foreignKey.name)}`,
          ...ownIndex(oldTables.get(address)!, foreignKey),
        ]),
      ],
    })),
    ...changes.flatMap((change): Block[] => {
      if (change.kind !== "drop table") return [];
      const address = addressOf(change.table);
      const kept = putAway(plan, address);
      return kept
        ? [{ title: `put table ${address} into the attic`, statements: [moveText(address, kept.place)] }]
        : [{ title: describeChange(change), statements: [`DROP TABLE ${quoteTable(address)}`] }];
    }),
    ...changes.flatMap((change): Block[] =>
      change.kind === "rename table"
        ? [
            {
              title: describeChange(change),
              statements: [moveText(change.from, change.to)],
            },
          ]
        : [],
    ),
    ...pairs.flatMap(pair => alterBlock(pair, changes)),
    ...changes.flatMap((change): Block[] => {
      if (change.kind !== "add table") return [];
      const address = addressOf(change.table);
      const kept = takenOut(plan, address);
      if (kept)
        return [
          { title: `take table ${address} out of the attic`, statements: [moveText(kept.place, address)] },
        ];
      const table = after.tables.find(each => addressOf(each) === address)!;
      return [{ title: titleOf(change), statements: [tableText(table)] }];
    }),
    ...lifted.adds.map(({ address, foreignKeys }) => ({
      title: `references of ${address}`,
      statements: [
        alterText(
          address,
          foreignKeys.map(foreignKey => `ADD ${partText("foreign key", foreignKey)}`),
        ),
      ],
    })),
    ...becameBlocks(plan, ATTIC_SYNTAX),
    ...emptiedBlocks(plan, ATTIC_SYNTAX),
  ];
}

/** Beside the other tables, in the same database. */
function atticPlace(number: string, table: Table, column?: string): string {
  return addressOf({ name: cutName(`${ATTIC}${number}_${atticWords(table, column)}`, NAME_LIMIT) });
}

export const ATTIC_SYNTAX: AtticSyntax = {
  place: atticPlace,
  tables: atticTables,
  table: quoteTable,
  quote,
  typeOf,
  same: (a, b) => `${a} <=> ${b}`,
  moves,
  deleteFrom: table => `DELETE k FROM ${table} AS k`,
  updateFrom: ({ table, from, set, where }) =>
    `UPDATE ${table} AS t JOIN ${from} AS k ON ${where} SET ${set.map(each => `t.${each}`).join(", ")}`,
};

/** A new name costs no pass over the rows; indexes, checks and triggers go along. */
function moveText(from: string, to: string): string {
  return `RENAME TABLE ${quoteTable(from)} TO ${quoteTable(to)}`;
}

function moves({ stamp, options }: Column): boolean {
  return stamp === "updated" || options?.[NAME]?.["on update"] !== undefined;
}

/** Moments that the server keeps would say that somebody changed these rows. */
function keptMoments({ columns }: Table, but: readonly string[]): string[] {
  return columns.filter(column => !but.includes(column.name) && moves(column)).map(({ name }) => quote(name));
}

/**
 * A reference that was made without a name got an index called after its column, which the server would replace by one
 * of another name as soon as the reference is made again. Stated by itself, it stays.
 */
function ownIndex({ indexes }: Table, { name, columns }: ForeignKey): string[] {
  const made = indexes.find(
    index =>
      index.name.replace(/_\d+$/, "") === columns[0] &&
      equal(
        index.parts,
        columns.map(column => ({ column })),
      ),
  );
  return made && /_ibfk_\d+$/.test(name) ? [`DROP INDEX ${quote(made.name)}`, `ADD ${indexText(made)}`] : [];
}

/** MariaDB never takes anything along unasked. */
export function attachments(_schema: Schema): string[] {
  return [];
}

export function scriptNotes(blocks: readonly Block[]): string[] {
  return blocks.some(({ statements }) => statements.length > 0)
    ? ["MariaDB commits each statement by itself: one that fails leaves those before it done."]
    : [];
}

interface TablePair {
  readonly was: Table;
  readonly now: Table;
  /** What it gets back from the attic. */
  readonly restored: readonly KeptValues[];
  /** The names things have in the end, by those at the start. */
  readonly names: NameMap;
  /** The name a column had at the start; of one that only arrives, its own. */
  readonly oldName: (column: string) => string;
  /** Whether a column was not there at the start, though another of its name may have been. */
  readonly arrives: (column: string) => boolean;
  /** What old rows get in a column. */
  readonly fillOf: (column: string) => Default | undefined;
  /** How the old values of a column, by its name in the end, become the new ones. */
  readonly conversionOf: (column: string) => SqlText | undefined;
}

function namesBetween(now: Table, changes: readonly Change[]): Omit<TablePair, "was" | "now" | "restored"> {
  const start = startNames(changes);
  const tables = new Map(
    changes.flatMap(change => (change.kind === "rename table" ? [[start.table(change.to), change.to]] : [])),
  );
  const newTable = (address: string) => {
    let to = tables.get(address) ?? address;
    // A rename by way of a spare name ends at the last one.
    for (const change of changes)
      if (change.kind === "rename table" && start.table(change.to) === address) to = change.to;
    return to;
  };
  const columns = new Map<string, string>();
  for (const change of changes) {
    if (change.kind !== "rename column") continue;
    columns.set(JSON.stringify([change.table, start.column(change.table, change.to)]), change.to);
  }
  return {
    names: {
      table: newTable,
      column: (table, column) => columns.get(JSON.stringify([newTable(table), column])) ?? column,
    },
    oldName: column => start.column(addressOf(now), column),
    arrives: column => start.columnArrives(addressOf(now), column),
    fillOf: column => {
      const change = changes.find(
        each =>
          (each.kind === "add column" && each.table === addressOf(now) && each.column.name === column) ||
          (each.kind === "alter column" && each.table === addressOf(now) && each.after.name === column),
      );
      return change && "fill" in change ? change.fill : undefined;
    },
    conversionOf: column =>
      changes.flatMap(change =>
        change.kind === "alter column" && change.table === addressOf(now) && change.after.name === column
          ? [change.convert]
          : [],
      )[0],
  };
}

interface Lifted {
  readonly drops: readonly { readonly address: string; readonly foreignKey: ForeignKey }[];
  readonly adds: readonly { readonly address: string; readonly foreignKeys: readonly ForeignKey[] }[];
}

/** A reference stays only where neither of its tables is altered: it may need an index or a type that changes. */
function liftReferences(
  pairs: readonly TablePair[],
  before: Schema,
  after: Schema,
  arriving: ReadonlySet<string>,
): Lifted {
  const altered = new Set(pairs.filter(isAltered).map(({ now }) => addressOf(now)));
  const byOld = new Map(pairs.map(pair => [addressOf(pair.was), pair]));
  const kept = new Set<string>();
  const drops = before.tables.flatMap(table => {
    const pair = byOld.get(addressOf(table));
    return table.foreignKeys.flatMap(foreignKey => {
      const renamed = pair && renameInPart("foreign key", foreignKey, addressOf(table), pair.names);
      const same = renamed && pair.now.foreignKeys.find(each => equal(each, renamed));
      if (
        same &&
        !altered.has(addressOf(pair.now)) &&
        !altered.has(same.references.table) &&
        !arriving.has(same.references.table)
      ) {
        kept.add(JSON.stringify([addressOf(pair.now), same.name]));
        return [];
      }
      return [{ address: addressOf(table), foreignKey }];
    });
  });
  const adds = after.tables.flatMap(table => {
    const address = addressOf(table);
    const foreignKeys = table.foreignKeys.filter(({ name }) => !kept.has(JSON.stringify([address, name])));
    return foreignKeys.length > 0 ? [{ address, foreignKeys }] : [];
  });
  return { drops, adds };
}

function isAltered(pair: TablePair): boolean {
  const { clauses, between } = alterClauses(pair);
  return between.length > 0 || clauses.some(clause => !clause.startsWith("COMMENT"));
}

function alterBlock(pair: TablePair, changes: readonly Change[]): Block[] {
  const { before, clauses, between, afterwards } = alterClauses(pair);
  const address = addressOf(pair.now);
  const alter = (list: readonly string[]) => (list.length > 0 ? [alterText(address, list)] : []);
  const statements = [...before, ...alter(clauses), ...between, ...alter(afterwards)];
  if (statements.length === 0) return [];
  const from = addressOf(pair.was);
  const about = changes.filter(change => {
    if (
      change.kind === "add table" ||
      change.kind === "drop table" ||
      change.kind === "rename table" ||
      isOfDefinition(change)
    )
      return false;
    if ("what" in change && change.what === "foreign key") return false;
    return change.table === address || change.table === from;
  });
  const titles = about.map(titleOf);
  return titles.length === 1
    ? [{ title: titles[0]!, statements }]
    : [{ title: `alter table ${address}`, details: titles, statements }];
}

/**
 * What one ALTER TABLE does, what must be done to its rows before it, and between it and a second one, and what that
 * does.
 */
function alterClauses({
  was,
  now,
  names,
  oldName,
  arrives,
  fillOf,
  conversionOf,
  restored: kept,
}: TablePair): {
  before: string[];
  clauses: string[];
  between: string[];
  afterwards: string[];
} {
  const address = addressOf(now);
  const [before, clauses, afterwards]: [string[], string[], string[]] = [[], [], []];
  const added: {
    kind: Exclude<PartKind, "foreign key">;
    part: Parts[PartKind];
    columns: readonly string[];
  }[] = [];
  const oldOf = ({ name }: Column) =>
    arrives(name) ? undefined : was.columns.find(each => each.name === oldName(name));
  const back = new Set(kept.flatMap(({ columns }) => columns.map(({ column }) => column.name)));
  const between = kept.map(each =>
    restoreText(each, ATTIC_SYNTAX, [
      ...each.columns.map(({ column: { name } }) => `${quote(name)} = k.${quote(name)}`),
      ...keptMoments(
        now,
        each.columns.map(({ column }) => column.name),
      ).map(name => `${name} = t.${name}`),
    ]),
  );
  if (was === now && kept.length === 0 && !now.columns.some(({ name }) => conversionOf(name) !== undefined))
    return { before, clauses, between, afterwards };
  // What is about columns that get their values in between waits for these.
  const late = new Set([
    ...back,
    ...now.columns.flatMap(column => {
      const old = oldOf(column);
      const filled = old?.nullable && !column.nullable && typeOf(old) !== typeOf(column);
      return filled && fillOf(column.name) ? [column.name] : [];
    }),
  ]);
  /** What has the old values of a column that might not be turned into them: the rest of its values go aside. */
  const replacing = (column: Column): KeptValues | undefined => {
    const old = oldOf(column);
    const convert = conversionOf(column.name);
    if (!old || equal(old.type, column.type)) return undefined;
    return replacedBy(kept, {
      kind: "alter column",
      table: address,
      before: old,
      after: column,
      ...(convert !== undefined && { convert }),
    });
  };
  const ownConversion = (column: Column): string => {
    const old = oldOf(column)!;
    const value = placeOf(column.name);
    return needsText(old, column) ? `CAST(${value} AS char)` : value;
  };
  const remade = new Set(
    now.columns.filter(column => {
      const old = oldOf(column);
      if (old === undefined) return false;
      return (
        conversionOf(column.name) !== undefined ||
        replacing(column) !== undefined ||
        mustBeRemade(renameInColumn(old, addressOf(was), names), column)
      );
    }),
  );
  const remadeNames = new Set([...remade].map(({ name }) => name));
  const lasting = new Set(now.columns.flatMap(column => oldOf(column)?.name ?? []));
  for (const kind of ["check", "index", "unique", "key"] as const) {
    const { drops, adds } = partClauses(kind, { was, now, names }, remadeNames, lasting);
    clauses.push(...drops);
    added.push(...adds.map(part => ({ kind, part, columns: columnsOfPart(kind, part) })));
  }
  const isLate = ({ columns }: { readonly columns: readonly string[] }) =>
    columns.some(name => late.has(name));
  const lateKey = new Set(added.filter(isLate).flatMap(({ columns }) => columns));
  const [oldOptions, options] = [was.options?.[NAME] ?? {}, now.options?.[NAME] ?? {}];
  if (oldOptions["collation"] && !options["collation"]) {
    const text = literal(`${alterText(address, ["COLLATE "])}`);
    before.push(`EXECUTE IMMEDIATE CONCAT(${text}, @@collation_database)`);
  }
  const stated = (table: Table, name: string) => table.checks.find(({ column }) => column === name);
  const survivors = new Set(
    now.columns.flatMap(column => (remade.has(column) ? [] : (oldOf(column)?.name ?? []))),
  );
  clauses.push(
    ...was.columns.filter(({ name }) => !survivors.has(name)).map(({ name }) => `DROP COLUMN ${quote(name)}`),
  );
  for (const [at, column] of now.columns.entries()) {
    const old = remade.has(column) ? undefined : oldOf(column);
    if (!old) {
      const last = now.columns.slice(at).every(each => oldOf(each) === undefined);
      const place = last ? "" : at === 0 ? " FIRST" : ` AFTER ${quote(now.columns[at - 1]!.name)}`;
      const replaced = replacing(column);
      const conversion = conversionOf(column.name) ?? (replaced && ownConversion(column));
      if (conversion !== undefined) {
        const aside: Column = {
          ...unfilled(column),
          name: cutName(`emberset_new_${column.name}`, NAME_LIMIT),
        };
        const converted = renderExpression(conversion, NAME, name => quote(oldName(name)));
        const fill = column.nullable ? undefined : fillOf(column.name);
        const value = fill ? `coalesce(${converted}, ${fillText(fill)})` : converted;
        const moments = keptMoments(was, [oldName(column.name)]).map(moment => `, ${moment} = ${moment}`);
        before.push(
          alterText(address, [`ADD COLUMN ${columnText(aside, withoutChecks(now))}`]),
          `UPDATE ${quoteTable(address)} AS t SET ${quote(aside.name)} = ${value}${moments.join("")}${replaced ? whereNotKept(replaced) : ""}`,
        );
        if (replaced) {
          clauses.push(
            `CHANGE COLUMN ${quote(aside.name)} ${columnText(unfilled(column), withoutChecks(now))}${place}`,
          );
          afterwards.push(`MODIFY COLUMN ${columnText(column, now)}`);
        } else clauses.push(`CHANGE COLUMN ${quote(aside.name)} ${columnText(column, now)}${place}`);
        continue;
      }
      if (back.has(column.name)) {
        clauses.push(`ADD COLUMN ${columnText(unfilled(column), withoutChecks(now))}${place}`);
        afterwards.push(`MODIFY COLUMN ${columnText(column, now)}`);
        continue;
      }
      const fill = column.nullable || column.computed ? undefined : fillOf(column.name);
      const filled: Column = fill ? { ...column, default: { kind: "sql", sql: fillText(fill) } } : column;
      clauses.push(`ADD COLUMN ${columnText(filled, now)}${place}`);
      if (fill) afterwards.push(`MODIFY COLUMN ${columnText(column, now)}`);
      continue;
    }
    const check = stated(was, old.name);
    const same =
      equal(renameInColumn(old, addressOf(was), names), column) &&
      equal(check && renameInPart("check", check, addressOf(was), names), stated(now, column.name));
    if (old.name !== column.name || !same) {
      const fill = old.nullable && !column.nullable ? fillOf(column.name) : undefined;
      // A fill is a value of the column as it is to be.
      const retyped = typeOf(old) !== typeOf(column);
      if (fill) {
        const update = (table: Table, name: string) => {
          const moments = keptMoments(table, [name]).map(moment => `, ${moment} = ${moment}`);
          return `UPDATE ${quoteTable(address)} SET ${quote(name)} = ${fillText(fill)}${moments.join("")} WHERE ${quote(name)} IS NULL`;
        };
        if (retyped) between.push(update(now, column.name));
        else before.push(update(was, old.name));
      }
      if (needsText(old, column))
        before.push(alterText(address, [`MODIFY COLUMN ${columnText(asText(old))}`]));
      const verb = old.name === column.name ? "MODIFY COLUMN" : `CHANGE COLUMN ${quote(old.name)}`;
      const last = `MODIFY COLUMN ${columnText(column, now)}`;
      if (fill && retyped) {
        clauses.push(`${verb} ${columnText(unfilled(column), withoutChecks(now))}`);
        afterwards.push(last);
      } else if (column.identity && lateKey.has(column.name)) {
        // It counts only as part of a key.
        const { identity: _, ...plain } = column;
        clauses.push(`${verb} ${columnText(plain, now)}`);
        afterwards.push(last);
      } else clauses.push(`${verb} ${columnText(column, now)}`);
    }
  }
  for (const part of added)
    (isLate(part) ? afterwards : clauses).push(`ADD ${partText(part.kind, part.part)}`);
  clauses.push(...optionClauses(oldOptions, options));
  if (was.note !== now.note) clauses.push(`COMMENT = ${literal(now.note ?? "")}`);
  return { before, clauses, between, afterwards };
}

/** Of a table called t, as its columns are called before they are renamed, the rows of which the attic has nothing. */
function whereNotKept({ place, key }: KeptValues): string {
  return ` WHERE NOT EXISTS (SELECT 1 FROM ${quoteTable(place)} AS k WHERE ${matchOf(key, quote)})`;
}

function withoutChecks(table: Table): Table {
  return { ...table, checks: [] };
}

/** What differs of a table's engine, character set and settings; a setting that goes gets its usual value. */
function optionClauses(
  was: Readonly<Record<string, string>>,
  now: Readonly<Record<string, string>>,
): string[] {
  const settings = (text = "") => text.split(" ").filter(Boolean);
  const nameOfSetting = (setting: string) => setting.split("=")[0]!;
  const wanted = settings(now["with"]);
  const gone = settings(was["with"])
    .map(nameOfSetting)
    .filter(name => !wanted.some(setting => nameOfSetting(setting) === name));
  return [
    ...(was["engine"] !== now["engine"] ? [`ENGINE = ${now["engine"] ?? "InnoDB"}`] : []),
    ...(now["collation"] && was["collation"] !== now["collation"] ? [`COLLATE = ${now["collation"]}`] : []),
    ...wanted.filter(setting => !settings(was["with"]).includes(setting)),
    ...gone.map(name => `${name} = ${name === "key_block_size" ? "0" : "DEFAULT"}`),
  ];
}

/** A uuid and anything but a text are changed into each other by way of a text. */
function needsText(old: Column, now: Column): boolean {
  const [from, to] = [typeOf(old), typeOf(now)];
  const textual = /text|char/;
  return (
    from !== to &&
    [from, to].includes("uuid") &&
    !textual.test(from) &&
    !textual.test(to) &&
    !old.computed &&
    !now.computed
  );
}

function asText({ name, nullable }: Column): Column {
  return { name, nullable, type: { kind: "native", sql: { [NAME]: "varchar(64)" } } };
}

function typeOf({ type }: Column): string {
  return type.kind === "native" ? (type.sql[NAME] ?? "longtext") : "longtext";
}

/**
 * A column that is only worked out when read cannot be turned into anything else, nor anything else into one:
 * https://mariadb.com/kb/en/generated-columns/. It has no values of its own that could be lost.
 */
function mustBeRemade(old: Column, column: Column): boolean {
  const virtual = ({ computed }: Column) => computed !== undefined && !computed.stored;
  return virtual(old) !== virtual(column) && (old.computed !== undefined || column.computed !== undefined);
}

/** Parts that go and parts that arrive; an index that only gets another name is renamed. */
function partClauses(
  kind: Exclude<PartKind, "foreign key">,
  { was, now, names }: Pick<TablePair, "was" | "now" | "names">,
  remade: ReadonlySet<string>,
  /** The columns that stay, as they were called. */
  lasting: ReadonlySet<string>,
) {
  const left = new Set<Parts[PartKind]>(partsOf(now, kind));
  const drops: string[] = [];
  const renames: string[] = [];
  const ownClause = (part: Parts[PartKind]) => !("column" in part && part.column !== undefined);
  for (const part of left) if (!ownClause(part)) left.delete(part);
  for (const part of partsOf(was, kind).filter(ownClause)) {
    const renamed = renameInPart(kind, part as never, addressOf(was), names) as Parts[PartKind];
    const untouched =
      columnsOfPart(kind, part).every(column => lasting.has(column)) &&
      !columnsOfPart(kind, renamed).some(column => remade.has(column));
    const same = untouched ? [...left].find(each => equal(each, renamed)) : undefined;
    const twin =
      same ??
      (untouched && (kind === "index" || kind === "unique")
        ? [...left].find(each => equal({ ...each, name: part.name }, renamed))
        : undefined);
    if (twin) left.delete(twin);
    if (!twin) drops.push(dropText(kind, part));
    else if (!same) renames.push(`RENAME INDEX ${quote(part.name)} TO ${quote(twin.name)}`);
  }
  return { drops: [...drops, ...renames], adds: [...left] };
}

function dropText(kind: Exclude<PartKind, "foreign key">, part: Parts[PartKind]): string {
  if (kind === "key") return "DROP PRIMARY KEY";
  return kind === "check" ? `DROP CONSTRAINT ${quote(part.name)}` : `DROP INDEX ${quote(part.name)}`;
}

function alterText(address: string, clauses: readonly string[]): string {
  const name = `ALTER TABLE ${quoteTable(address)}`;
  return clauses.length === 1 ? `${name} ${clauses[0]}` : `${name}\n  ${clauses.join(",\n  ")}`;
}

function quoteTable(address: string): string {
  return quoteAddress(address, quote);
}

function tableText(table: Table): string {
  const lines = [
    ...table.columns.map(column => columnText(column, table)),
    ...(["key", "unique", "index", "check"] as const).flatMap(kind =>
      partsOf(table, kind)
        .filter(part => !("column" in part && part.column !== undefined))
        .map(part => partText(kind, part)),
    ),
  ];
  const { engine, collation, with: settings } = table.options?.[NAME] ?? {};
  const behind = [
    engine && `ENGINE = ${engine}`,
    collation && `COLLATE = ${collation}`,
    settings,
    table.note !== undefined && `COMMENT = ${literal(table.note)}`,
  ];
  const text = `CREATE TABLE ${quoteTable(addressOf(table))} (\n  ${lines.join(",\n  ")}\n)`;
  return [text, ...behind].filter(Boolean).join(" ");
}

/** A column that follows its table in how texts are compared says so: an ALTER TABLE may change the table's too. */
function columnText(column: Column, table?: Table): string {
  const own = column.options?.[NAME] ?? {};
  const textual = /^(?:char|varchar|(?:tiny|medium|long)?text|enum|set)\b/.test(typeOf(column));
  const stated = column.collation === undefined ? undefined : textFor(column.collation, NAME);
  const collation = stated ?? (textual ? table?.options?.[NAME]?.["collation"] : undefined);
  const check = table?.checks.find(each => each.column === column.name);
  const rule = check?.rules[0];
  return [
    quote(column.name),
    typeOf(column),
    collation && `COLLATE ${collation}`,
    column.computed
      ? `GENERATED ALWAYS AS (${renderExpression(column.computed.sql, NAME, quote)}) ${column.computed.stored ? "STORED" : "VIRTUAL"}`
      : column.nullable
        ? "NULL"
        : "NOT NULL",
    column.default && `DEFAULT ${defaultOf(column)}`,
    column.identity && "AUTO_INCREMENT",
    own["invisible"] && "INVISIBLE",
    column.stamp === "updated" && `ON UPDATE ${NOW}`,
    own["on update"] && `ON UPDATE ${own["on update"]}`,
    column.note !== undefined && `COMMENT ${literal(column.note)}`,
    rule?.kind === "sql" && `CHECK (${renderExpression(rule.sql, NAME, quote)})`,
  ]
    .filter(Boolean)
    .join(" ");
}

function defaultOf({ default: value }: Column): string {
  return value?.kind === "sql" ? renderExpression(value.sql, NAME, quote) : "NULL";
}

function fillText(fill: Default): string {
  return fill.kind === "sql" ? renderExpression(fill.sql, NAME, quote) : defaultText(fill);
}

function partText(kind: PartKind, part: Parts[PartKind]): string {
  switch (kind) {
    case "key": {
      const { columns, options } = part as Parts["key"];
      const terms = JSON.parse(options?.[NAME]?.["terms"] ?? "[]") as string[];
      return `PRIMARY KEY (${columns.map((column, at) => `${quote(column)}${terms[at] ?? ""}`).join(", ")})`;
    }
    case "unique": {
      const unique = part as Parts["unique"];
      return `CONSTRAINT ${quote(part.name)} UNIQUE (${list(unique.columns)})${indexOptions(unique.options)}`;
    }
    case "index":
      return indexText(part as Index);
    case "check": {
      const rule = (part as Parts["check"]).rules[0]!;
      return `CONSTRAINT ${quote(part.name)} CHECK (${rule.kind === "sql" ? renderExpression(rule.sql, NAME, quote) : ""})`;
    }
    case "foreign key":
      return referenceText(part as ForeignKey);
    default:
      return kind satisfies never;
  }
}

function referenceText({ name, columns, references, onDelete, onUpdate }: ForeignKey): string {
  return [
    `CONSTRAINT ${quote(name)} FOREIGN KEY (${list(columns)})`,
    `REFERENCES ${quoteTable(references.table)} (${list(references.columns)})`,
    `ON DELETE ${onDelete.toUpperCase()}`,
    `ON UPDATE ${onUpdate.toUpperCase()}`,
  ].join(" ");
}

function indexOptions(options: Options | undefined): string {
  const { comment, ignored } = options?.[NAME] ?? {};
  return `${comment === undefined ? "" : ` COMMENT ${literal(comment)}`}${ignored ? " IGNORED" : ""}`;
}

function indexText({ name, parts, unique, method, options }: Index): string {
  const columns = parts.map(part => {
    const column = "column" in part ? quote(part.column) : "";
    return `${column}${part.length === undefined ? "" : `(${part.length})`}${part.descending ? " DESC" : ""}`;
  });
  const kind = unique ? "UNIQUE INDEX" : method === undefined ? "INDEX" : `${method.toUpperCase()} INDEX`;
  return `${kind} ${quote(name)} (${columns.join(", ")})${indexOptions(options)}`;
}

function list(names: readonly string[]): string {
  return names.map(quote).join(", ");
}

import { renameInColumn, renameInPart, type NameMap } from "../../change/rename.js";
import { columnsOfPart } from "../../change/columns-used.js";
import { startNames } from "../../change/start-names.js";
import type { Change } from "../../change/types.js";
import { addressOf } from "../../schema/address.js";
import { equal } from "../../schema/canonical.js";
import { cutName } from "../../schema/naming.js";
import {
  partsOf,
  type Column,
  type Default,
  type PartKind,
  type Parts,
  type SqlText,
  type Table,
} from "../../schema/types.js";
import { replacedBy, restoreText, unfilled, type KeptValues } from "../attic.js";
import { renderExpression } from "../settle.js";
import { placeOf } from "../tokens.js";
import { ATTIC_SYNTAX, keptMoments, whereNotKept } from "./attic.js";
import { literal, quote } from "./expressions.js";
import { NAME_LIMIT } from "./settle.js";
import { alterText, columnText, dropText, fillText, partText, quoteTable, typeOf } from "./text.js";
import { NAME } from "./types.js";

/** A table that stays, as it was and as it is to be, and how one becomes the other. */
export interface TablePair {
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

/** What a list of changes says of the names and values of one table. */
export function namesBetween(
  now: Table,
  changes: readonly Change[],
): Omit<TablePair, "was" | "now" | "restored"> {
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

/** What is done to a table and its rows, in this order. */
interface Alteration {
  readonly before: string[];
  /** Of one ALTER TABLE. */
  readonly clauses: string[];
  readonly between: string[];
  /** Of a second one: what needs the values that its columns got in between. */
  readonly afterwards: string[];
}

/** What an alteration needs; four empty lists where nothing is to be done. */
export function alterationOf(pair: TablePair): Alteration {
  const { was, now, restored, conversionOf } = pair;
  const converted = now.columns.some(({ name }) => conversionOf(name) !== undefined);
  return was === now && restored.length === 0 && !converted
    ? { before: [], clauses: [], between: [], afterwards: [] }
    : new TableAlterer(pair).alter();
}

interface AddedPart {
  readonly kind: Exclude<PartKind, "foreign key">;
  readonly part: Parts[PartKind];
  readonly columns: readonly string[];
}

class TableAlterer {
  private readonly address: string;
  private readonly before: string[] = [];
  private readonly clauses: string[] = [];
  private readonly between: string[];
  private readonly afterwards: string[] = [];
  private readonly added: AddedPart[] = [];
  /** Columns that get values back from the attic. */
  private readonly back: ReadonlySet<string>;
  /** Columns that get their values in between. */
  private readonly late: ReadonlySet<string>;
  /** Columns that are made anew under their name. */
  private readonly remade: ReadonlySet<Column>;

  constructor(private readonly pair: TablePair) {
    const { now, restored, fillOf } = pair;
    this.address = addressOf(now);
    this.back = new Set(restored.flatMap(({ columns }) => columns.map(({ column }) => column.name)));
    this.between = restored.map(each => restoring(each, now));
    const retyped = now.columns.filter(column => {
      const old = this.oldOf(column);
      return old?.nullable && !column.nullable && typeOf(old) !== typeOf(column) && fillOf(column.name);
    });
    this.late = new Set([...this.back, ...retyped.map(({ name }) => name)]);
    this.remade = new Set(now.columns.filter(column => this.isRemade(column)));
  }

  alter(): Alteration {
    const { was, now } = this.pair;
    const { before, clauses, between, afterwards } = this;
    const [oldOptions, options] = [was.options?.[NAME] ?? {}, now.options?.[NAME] ?? {}];
    this.replaceParts();
    if (oldOptions["collation"] && !options["collation"]) {
      const text = literal(`${alterText(this.address, ["COLLATE "])}`);
      before.push(`EXECUTE IMMEDIATE CONCAT(${text}, @@collation_database)`);
    }
    this.dropColumns();
    for (const [at, column] of now.columns.entries()) {
      const old = this.remade.has(column) ? undefined : this.oldOf(column);
      if (old) this.changeColumn(old, column);
      else this.addColumn(column, this.placeAt(at));
    }
    for (const part of this.added)
      (this.isLate(part) ? afterwards : clauses).push(`ADD ${partText(part.kind, part.part)}`);
    clauses.push(...optionClauses(oldOptions, options));
    if (was.note !== now.note) clauses.push(`COMMENT = ${literal(now.note ?? "")}`);
    return { before, clauses, between, afterwards };
  }

  /** The column as it was at the start; undefined for one that arrives. */
  private oldOf({ name }: Column): Column | undefined {
    const { was, oldName, arrives } = this.pair;
    return arrives(name) ? undefined : was.columns.find(each => each.name === oldName(name));
  }

  /** What has the old values of a column that might not be turned into them: the rest of its values go aside. */
  private replacing(column: Column): KeptValues | undefined {
    const old = this.oldOf(column);
    const convert = this.pair.conversionOf(column.name);
    if (!old || equal(old.type, column.type)) return undefined;
    return replacedBy(this.pair.restored, {
      kind: "alter column",
      table: this.address,
      before: old,
      after: column,
      ...(convert !== undefined && { convert }),
    });
  }

  private isRemade(column: Column): boolean {
    const { was, names, conversionOf } = this.pair;
    const old = this.oldOf(column);
    if (old === undefined) return false;
    return (
      conversionOf(column.name) !== undefined ||
      this.replacing(column) !== undefined ||
      mustBeRemade(renameInColumn(old, addressOf(was), names), column)
    );
  }

  /** Keys, constraints and indexes that go, are renamed, or arrive. */
  private replaceParts(): void {
    const remade = new Set([...this.remade].map(({ name }) => name));
    const lasting = new Set(this.pair.now.columns.flatMap(column => this.oldOf(column)?.name ?? []));
    for (const kind of ["check", "index", "unique", "key"] as const) {
      const { drops, adds } = partClauses(kind, this.pair, remade, lasting);
      this.clauses.push(...drops);
      this.added.push(...adds.map(part => ({ kind, part, columns: columnsOfPart(kind, part) })));
    }
  }

  /** Whether a part waits for values. */
  private isLate({ columns }: AddedPart): boolean {
    return columns.some(name => this.late.has(name));
  }

  private dropColumns(): void {
    const { was, now } = this.pair;
    const survivors = new Set(
      now.columns.flatMap(column => (this.remade.has(column) ? [] : (this.oldOf(column)?.name ?? []))),
    );
    const gone = was.columns.filter(({ name }) => !survivors.has(name));
    this.clauses.push(...gone.map(({ name }) => `DROP COLUMN ${quote(name)}`));
  }

  /** Where a column is put that was not there; nothing behind the last of the old ones. */
  private placeAt(at: number): string {
    const { columns } = this.pair.now;
    if (columns.slice(at).every(each => this.oldOf(each) === undefined)) return "";
    return at === 0 ? " FIRST" : ` AFTER ${quote(columns[at - 1]!.name)}`;
  }

  private addColumn(column: Column, place: string): void {
    const { now, conversionOf, fillOf } = this.pair;
    const replaced = this.replacing(column);
    const conversion = conversionOf(column.name) ?? (replaced && this.ownConversion(column));
    if (conversion !== undefined) {
      this.addConverted(column, place, conversion, replaced);
      return;
    }
    if (this.back.has(column.name)) {
      this.clauses.push(`ADD COLUMN ${columnText(unfilled(column), withoutChecks(now))}${place}`);
      this.afterwards.push(`MODIFY COLUMN ${columnText(column, now)}`);
      return;
    }
    const fill = column.nullable || column.computed ? undefined : fillOf(column.name);
    const filled: Column = fill ? { ...column, default: { kind: "sql", sql: fillText(fill) } } : column;
    this.clauses.push(`ADD COLUMN ${columnText(filled, now)}${place}`);
    if (fill) this.afterwards.push(`MODIFY COLUMN ${columnText(column, now)}`);
  }

  private ownConversion(column: Column): string {
    const value = placeOf(column.name);
    return needsText(this.oldOf(column)!, column) ? `CAST(${value} AS char)` : value;
  }

  /** The new values are worked out beside the old ones, and take their name when those go. */
  private addConverted(
    column: Column,
    place: string,
    conversion: SqlText,
    replaced: KeptValues | undefined,
  ): void {
    const { was, now, oldName, fillOf } = this.pair;
    const { address } = this;
    const aside: Column = { ...unfilled(column), name: cutName(`emberset_new_${column.name}`, NAME_LIMIT) };
    const converted = renderExpression(conversion, NAME, name => quote(oldName(name)));
    const fill = column.nullable ? undefined : fillOf(column.name);
    const value = fill ? `coalesce(${converted}, ${fillText(fill)})` : converted;
    this.before.push(
      alterText(address, [`ADD COLUMN ${columnText(aside, withoutChecks(now))}`]),
      `UPDATE ${quoteTable(address)} AS t SET ${quote(aside.name)} = ${value}${momentsStay(was, oldName(column.name))}${replaced ? whereNotKept(replaced) : ""}`,
    );
    const last = columnText(column, now);
    const next = replaced ? columnText(unfilled(column), withoutChecks(now)) : last;
    this.clauses.push(`CHANGE COLUMN ${quote(aside.name)} ${next}${place}`);
    if (replaced) this.afterwards.push(`MODIFY COLUMN ${last}`);
  }

  private changeColumn(old: Column, column: Column): void {
    const { was, now, names, fillOf } = this.pair;
    const stated = (table: Table, name: string) => table.checks.find(each => each.column === name);
    const check = stated(was, old.name);
    const same =
      equal(renameInColumn(old, addressOf(was), names), column) &&
      equal(check && renameInPart("check", check, addressOf(was), names), stated(now, column.name));
    if (old.name === column.name && same) return;
    const fill = old.nullable && !column.nullable ? fillOf(column.name) : undefined;
    // A fill is a value of the column as it is to be.
    const retyped = typeOf(old) !== typeOf(column);
    if (fill && retyped) this.between.push(this.filling(fill, now, column.name));
    else if (fill) this.before.push(this.filling(fill, was, old.name));
    if (needsText(old, column))
      this.before.push(alterText(this.address, [`MODIFY COLUMN ${columnText(asText(old))}`]));
    const verb = old.name === column.name ? "MODIFY COLUMN" : `CHANGE COLUMN ${quote(old.name)}`;
    const last = columnText(column, now);
    const inLateKey = this.added.some(part => this.isLate(part) && part.columns.includes(column.name));
    if (fill && retyped) this.clauses.push(`${verb} ${columnText(unfilled(column), withoutChecks(now))}`);
    else if (column.identity && inLateKey) {
      // It counts only as part of a key.
      const { identity: _, ...plain } = column;
      this.clauses.push(`${verb} ${columnText(plain, now)}`);
    } else {
      this.clauses.push(`${verb} ${last}`);
      return;
    }
    this.afterwards.push(`MODIFY COLUMN ${last}`);
  }

  private filling(fill: Default, table: Table, name: string): string {
    return `UPDATE ${quoteTable(this.address)} SET ${quote(name)} = ${fillText(fill)}${momentsStay(table, name)} WHERE ${quote(name)} IS NULL`;
  }
}

/** The values of the attic, put back. */
function restoring(kept: KeptValues, now: Table): string {
  const names = kept.columns.map(({ column }) => column.name);
  return restoreText(kept, ATTIC_SYNTAX, [
    ...names.map(name => `${quote(name)} = k.${quote(name)}`),
    ...keptMoments(now, names).map(moment => `${moment} = t.${moment}`),
  ]);
}

/** For the end of an UPDATE of a column that is no change of the row. */
function momentsStay(table: Table, but: string): string {
  return keptMoments(table, [but])
    .map(moment => `, ${moment} = ${moment}`)
    .join("");
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

/**
 * A column that is only worked out when read cannot be turned into anything else, nor anything else into one:
 * https://mariadb.com/kb/en/generated-columns/. It has no values of its own that could be lost.
 */
function mustBeRemade(old: Column, column: Column): boolean {
  const virtual = ({ computed }: Column) => computed !== undefined && !computed.stored;
  return virtual(old) !== virtual(column) && (old.computed !== undefined || column.computed !== undefined);
}

function withoutChecks(table: Table): Table {
  return { ...table, checks: [] };
}

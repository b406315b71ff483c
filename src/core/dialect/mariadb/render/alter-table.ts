import { renameInColumn, renameInPart } from "../../../change/rename.js";
import { expressionSql } from "../../../lower/expressions.js";
import { addressOf } from "../../../schema/address.js";
import { equal } from "../../../schema/canonical.js";
import { columnsOfPart } from "../../../schema/lookups.js";
import { cutName } from "../../../schema/naming.js";
import type { Check, Column, Default, PartKind, Parts, SqlText, Table } from "../../../schema/types.js";
import { placeholderOf } from "../../../sql/tokens.js";
import { replacedBy, unfilled } from "../../shared/attic.js";
import type { KeptValues } from "../../shared/kept.js";
import { momentsStaySql, restoreValuesSql, whereNotKeptSql } from "../attic.js";
import { literalSql } from "../expressions.js";
import { refusesNullByCheck } from "../moments.js";
import { NAME_LIMIT, quote, quoteTable } from "../names.js";
import { NAME, typeOf, widens } from "../types.js";
import type { TablePair } from "./table-pair.js";
import { optionsSql, partClauses } from "./clauses.js";
import { alterTableSql, besideSql, columnSql, fillSql, partSql } from "./tables.js";

/** What is done to a table and its rows, in this order. */
interface Alteration {
  readonly before: string[];
  /** Of one ALTER TABLE. */
  readonly clauses: readonly string[];
  readonly between: string[];
  /** Of a second one: what needs the values that its columns got in between. */
  readonly afterwards: readonly string[];
  /** Columns that stand beside others until the first one. */
  readonly aside: ReadonlyMap<string, Column>;
  /** Columns as the first one leaves them, where the second changes them again. */
  readonly interim: ReadonlyMap<string, Column>;
}

/** What an alteration needs; four empty lists where nothing is to be done. */
export function alterationOf(pair: TablePair): Alteration {
  const { was, now, restored, conversionOf } = pair;
  const converted = now.columns.some(({ name }) => conversionOf(name) !== undefined);
  return was === now && restored.length === 0 && !converted
    ? { before: [], clauses: [], between: [], afterwards: [], aside: new Map(), interim: new Map() }
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
  private readonly aside = new Map<string, Column>();
  private readonly interim = new Map<string, Column>();
  private readonly added: AddedPart[] = [];
  /** Clauses with a check that rows were not held against before. */
  private readonly checking = new Set<string>();
  /** Columns that get values back from the attic. */
  private readonly back: ReadonlySet<string>;
  /** Columns that get their values in between. */
  private readonly late: ReadonlySet<string>;
  /** Columns that are made anew under their name. */
  private readonly remade: ReadonlySet<Column>;

  constructor(private readonly pair: TablePair) {
    const { now, restored, fillOf } = pair;
    this.address = addressOf(now);
    this.back = new Set(restored.flatMap(({ columns }) => columns.map(({ name }) => name)));
    this.between = restored.map(each => restoreValuesSql(each, now));
    const retyped = now.columns.filter(column => {
      const old = this.oldOf(column);
      return old?.nullable && !column.nullable && takesValuesLate(old, column) && fillOf(column.name);
    });
    this.late = new Set([...this.back, ...retyped.map(({ name }) => name)]);
    this.remade = new Set(now.columns.filter(column => this.isRemade(column)));
  }

  alter(): Alteration {
    const { was, now } = this.pair;
    const { before, clauses, between, afterwards, aside, interim } = this;
    const [oldOptions, options] = [was.options?.[NAME] ?? {}, now.options?.[NAME] ?? {}];
    this.replaceParts();
    if (oldOptions["collation"] && !options["collation"]) {
      const text = literalSql(`${alterTableSql(this.address, ["COLLATE "])}`);
      before.push(`EXECUTE IMMEDIATE CONCAT(${text}, @@collation_database)`);
    }
    this.dropColumns();
    for (const [at, column] of now.columns.entries()) {
      const old = this.remade.has(column) ? undefined : this.oldOf(column);
      if (old) this.changeColumn(old, column);
      else this.addColumn(column, this.positionAt(at));
    }
    for (const part of this.added)
      (this.isLate(part) ? afterwards : clauses).push(`ADD ${partSql(part.kind, part.part)}`);
    clauses.push(...optionsSql(oldOptions, options));
    if (was.note !== now.note) clauses.push(`COMMENT = ${literalSql(now.note ?? "")}`);
    const verified = { clauses: this.verified(clauses), afterwards: this.verified(afterwards) };
    return { before, between, aside, interim, ...verified };
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
    const change = { kind: "alter column", table: this.address, before: old, after: column } as const;
    return replacedBy(
      this.pair.restored,
      { ...change, ...(convert !== undefined && { convert }) },
      (from, to) => widens(typeOf(from), typeOf(to)),
    );
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
    const staying = new Set(this.pair.now.columns.flatMap(column => this.oldOf(column)?.name ?? []));
    for (const kind of ["check", "index", "unique", "key"] as const) {
      const { drops, adds } = partClauses(kind, this.pair, remade, staying);
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
  private positionAt(at: number): string {
    const { columns } = this.pair.now;
    if (columns.slice(at).every(each => this.oldOf(each) === undefined)) return "";
    const previous = columns[at - 1];
    return previous ? ` AFTER ${quote(previous.name)}` : " FIRST";
  }

  /** A column with the check that stands beside it. */
  private stated(column: Column): string {
    const { now } = this.pair;
    const text = columnSql(column, now);
    const isRemade = [...this.remade].some(({ name }) => name === column.name);
    const old = isRemade ? undefined : this.oldOf(column);
    const isHeld = old && typeOf(old) === typeOf(column) && this.keepsCheck(old, column);
    if (besideSql(column, now) !== undefined && !isHeld) this.checking.add(text);
    return text;
  }

  /** Rows are held against a check beside its column only where the table is copied, as trying it on 10.11 showed. */
  private verified(clauses: readonly string[]): readonly string[] {
    const checks = clauses.some(clause => [...this.checking].some(text => clause.includes(text)));
    return checks ? [...clauses, "ALGORITHM=COPY"] : clauses;
  }

  private addColumn(column: Column, position: string): void {
    const { now, conversionOf, fillOf } = this.pair;
    const replaced = this.replacing(column);
    const conversion = conversionOf(column.name) ?? (replaced && this.ownConversion(column));
    if (conversion !== undefined) {
      this.addConverted(column, position, conversion, replaced);
      return;
    }
    if (this.back.has(column.name)) {
      this.interim.set(column.name, unfilled(column));
      this.clauses.push(`ADD COLUMN ${columnSql(unfilled(column), withoutChecks(now))}${position}`);
      this.afterwards.push(`MODIFY COLUMN ${this.stated(column)}`);
      return;
    }
    const fill = column.nullable || column.computed ? undefined : fillOf(column.name);
    const filled: Column = fill ? { ...column, default: { kind: "sql", sql: fillSql(fill) } } : column;
    this.clauses.push(`ADD COLUMN ${this.stated(filled)}${position}`);
    if (!fill) return;
    this.interim.set(column.name, filled);
    this.afterwards.push(`MODIFY COLUMN ${this.stated(column)}`);
  }

  private ownConversion(column: Column): string {
    const value = placeholderOf(column.name);
    const old = this.oldOf(column);
    return old && needsText(old, column) ? `CAST(${value} AS char)` : value;
  }

  /** The new values are worked out beside the old ones, and take their name when those go. */
  private addConverted(
    column: Column,
    position: string,
    conversion: SqlText,
    replaced: KeptValues | undefined,
  ): void {
    const { was, now, oldName, fillOf } = this.pair;
    const { address } = this;
    const aside: Column = { ...unfilled(column), name: cutName(`emberset_new_${column.name}`, NAME_LIMIT) };
    this.aside.set(aside.name, aside);
    const converted = expressionSql(conversion, NAME, name => quote(oldName(name)));
    const fill = column.nullable ? undefined : fillOf(column.name);
    const value = fill ? `coalesce(${converted}, ${fillSql(fill)})` : converted;
    this.before.push(
      alterTableSql(address, [`ADD COLUMN ${columnSql(aside, withoutChecks(now))}`]),
      `UPDATE ${quoteTable(address)} AS t SET ${quote(aside.name)} = ${value}${momentsStaySql(was, oldName(column.name))}${replaced ? whereNotKeptSql(replaced) : ""}`,
    );
    const last = this.stated(column);
    const next = replaced ? columnSql(unfilled(column), withoutChecks(now)) : last;
    this.clauses.push(`CHANGE COLUMN ${quote(aside.name)} ${next}${position}`);
    if (!replaced) return;
    this.interim.set(column.name, unfilled(column));
    this.afterwards.push(`MODIFY COLUMN ${last}`);
  }

  /**
   * A column that stays: changed at once, if need be filled before; or in two steps, where it is filled between them or
   * may count only once it is in a key. A fill is a value of the column as it is to be.
   */
  private changeColumn(old: Column, column: Column): void {
    if (this.isUnchanged(old, column)) return;
    const { was, fillOf } = this.pair;
    const fill = old.nullable && !column.nullable ? fillOf(column.name) : undefined;
    const isLate = takesValuesLate(old, column);
    if (fill && !isLate) this.before.push(this.filling(fill, was, old.name));
    if (needsText(old, column))
      this.before.push(alterTableSql(this.address, [`MODIFY COLUMN ${columnSql(asText(old))}`]));
    const verb = old.name === column.name ? "MODIFY COLUMN" : `CHANGE COLUMN ${quote(old.name)}`;
    if (fill && isLate) this.fillBetween(verb, column, fill);
    else if (column.identity && this.isInLateKey(column)) this.countAtTheEnd(verb, column);
    else this.clauses.push(`${verb} ${this.stated(column)}`);
  }

  private fillBetween(verb: string, column: Column, fill: Default): void {
    const { now } = this.pair;
    this.between.push(this.filling(fill, now, column.name));
    this.interim.set(column.name, unfilled(column));
    this.changeInTwo(verb, columnSql(unfilled(column), withoutChecks(now)), column);
  }

  private countAtTheEnd(verb: string, column: Column): void {
    const { identity: _, ...plain } = column;
    this.interim.set(column.name, plain);
    this.changeInTwo(verb, this.stated(plain), column);
  }

  private changeInTwo(verb: string, first: string, column: Column): void {
    this.clauses.push(`${verb} ${first}`);
    this.afterwards.push(`MODIFY COLUMN ${this.stated(column)}`);
  }

  private isInLateKey({ name }: Column): boolean {
    return this.added.some(part => this.isLate(part) && part.columns.includes(name));
  }

  private isUnchanged(old: Column, column: Column): boolean {
    const { was, names } = this.pair;
    return (
      old.name === column.name &&
      equal(renameInColumn(old, addressOf(was), names), column) &&
      this.keepsCheck(old, column)
    );
  }

  private keepsCheck(old: Column, column: Column): boolean {
    const { was, now, names } = this.pair;
    const check = checkBeside(was, old);
    return (
      refusesNullByCheck(old, was) === refusesNullByCheck(column, now) &&
      equal(check && renameInPart("check", check, addressOf(was), names), checkBeside(now, column))
    );
  }

  private filling(fill: Default, table: Table, name: string): string {
    // What keeps in the attic which were null gives them their value.
    const value = this.pair.keptByFilling(name) ? "NULL" : fillSql(fill);
    return `UPDATE ${quoteTable(this.address)} SET ${quote(name)} = ${value}${momentsStaySql(table, name)} WHERE ${quote(name)} IS NULL`;
  }
}

/** Whether a column takes values of its new kind, or any at all, only once it is what it is to be. */
function takesValuesLate(old: Column, column: Column): boolean {
  return typeOf(old) !== typeOf(column) || (old.computed !== undefined && !column.computed);
}

function checkBeside({ checks }: Table, { name }: Column): Check | undefined {
  return checks.find(each => each.column === name);
}

/** Types that the server turns into no others but texts, even where there is no row. */
const APART = /^(?:uuid|inet[46]|geometry|(?:multi)?(?:point|linestring|polygon)|geometrycollection)$/;

/** Such a type and anything but a text are changed into each other by way of a text. */
function needsText(old: Column, now: Column): boolean {
  const [from, to] = [typeOf(old), typeOf(now)];
  const textual = /text|char/;
  return (
    from !== to &&
    [from, to].some(type => APART.test(type)) &&
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

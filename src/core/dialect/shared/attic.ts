import type { Replacement } from "../../change/loss.js";
import type { Direction } from "../../direction.js";
import type { AlterColumn } from "../../change/types.js";
import { addressOf, parseAddress } from "../../schema/address.js";
import type { Column, Table } from "../../schema/types.js";
import type { Kept, KeptBesideKey, KeptCounter, KeptTable, KeptValues, KeyPart } from "./kept.js";
import type { Block, RenderPlan } from "./render-plan.js";

/** In the attic, what a value was turned into: one that was changed since is left as it is by going back. */
export const BECAME = "emberset_became";

/** What a dialect says of its syntax for the attic. */
export interface AtticSyntax {
  /** The address in the attic of what a migration, by its number, takes of a table: all, or a column's values. */
  readonly addressFor: (number: string, table: Pick<Table, "name" | "namespace">, column?: string) => string;
  /** A query for the tables of the attic: name, namespace (null: the usual one) and bytes. */
  readonly tables: string;
  /** An address, quoted. */
  readonly table: (address: string) => string;
  readonly quote: (name: string) => string;
  readonly typeOf: (column: Column) => string;
  /** A condition that holds where two values of a column's type are equal to the letter, or both null. */
  readonly same: (a: string, b: string, column: Column) => string;
  /**
   * A condition that holds of a value that does not come back as it was from a column's other type, into which it is put as it
   * is; undefined: any might be one. Absent: of all columns.
   */
  readonly lost?: (before: Column, after: Column, value: string) => string | undefined;
  /** A value of a column, as the column holds it when it is of another type: without a change of what it is worth. */
  readonly turned: (before: Column, after: Column, value: string) => string;
  /** `DELETE FROM` a table that is called k in the rest of the statement. */
  readonly deleteFrom: (table: string) => string;
  /** Sets columns of a table, called t, from those of another, called k. */
  readonly updateFrom: (update: {
    table: string;
    from: string;
    set: readonly string[];
    where: string;
  }) => string;
  /** Whether the server changes a column by itself whenever its row is updated, in a copy of the table too. */
  readonly moves?: (column: Column) => boolean;
  /** A column of a table as it can be kept; absent: as it is. */
  readonly keepable?: (column: Column) => string;
  /** Whether a table that is dropped is copied into the attic rather than moved; absent: never. */
  readonly copies?: (table: Table, plan: RenderPlan) => boolean;
  readonly counters: CounterSyntax;
  readonly numbers: NumberSyntax;
  /** What is kept by triggers while others write, beside nulls that are filled: columns that go, values that others replace. */
  readonly byTrigger?: readonly (Replacement | "columns")[];
}

/** How a dialect gives numbers to rows that nothing tells apart, and tells them by what they hold. */
interface NumberSyntax {
  /**
   * How the number of a row is called in a table, before and after a migration; undefined: its rows can have none.
   * @param replaces whether a column that stays, by its name after, holds other values then
   */
  readonly name: (was: Table, now: Table, replaces: (column: string) => boolean) => string | undefined;
  /** Statements that number the rows of a table, quoted, and such that take the numbers away again. */
  readonly give: (table: string, number: string) => string[];
  readonly take: (table: string, number: string) => string[];
  /** All that a row holds in some columns, as one value: equal where, and only where, all of them are. */
  readonly held: (columns: readonly Column[]) => string;
  /** The type of that value. */
  readonly heldType: string;
}

/** How a dialect keeps where something stands that counts. */
interface CounterSyntax {
  /** Makes a table of the attic with where it stands. */
  readonly keep: (counter: KeptCounter) => string;
  /** Lets it count on where the attic says that it stood, or behind rows that are further. */
  readonly restore: (counter: KeptCounter) => string[];
}

/** What a plan has in the attic while it is run in a direction. */
export function keptWhile({ attic }: RenderPlan, direction: Direction): readonly Kept[] {
  return attic?.direction === direction ? attic.kept : [];
}

function keptTable(plan: RenderPlan, direction: Direction, address: string): KeptTable | undefined {
  return keptWhile(plan, direction).find(
    (kept): kept is KeptTable => kept.kind === "table" && addressOf(kept.table) === address,
  );
}

/** Where a table that is dropped goes instead, by its address. */
export function putAway(plan: RenderPlan, address: string): KeptTable | undefined {
  return keptTable(plan, "forward", address);
}

/** The table that going back takes out of the attic again, by its address. */
export function takenOut(plan: RenderPlan, address: string): KeptTable | undefined {
  return keptTable(plan, "back", address);
}

/** What going back gives its old values, of a table by its address before the migration went forward. */
export function restoredTo(plan: RenderPlan, address: string): KeptBesideKey[] {
  return keptWhile(plan, "back").filter(
    (kept): kept is KeptBesideKey =>
      kept.kind !== "table" && addressOf(kept.table) === address && kept.key.length > 0,
  );
}

/**
 * What has the old values of a column that going back gives another type, where values might not be turned into it:
 * those that the attic has need not be.
 * @param widens of the dialect's own types
 */
export function replacedBy(
  kept: readonly KeptBesideKey[],
  { before, after, convert }: AlterColumn,
  widens: (before: Column, after: Column) => boolean,
): KeptValues | undefined {
  if (before.identity ?? after.identity ?? after.computed) return undefined;
  if (convert === undefined && widens(before, after)) return undefined;
  return kept.find((each): each is KeptValues => each.kind === "values" && holds(each, after.name));
}

function holds({ columns }: KeptBesideKey, column: string): boolean {
  return columns.some(({ name }) => name === column);
}

/** A column before its old values are put into it: nothing is demanded of it, and it counts nothing. */
export function unfilled({ identity: _, ...column }: Column): Column {
  return { ...column, nullable: true };
}

/**
 * The tables, each once, of which values are copied into the attic or out of it: what others write to them meanwhile
 * would be in neither. Called as they are when the script starts.
 */
export function copiedTables(plan: RenderPlan): string[] {
  const kept = plan.attic?.kept ?? [];
  const addresses = kept.flatMap(each => {
    if (each.kind === "table") return plan.attic?.direction === "forward" ? [addressOf(each.table)] : [];
    return [plan.attic?.direction === "forward" ? addressOf(each.table) : each.now];
  });
  return [...new Set(addresses)].sort();
}

/** Before anything is taken away: where what counts stands. */
export function keepCounters({ attic }: RenderPlan, { counters }: Pick<AtticSyntax, "counters">): Block[] {
  if (attic?.direction !== "forward") return [];
  return attic.counters.map(counter => ({
    title: `keep where ${thingThatCounts(counter)} stands in the attic`,
    statements: [counters.keep(counter)],
  }));
}

/** When all is back: what counts goes on where it stood. */
export function restoreCounters(
  { attic }: RenderPlan,
  { counters, table }: Pick<AtticSyntax, "counters" | "table">,
): Block[] {
  if (attic?.direction !== "back") return [];
  return attic.counters.map(counter => ({
    title: `let ${thingThatCounts(counter)} count on where it stood`,
    statements: [...counters.restore(counter), `DROP TABLE ${table(counter.address)}`],
  }));
}

/** `pieces.id`; a sequence by its own name. */
export function thingThatCounts(counter: KeptCounter): string {
  return counter.kind === "sequence"
    ? addressOf(counter.definition)
    : `${addressOf(counter.table)}.${counter.column.name}`;
}

/** Before anything is taken away: copies of the values that will be. */
export function keepBlocks(plan: RenderPlan, syntax: AtticSyntax): Block[] {
  return keptWhile(plan, "forward").flatMap((kept): Block[] =>
    kept.kind === "table"
      ? []
      : [
          {
            ...keepTitle(kept),
            statements: [
              `CREATE TABLE ${syntax.table(kept.address)} AS ${copySql(kept, addressOf(kept.table), syntax)}`,
            ],
          },
        ],
  );
}

/** The same in two steps, for an engine that makes no tables while others are locked: first the tables, empty. */
export function roomBlocks(plan: RenderPlan, syntax: AtticSyntax): Block[] {
  return keptWhile(plan, "forward").flatMap((kept): Block[] =>
    kept.kind === "table"
      ? []
      : [
          {
            title: `make room for ${listOf(kept)} in the attic`,
            statements: [
              `CREATE TABLE ${syntax.table(kept.address)} AS ${copySql({ ...kept, only: false }, kept.now, syntax)} LIMIT 0`,
            ],
          },
        ],
  );
}

/** Then the copies, of tables that have the names they will have. */
export function fillRoomBlocks(plan: RenderPlan, syntax: AtticSyntax): Block[] {
  return keptWhile(plan, "forward").flatMap((kept): Block[] =>
    kept.kind === "table"
      ? []
      : [
          {
            ...keepTitle(kept),
            statements: [`INSERT INTO ${syntax.table(kept.address)} ${copySql(kept, kept.now, syntax)}`],
          },
        ],
  );
}

function keepTitle(kept: KeptBesideKey): Pick<Block, "title" | "details"> {
  return {
    title: `keep ${listOf(kept)} in the attic`,
    ...(kept.key.length === 0 && {
      details: [
        `${addressOf(kept.table)} has no key that stays: going back cannot put the values into their rows`,
      ],
    }),
  };
}

/** What is kept of a table, as a query: of a column that gets other values, only the rows whose value it may be, where that is known. */
export function copySql(
  kept: KeptBesideKey & { readonly only?: boolean },
  from: string,
  syntax: AtticSyntax,
): string {
  const { table, quote, keepable = column => quote(column.name) } = syntax;
  // SQLite calls a number of its own after the key that it is.
  const key = kept.key.map(({ was, number }) => (number ? `${quote(was)} AS ${quote(was)}` : quote(was)));
  const columns = [...key, ...kept.columns.map(keepable)];
  const where = kept.kind === "values" && kept.only !== false ? whereReplaced(kept, syntax) : "";
  return `SELECT ${columns.join(", ")} FROM ${table(from)}${where}`;
}

function whereReplaced({ by, columns: [column], change }: KeptValues, syntax: AtticSyntax): string {
  const value = syntax.quote(column!.name);
  const condition = replacedSql(by, change, value, syntax);
  if (condition === undefined) return "";
  const isFilled = change.fill !== undefined && change.before.nullable && !change.after.nullable;
  const isNull = isFilled && by !== "fill" ? `${value} IS NULL OR ` : "";
  return ` WHERE ${isNull}${condition}`;
}

/** A condition that holds of the values of a column that become others; undefined: any may. */
export function replacedSql(
  by: Replacement,
  { before, after }: AlterColumn,
  value: string,
  { lost }: Pick<AtticSyntax, "lost">,
): string | undefined {
  if (by === "fill") return `${value} IS NULL`;
  return by === "type" ? lost?.(before, after, value) : undefined;
}

/** Values that are kept beside what they were turned into; what is worked out tells itself. */
function turnedValues(plan: RenderPlan, direction: Direction): KeptValues[] {
  return keptWhile(plan, direction).filter(
    (kept): kept is KeptValues => kept.kind === "values" && !kept.change.after.computed,
  );
}

/** When all is done: what values that are kept were turned into. */
export function becameBlocks(plan: RenderPlan, syntax: AtticSyntax): Block[] {
  const { table, quote, typeOf, updateFrom } = syntax;
  return turnedValues(plan, "forward").map(kept => {
    const { address, now, key, change } = kept;
    const { after } = change;
    return {
      title: `keep what ${now}.${after.name} holds from now on`,
      statements: [
        `ALTER TABLE ${table(address)} ADD COLUMN ${quote(BECAME)} ${typeOf(after)}`,
        updateFrom({
          table: table(address),
          from: table(now),
          set: [`${quote(BECAME)} = k.${quote(after.name)}`, ...steadySql(kept, syntax)],
          where: matchSql(key, syntax, "k"),
        }),
      ],
    };
  });
}

/** For an update of what the attic has of a table, called t: what the server would move stays. */
export function steadySql({ columns }: KeptBesideKey, { quote, moves = () => false }: AtticSyntax): string[] {
  return columns.filter(moves).map(({ name }) => `${quote(name)} = t.${quote(name)}`);
}

/**
 * Before going back: values that somebody has changed since are not put back.
 * @param tableOf how the table is called by then
 */
export function changedSinceBlocks(
  plan: RenderPlan,
  syntax: AtticSyntax,
  tableOf: (kept: KeptValues) => string = ({ now }) => now,
): Block[] {
  const { table, quote, same, deleteFrom } = syntax;
  return turnedValues(plan, "back").map(kept => {
    const { address, now, key, change } = kept;
    const { after } = change;
    const unchanged = `${matchSql(key, syntax)} AND ${same(`t.${quote(after.name)}`, `k.${quote(BECAME)}`, after)}`;
    return {
      title: `leave values of ${now}.${after.name} that were changed since as they are`,
      statements: [
        `${deleteFrom(table(address))} WHERE NOT EXISTS (SELECT 1 FROM ${table(tableOf(kept))} AS t WHERE ${unchanged})`,
      ],
    };
  });
}

/** When all is back: the attic lets go of the copies. */
export function emptiedBlocks(plan: RenderPlan, syntax: Pick<AtticSyntax, "table">): Block[] {
  const told = plan.attic?.direction === "back" ? plan.attic.numbered : [];
  const rows = told.map(({ address, table }) => ({
    title: `empty the attic of what told the rows of ${addressOf(table)}`,
    statements: [`DROP TABLE ${syntax.table(address)}`],
  }));
  const { leftOver = [] } = plan.attic ?? {};
  const left = {
    title: "empty the attic of what was not taken away yet",
    statements: leftOver.map(address => `DROP TABLE IF EXISTS ${syntax.table(address)}`),
  };
  const copies = keptWhile(plan, "back").flatMap((kept): Block[] =>
    kept.kind === "table"
      ? []
      : [
          {
            title:
              kept.key.length > 0
                ? `empty the attic of ${listOf(kept)}`
                : `let go of ${listOf(kept)} in the attic: no key tells into which rows they belong`,
            statements: [`DROP TABLE ${syntax.table(kept.address)}`],
          },
        ],
  );
  return [...copies, ...rows, ...(leftOver.length > 0 ? [left] : [])];
}

/** The statement that gives a table, as it is called when all else is done, its values back. */
export function restoreSql(kept: KeptBesideKey, syntax: AtticSyntax, set: readonly string[]): string {
  const { table, updateFrom } = syntax;
  // All is as it was by then.
  const key = kept.key.map(({ was }) => ({ was, now: was }));
  return updateFrom({
    table: table(addressOf(kept.table)),
    from: table(kept.address),
    set,
    where: matchSql(key, syntax),
  });
}

/**
 * That a row of a table is the one a row of the attic was taken from; what the attic has of the key is turned into what the
 * table has, whose index serves then.
 * @param table which of both is called t: the table, unless the other is; the one that is not is called k
 */
export function matchSql(
  key: readonly KeyPart[],
  { quote, turned }: Pick<AtticSyntax, "quote" | "turned">,
  table: "t" | "k" = "t",
): string {
  const attic = table === "t" ? "k" : "t";
  return key
    .map(({ was, now, retyped }) => {
      const kept = `${attic}.${quote(was)}`;
      const turnedInto = retyped ? turned(retyped.before, retyped.after, kept) : kept;
      return `${table}.${quote(now)} = ${turnedInto}`;
    })
    .join(" AND ");
}

/** `pieces.notes, pieces.weight` */
export function listOf({ table, columns }: KeptBesideKey): string {
  return columns.map(({ name }) => `${addressOf(table)}.${name}`).join(", ");
}

/** `shelves`, or `kiln shelves` in a namespace: the words of an address in an attic. */
export function atticWords(table: Pick<Table, "name" | "namespace">, column?: string): string {
  return [table.namespace, table.name, column].filter(Boolean).join("_");
}

function allWhile({ attic }: RenderPlan, direction: Direction): string[] {
  if (attic?.direction !== direction) return [];
  const all = [...attic.kept, ...attic.counters, ...attic.numbered].map(({ address }) => address);
  return [...all, ...(attic.leftOver ?? [])];
}

/** The namespaces that what is kept stands in, each once, while a plan is run in a direction. */
export function atticNamespaces(plan: RenderPlan, direction: Direction): string[] {
  return [...new Set(allWhile(plan, direction).flatMap(address => parseAddress(address).namespace ?? []))];
}

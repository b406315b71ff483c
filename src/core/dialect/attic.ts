import { startNames } from "../change/start-names.js";
import type { AlterColumn, Change } from "../change/types.js";
import { isWidening } from "../change/widening.js";
import { addressOf, parseAddress, tablesByAddress } from "../schema/address.js";
import { equal } from "../schema/canonical.js";
import type { Column, Table } from "../schema/types.js";
import type { Direction } from "../direction.js";
import type { Block, Dialect, RenderPlan } from "./dialect.js";

/**
 * The attic: tables beside the others in which a migration keeps what it takes away, under its number. Going back puts
 * all of it where it was, and lets go of what the attic held.
 */
export interface Attic {
  /** forward: things are put into it; back: taken out. */
  readonly direction: Direction;
  readonly kept: readonly Kept[];
}

/** What one table of the attic holds. Things are called as they were before the migration, unless said otherwise. */
export type Kept = KeptTable | KeptValues;

/** A table that is dropped, with all its rows. */
export interface KeptTable {
  readonly kind: "table";
  readonly table: Table;
  /** The address in the attic. */
  readonly place: string;
}

/** Values of a table that stays, each beside the key of its row. */
export interface KeptValues {
  /** "columns": of columns that are dropped. "values": of a column that loses some of them to a fill or a conversion. */
  readonly kind: "columns" | "values";
  readonly table: Table;
  /** The address of the table after the migration. */
  readonly now: string;
  readonly place: string;
  /** The columns by which rows are found again; none where the table has no key that stays. */
  readonly key: readonly KeyPart[];
  readonly columns: readonly KeptColumn[];
}

/** A column of a key, as it is called before and after the migration. */
export interface KeyPart {
  readonly was: string;
  readonly now: string;
  /** Its values are of another type afterwards. */
  readonly retyped: boolean;
}

export interface KeptColumn {
  readonly column: Column;
  /** What happens to it; undefined: it is dropped, or kept only so that the row can be told. */
  readonly change?: AlterColumn;
}

/** In the attic, what a value was turned into: one that was changed since is left as it is by going back. */
const BECAME = "emberset_became";

/** What a forward plan takes away, and where it is kept. */
export function keptBy({ before, after, changes }: RenderPlan, dialect: Dialect, number: string): Kept[] {
  const start = startNames(changes);
  const oldTables = tablesByAddress(before);
  const taken = new Set<string>();
  const placeOf = (table: Table, column?: string): string => {
    let [place, turn] = [dialect.attic.place(number, table, column), 1];
    while (taken.has(place)) place = dialect.attic.place(number, table, `${column ?? ""}${(turn += 1)}`);
    taken.add(place);
    return place;
  };
  const tables = changes.flatMap((change): Kept[] => {
    if (change.kind !== "drop table") return [];
    const table = oldTables.get(addressOf(change.table)) ?? change.table;
    return [{ kind: "table", table, place: placeOf(table) }];
  });
  const touched = touchedTables(changes);
  const values = after.tables.flatMap((now): Kept[] => {
    const address = addressOf(now);
    const from = start.table(address);
    const table = start.tableArrives(address) ? undefined : oldTables.get(from);
    if (!table || !(touched.has(address) || touched.has(from))) return [];
    const names = new Map(
      now.columns
        .filter(({ name }) => !start.columnArrives(address, name))
        .map(({ name }) => [start.column(address, name), name]),
    );
    const alterations = changes.filter(change => change.kind === "alter column" && change.table === address);
    const key = matchingKey(table, now, names, alterations as AlterColumn[]);
    const gone = table.columns.filter(column => !names.has(column.name) && !column.computed);
    const rest =
      key.length > 0 ? [] : table.columns.filter(column => names.has(column.name) && !column.computed);
    const common = { table, now: address, key };
    return [
      ...(gone.length > 0
        ? [
            {
              ...common,
              kind: "columns",
              place: placeOf(table),
              columns: [...gone, ...rest].map(column => ({ column })),
            } as const,
          ]
        : []),
      ...alterations.filter(isLossy).flatMap((change): Kept[] => {
        const column = table.columns.find(({ name }) => name === start.column(address, change.after.name));
        if (!column || key.length === 0) return [];
        return [
          { ...common, kind: "values", place: placeOf(table, column.name), columns: [{ column, change }] },
        ];
      }),
    ];
  });
  return [...tables, ...values];
}

/** Whether nothing happens to values but that null is filled. */
function isFillOnly({ before, after, convert }: AlterColumn): boolean {
  return convert === undefined && !after.computed && isWidening(before.type, after.type);
}

/** Tables, by their addresses before and after, that lose columns or values. */
function touchedTables(changes: readonly Change[]): Set<string> {
  return new Set(
    changes.flatMap(change =>
      change.kind === "drop column" || isLossy(change) ? [(change as { readonly table: string }).table] : [],
    ),
  );
}

/** Whether something else stands afterwards where a value stood. */
export function isLossy(change: Change): change is AlterColumn {
  if (change.kind !== "alter column") return false;
  const { before, after, fill, convert } = change;
  if (before.computed) return false;
  return (
    after.computed !== undefined ||
    convert !== undefined ||
    !isWidening(before.type, after.type) ||
    (fill !== undefined && before.nullable && !after.nullable)
  );
}

/**
 * Columns that tell rows apart before and after: a key or a unique constraint of either side, whose columns are there
 * on both and are turned into nothing else; best one that keeps its types.
 */
function matchingKey(
  was: Table,
  now: Table,
  names: ReadonlyMap<string, string>,
  alterations: readonly AlterColumn[],
): readonly KeyPart[] {
  const oldNames = new Map([...names].map(([old, name]) => [name, old]));
  const partOf = (name: string): KeyPart | undefined => {
    const before = was.columns.find(each => each.name === name);
    const after = now.columns.find(each => each.name === names.get(name));
    if (!before || !after || before.computed || after.computed) return undefined;
    if (alterations.some(change => change.after.name === after.name && isLossy(change))) return undefined;
    const retyped = !equal([before.type, before.collation], [after.type, after.collation]);
    return { was: before.name, now: after.name, retyped };
  };
  const candidates = [
    ...uniqueLists(was),
    ...uniqueLists(now).map(list => list.map(name => oldNames.get(name) ?? "")),
  ].flatMap(list => {
    const parts = list.map(partOf);
    return list.length > 0 && parts.every(part => part !== undefined) ? [parts] : [];
  });
  return candidates.find(parts => parts.every(({ retyped }) => !retyped)) ?? candidates[0] ?? [];
}

/** The lists of columns that no two rows of a table share. */
function uniqueLists({ key, uniques, columns }: Table): (readonly string[])[] {
  const required = new Set(columns.flatMap(({ name, nullable }) => (nullable ? [] : [name])));
  return [
    ...(key ? [key.columns] : []),
    ...uniques.map(unique => unique.columns).filter(list => list.every(name => required.has(name))),
  ];
}

/** The columns that going back gives their old values, of a table by its address before the migration went forward. */
export function restoredTo({ attic }: RenderPlan, address: string): KeptValues[] {
  if (attic?.direction !== "back") return [];
  return attic.kept.filter(
    (kept): kept is KeptValues =>
      kept.kind !== "table" && addressOf(kept.table) === address && kept.key.length > 0,
  );
}

/**
 * What has the old values of a column that going back gives another type, where values might not be turned into it:
 * those that the attic has need not be.
 */
export function replacedBy(
  kept: readonly KeptValues[],
  { before, after, convert }: AlterColumn,
): KeptValues | undefined {
  if (before.identity ?? after.identity ?? after.computed) return undefined;
  if (convert === undefined && isWidening(before.type, after.type)) return undefined;
  return kept.find(each => each.kind === "values" && each.columns[0]!.column.name === after.name);
}

/** The table that going back takes out of the attic again, by its address. */
export function takenOut({ attic }: RenderPlan, address: string): KeptTable | undefined {
  if (attic?.direction !== "back") return undefined;
  return attic.kept.find(
    (kept): kept is KeptTable => kept.kind === "table" && addressOf(kept.table) === address,
  );
}

/** A column before its old values are put into it: nothing is demanded of it, and it counts nothing. */
export function unfilled({ identity: _, ...column }: Column): Column {
  return { ...column, nullable: true };
}

/** Where a table that is dropped goes instead. */
export function putAway({ attic }: RenderPlan, address: string): KeptTable | undefined {
  if (attic?.direction !== "forward") return undefined;
  return attic.kept.find(
    (kept): kept is KeptTable => kept.kind === "table" && addressOf(kept.table) === address,
  );
}

/** What a dialect says of its syntax for the attic. */
export interface AtticSyntax {
  /** The address in the attic of what a migration, by its number, takes of a table: all, or a column's values. */
  readonly place: (number: string, table: Table, column?: string) => string;
  /** A query for the tables of the attic: name, namespace (null: the usual one) and bytes. */
  readonly tables: string;
  /** An address, quoted. */
  readonly table: (address: string) => string;
  readonly quote: (name: string) => string;
  readonly typeOf: (column: Column) => string;
  /** A condition that holds where both are equal or both null. */
  readonly same: (a: string, b: string) => string;
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
}

/** Before anything is taken away: copies of the values that will be. */
export function keepBlocks({ attic }: RenderPlan, syntax: AtticSyntax): Block[] {
  if (attic?.direction !== "forward") return [];
  const { table, quote, keepable = column => quote(column.name) } = syntax;
  return attic.kept.flatMap((kept): Block[] => {
    if (kept.kind === "table") return [];
    const columns = [
      ...kept.key.map(({ was }) => quote(was)),
      ...kept.columns.map(({ column }) => keepable(column)),
    ];
    const { name, nullable } = kept.columns[0]!.column;
    const change = kept.columns[0]!.change;
    const only = change?.fill && nullable && isFillOnly(change) ? ` WHERE ${quote(name)} IS NULL` : "";
    return [
      {
        title: `keep ${listOf(kept)} in the attic`,
        ...(kept.key.length === 0 && {
          details: [
            `${addressOf(kept.table)} has no key that stays: going back cannot put the values into their rows`,
          ],
        }),
        statements: [
          `CREATE TABLE ${table(kept.place)} AS SELECT ${columns.join(", ")} FROM ${table(addressOf(kept.table))}${only}`,
        ],
      },
    ];
  });
}

/** When all is done: what values that are kept were turned into. */
export function becameBlocks({ attic }: RenderPlan, syntax: AtticSyntax): Block[] {
  if (attic?.direction !== "forward") return [];
  const { table, quote, typeOf, updateFrom, moves = () => false } = syntax;
  return attic.kept.flatMap((kept): Block[] => {
    const change = kept.kind === "values" ? kept.columns[0]!.change : undefined;
    if (kept.kind === "table" || !change || change.after.computed) return [];
    const steady = kept.columns
      .filter(({ column }) => moves(column))
      .map(({ column: { name } }) => `${quote(name)} = t.${quote(name)}`);
    return [
      {
        title: `keep what ${kept.now}.${change.after.name} holds from now on`,
        statements: [
          `ALTER TABLE ${table(kept.place)} ADD COLUMN ${quote(BECAME)} ${typeOf(change.after)}`,
          updateFrom({
            table: table(kept.place),
            from: table(kept.now),
            set: [`${quote(BECAME)} = k.${quote(change.after.name)}`, ...steady],
            where: matchOf(turned(kept.key), quote),
          }),
        ],
      },
    ];
  });
}

/** Before going back: values that somebody has changed since are not put back. */
export function changedSinceBlocks({ attic }: RenderPlan, syntax: AtticSyntax): Block[] {
  if (attic?.direction !== "back") return [];
  const { table, quote, same, deleteFrom } = syntax;
  return attic.kept.flatMap((kept): Block[] => {
    const change = kept.kind === "values" ? kept.columns[0]!.change : undefined;
    if (kept.kind === "table" || !change || change.after.computed) return [];
    const unchanged = `${matchOf(kept.key, quote)} AND ${same(`t.${quote(change.after.name)}`, `k.${quote(BECAME)}`)}`;
    return [
      {
        title: `leave values of ${kept.now}.${change.after.name} that were changed since as they are`,
        statements: [
          `${deleteFrom(table(kept.place))} WHERE NOT EXISTS (SELECT 1 FROM ${table(kept.now)} AS t WHERE ${unchanged})`,
        ],
      },
    ];
  });
}

/** When all is back: the attic lets go of the copies. */
export function emptiedBlocks({ attic }: RenderPlan, syntax: Pick<AtticSyntax, "table">): Block[] {
  if (attic?.direction !== "back") return [];
  return attic.kept.flatMap((kept): Block[] =>
    kept.kind === "table"
      ? []
      : [
          {
            title: `empty the attic of ${listOf(kept)}`,
            statements: [`DROP TABLE ${syntax.table(kept.place)}`],
          },
        ],
  );
}

/** The statement that gives a table, as it is called when all else is done, its values back. */
export function restoreText(kept: KeptValues, syntax: AtticSyntax, set: readonly string[]): string {
  const { table, updateFrom } = syntax;
  // All is as it was by then.
  const key = kept.key.map(({ was }) => ({ was, now: was, retyped: false }));
  return updateFrom({
    table: table(addressOf(kept.table)),
    from: table(kept.place),
    set,
    where: matchOf(key, syntax.quote),
  });
}

/** That a row of a table, called t, is the one a row of the attic, called k, was taken from. */
export function matchOf(key: readonly KeyPart[], quote: (name: string) => string): string {
  const asText = (value: string) => `CAST(${value} AS char(255))`;
  return key
    .map(({ was, now, retyped }) => {
      const [row, kept] = [`t.${quote(now)}`, `k.${quote(was)}`];
      return retyped ? `${asText(row)} = ${asText(kept)}` : `${row} = ${kept}`;
    })
    .join(" AND ");
}

/** The same seen from the attic. */
function turned(key: readonly KeyPart[]): KeyPart[] {
  return key.map(({ was, now, retyped }) => ({ was: now, now: was, retyped }));
}

/** `pieces.notes, pieces.weight` */
function listOf({ table, columns }: KeptValues): string {
  return columns.map(({ column }) => `${addressOf(table)}.${column.name}`).join(", ");
}

/** `shelves`, or `kiln shelves` in a namespace: the words of a place in an attic. */
export function atticWords(table: Pick<Table, "name" | "namespace">, column?: string): string {
  return [table.namespace, table.name, column].filter(Boolean).join("_");
}

/** The namespaces of a PostgreSQL attic, each once. */
export function atticNamespaces({ attic }: RenderPlan, direction: Direction): string[] {
  if (attic?.direction !== direction) return [];
  return [...new Set(attic.kept.flatMap(({ place }) => parseAddress(place).namespace ?? []))];
}

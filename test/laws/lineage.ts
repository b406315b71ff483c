import type { Change } from "../../src/core/change/types.js";
import { addressOf, tablesByAddress } from "../../src/core/schema/address.js";
import type { Schema, Table } from "../../src/core/schema/types.js";

/** A table or a column that is there at the end, with what it was at the start; undefined: it was not there. */
export interface LineOfTable {
  readonly start: string | undefined;
  /** By the names at the end. */
  readonly columns: ReadonlyMap<string, string | undefined>;
}

interface Line {
  start: string | undefined;
  columns: Map<string, string | undefined>;
}

/**
 * What became of every table and column, by their addresses and names at the end: worked out by moving labels about,
 * step by step, as somebody would with slips of paper.
 */
export function lineageOf(a: Schema, changes: readonly Change[]): ReadonlyMap<string, LineOfTable> {
  const tables = new Map<string, Line>(
    a.tables.map(table => [
      addressOf(table),
      { start: addressOf(table), columns: new Map(table.columns.map(({ name }) => [name, name])) },
    ]),
  );
  const move = <T>(map: Map<string, T>, from: string, to: string) => {
    const label = map.get(from);
    if (label === undefined && !map.has(from)) throw new Error(`nothing is called ${from}`);
    if (map.has(to)) throw new Error(`two are called ${to}`);
    map.delete(from);
    map.set(to, label as T);
  };
  const columnsOf = (address: string) =>
    tables.get(address)?.columns ?? new Map<string, string | undefined>();
  for (const change of changes) {
    if (change.kind === "add table") {
      const columns = new Map(change.table.columns.map(({ name }) => [name, undefined]));
      tables.set(addressOf(change.table), { start: undefined, columns });
    }
    if (change.kind === "drop table") tables.delete(addressOf(change.table));
    if (change.kind === "rename table") move(tables, change.from, change.to);
    if (change.kind === "add column") columnsOf(change.table).set(change.column.name, undefined);
    if (change.kind === "drop column") columnsOf(change.table).delete(change.column.name);
    if (change.kind === "rename column") move(columnsOf(change.table), change.from, change.to);
  }
  return tables;
}

/** Whether a change puts other values in a column, or might. */
function replaces(change: Change): boolean {
  if (change.kind !== "alter column") return false;
  const { before, after, convert, fill } = change;
  const isOther = (one: unknown, two: unknown) => JSON.stringify(one) !== JSON.stringify(two);
  return (
    convert !== undefined ||
    fill !== undefined ||
    isOther(before.type, after.type) ||
    isOther(before.computed, after.computed)
  );
}

/**
 * Tables, by their addresses at the start, that stay and lose values while nothing tells their rows: no key, unique
 * constraint or unique index, on either side, of required columns that all stay with the values they have; and that cannot
 * even number them, as where SQLite has no rowid, or where it is a key with other values. What goes of them goes for good.
 */
export function lostForGood(dialect: string, a: Schema, b: Schema, changes: readonly Change[]): Set<string> {
  const [before, after] = [tablesByAddress(a), tablesByAddress(b)];
  const lost = new Set<string>();
  for (const [address, line] of lineageOf(a, changes)) {
    const was = line.start === undefined ? undefined : before.get(line.start);
    const now = after.get(address);
    if (!was || !now) continue;
    const replaced = new Set(
      changes.flatMap(change =>
        change.kind === "alter column" && change.table === address && replaces(change)
          ? [change.after.name]
          : [],
      ),
    );
    const stayed = new Set([...line.columns.values()]);
    const goes = was.columns.some(({ name, computed }) => !computed && !stayed.has(name));
    if (!goes && replaced.size === 0) continue;
    const isTold = (name: string) =>
      line.columns.get(name) !== undefined &&
      !replaced.has(name) &&
      now.columns.some(column => column.name === name && !column.computed);
    const oldNames = new Map(
      [...line.columns].flatMap(([end, start]) => (start === undefined ? [] : [[start, end]])),
    );
    const lists = [
      ...requiredLists(now),
      ...requiredLists(was).map(list => list.map(name => oldNames.get(name) ?? "")),
    ];
    const unnumbered =
      dialect === "sqlite" &&
      ([was, now].some(({ options }) => options?.["sqlite"]?.["without rowid"] !== undefined) ||
        now.columns.some(({ name, identity }) => identity && replaced.has(name)));
    if (unnumbered && !lists.some(list => list.every(isTold))) lost.add(addressOf(was));
  }
  return lost;
}

function requiredLists({ key, uniques, indexes, columns }: Table): string[][] {
  const isRequired = (name: string) => columns.some(column => column.name === name && !column.nullable);
  const whole = indexes.flatMap(({ unique, where, method, parts }) => {
    const names = parts.flatMap(part => ("column" in part && part.length === undefined ? [part.column] : []));
    return unique && !where && !method && names.length === parts.length ? [{ columns: names }] : [];
  });
  return [...(key ? [key] : []), ...uniques, ...whole]
    .filter((part, at) => (key && at === 0) || part.columns.every(isRequired))
    .map(part => [...part.columns]);
}

import { equal } from "../schema/canonical.js";
import { addressOf } from "../schema/address.js";
import { showDataType } from "../schema/data-type.js";
import type { Column, Table } from "../schema/types.js";
import { namesThrough } from "./names.js";
import type { Change } from "./types.js";

/** Something that goes and something that comes, which may be one and the same under another name. */
export interface Likeness {
  readonly what: "table" | "column";
  /** `shelves`; `pieces.weight`, the table by its name afterwards. */
  readonly from: string;
  readonly to: string;
  /** The table of a column, by its address afterwards. */
  readonly table?: string;
  /** From 0, nothing in common, to 1. */
  readonly score: number;
  /** What they have in common, in a few words each. */
  readonly reasons: readonly string[];
}

/** From here on it is worth a question. */
const WORTH_ASKING = 0.55;

/**
 * Tables, and columns of one table, that go while others like them come. Each thing is in one pair at most, the
 * likest pairs first. Nothing is taken for a rename by this alone.
 */
export function likelyRenames(changes: readonly Change[]): Likeness[] {
  const names = namesThrough(changes);
  const gone = changes.flatMap(change => (change.kind === "drop table" ? [change.table] : []));
  const come = changes.flatMap(change => (change.kind === "add table" ? [change.table] : []));
  const dropped = changes.flatMap(change =>
    change.kind === "drop column" ? [{ table: names.after(change.table), column: change.column }] : [],
  );
  const added = changes.flatMap(change => (change.kind === "add column" ? [change] : []));
  return best([
    ...gone.flatMap(from => come.map(to => tableLikeness(from, to))),
    ...dropped.flatMap(({ table, column }) =>
      added.flatMap(change => (change.table === table ? [columnLikeness(table, column, change.column)] : [])),
    ),
  ]);
}

function best(pairs: readonly Likeness[]): Likeness[] {
  const taken = new Set<string>();
  return pairs
    .filter(({ score }) => score >= WORTH_ASKING)
    .sort((a, b) => b.score - a.score)
    .filter(({ what, from, to }) => {
      const ends = [`${what} < ${from}`, `${what} > ${to}`];
      if (ends.some(end => taken.has(end))) return false;
      for (const end of ends) taken.add(end);
      return true;
    });
}

function tableLikeness(from: Table, to: Table): Likeness {
  const isTwin = (column: Column, { columns }: Table) =>
    columns.some(({ name, type }) => name === column.name && equal(type, column.type));
  const same = from.columns.filter(column => isTwin(column, to)).length;
  const rest = to.columns.filter(column => !isTwin(column, from));
  // A column may have been renamed with its table: one of the same type is half a twin.
  const halves = from.columns.filter(column => {
    const at = isTwin(column, to) ? -1 : rest.findIndex(({ type }) => equal(type, column.type));
    if (at >= 0) rest.splice(at, 1);
    return at >= 0;
  }).length;
  const total = Math.max(from.columns.length, to.columns.length);
  const names = nameLikeness(from.name, to.name);
  return {
    what: "table",
    from: addressOf(from),
    to: addressOf(to),
    score: (0.75 * (same + halves / 2)) / Math.max(1, total) + 0.25 * names,
    reasons: [`${same} of ${total} columns are the same`, ...likeNames(names)],
  };
}

function columnLikeness(table: string, from: Column, to: Column): Likeness {
  const names = nameLikeness(from.name, to.name);
  const facts: readonly (readonly [boolean, number, string])[] = [
    [equal(from.type, to.type), 0.5, `both are ${showDataType(to.type)}`],
    [from.nullable === to.nullable, 0.1, to.nullable ? "both may be null" : "both are required"],
    [
      equal([from.default, from.computed, from.stamp], [to.default, to.computed, to.stamp]),
      0.1,
      to.default || to.computed || to.stamp ? "both get their values in the same way" : "",
    ],
  ];
  const held = facts.filter(([holds]) => holds);
  return {
    what: "column",
    table,
    from: `${table}.${from.name}`,
    to: `${table}.${to.name}`,
    score: held.reduce((sum, [, weight]) => sum + weight, 0.3 * names),
    reasons: [...held.map(([, , words]) => words).filter(Boolean), ...likeNames(names)],
  };
}

function likeNames(likeness: number): string[] {
  return likeness >= 0.5 ? ["their names are alike"] : [];
}

/**
 * How many pairs of letters two names share, from 0 to 1 (Dice's coefficient):
 * https://en.wikipedia.org/wiki/Dice-S%C3%B8rensen_coefficient
 */
function nameLikeness(a: string, b: string): number {
  const [left, right] = [pairsIn(a), pairsIn(b)];
  const shared = left.filter(pair => {
    const at = right.indexOf(pair);
    if (at >= 0) right.splice(at, 1);
    return at >= 0;
  }).length;
  return (2 * shared) / Math.max(1, left.length + right.length + shared);
}

function pairsIn(name: string): string[] {
  const letters = [...name.toLowerCase()];
  return letters.slice(1).map((letter, at) => `${letters[at]}${letter}`);
}

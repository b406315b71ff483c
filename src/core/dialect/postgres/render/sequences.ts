import type { AlterColumn, Change } from "../../../change/types.js";
import { spareAddress } from "../../../change/rename.js";
import { addressOf, parseAddress } from "../../../schema/address.js";
import type { Column, Table } from "../../../schema/types.js";
import type { KeptCounter } from "../../shared/kept.js";
import { literalSql } from "../expressions.js";
import { dollarQuoted, quote, quoteBeside, quoteTable, sequenceName } from "../names.js";
import { NAME, typeOf } from "../types.js";

/** Settings of a sequence that are not as usual, by our names for them. */
type Settings = Readonly<Record<string, string>>;

/** A sequence that stands beside its column rather than inside it (PostgreSQL's "serial"). */
interface OwnedSequence {
  readonly sequence: string;
  readonly settings: Settings;
}

/**
 * The sequence that a column counts by and owns, as an integer with a default; undefined where it counts otherwise.
 */
export function ownedSequenceOf(column: Column | undefined): OwnedSequence | undefined {
  const { sequence, ...settings } = column?.options?.[NAME] ?? {};
  return sequence === undefined || !column?.identity ? undefined : { sequence, settings };
}

/** Whether a column counts by itself: an identity. */
export function isGenerated(column: Column): boolean {
  return column.identity !== undefined && !ownedSequenceOf(column);
}

/** A sequence of a column's own is made before the column, and owned by it as soon as it is there. */
export function createSequenceSql(column: Column): string[] {
  const owned = ownedSequenceOf(column);
  if (!owned) return [];
  const type = owned.settings["sequence type"] ?? countedType(column);
  return [
    `CREATE SEQUENCE ${quoteTable(owned.sequence)}${type === undefined ? "" : ` AS ${type}`}${sequenceSql(owned.settings)}`,
  ];
}

/** Ties a sequence to the column it counts for, once both are there. */
export function ownSequenceSql(table: string, column: Column): string[] {
  const owned = ownedSequenceOf(column);
  return owned
    ? [`ALTER SEQUENCE ${quoteTable(owned.sequence)} OWNED BY ${quoteTable(table)}.${quote(column.name)}`]
    : [];
}

/** A sequence whose settings, or whose column's type, have changed. */
export function resetOwnedSql({ sequence, settings }: OwnedSequence, column: Column): string {
  const type = settings["sequence type"] ?? countedType(column);
  return `ALTER SEQUENCE ${quoteTable(sequence)} ${resetSequenceSql(settings, type)}`;
}

/** Whether a column counts by another sequence than before: one goes with its table by itself. */
export function changesSequence({ before, after }: AlterColumn): boolean {
  const [called, to] = [before, after].map(each => {
    const owned = ownedSequenceOf(each);
    return owned && parseAddress(owned.sequence).name;
  });
  return called !== to;
}

/**
 * The same changes where a sequence that goes has a name that one which comes will have, before it is gone: it takes a
 * spare one. What moves it out of the way comes first.
 */
export function withSpareSequences(changes: readonly Change[]): {
  readonly changes: readonly Change[];
  readonly moves: readonly (readonly [from: string, to: string])[];
} {
  const coming = new Set(changes.flatMap(comingSequence));
  const moves: [string, string][] = [];
  const spared = changes.map((change): Change => {
    if (change.kind !== "alter column" || !changesSequence(change)) return change;
    const owned = ownedSequenceOf(change.before);
    if (!owned || !coming.has(owned.sequence)) return change;
    let turn = 1;
    while (coming.has(spareAddress(owned.sequence, turn))) turn += 1;
    const spare = spareAddress(owned.sequence, turn);
    coming.add(spare);
    moves.push([owned.sequence, spare]);
    const { options } = change.before;
    return {
      ...change,
      before: { ...change.before, options: { ...options, [NAME]: { ...options?.[NAME], sequence: spare } } },
    };
  });
  return { changes: spared, moves };
}

function comingSequence(change: Change): string[] {
  if (change.kind === "add definition" && change.definition.kind === "sequence")
    return [addressOf(change.definition)];
  const column =
    change.kind === "add column"
      ? change.column
      : change.kind === "alter column" && changesSequence(change)
        ? change.after
        : undefined;
  return ownedSequenceOf(column)?.sequence === undefined ? [] : [ownedSequenceOf(column)!.sequence];
}

/** The column's own type, where a sequence can have it. */
function countedType(column: Column): string | undefined {
  return ["smallint", "integer", "bigint"].find(type => type === typeOf(column));
}

const SEQUENCE_WORDS = [
  ["increment", "INCREMENT BY"],
  ["minimum", "MINVALUE"],
  ["maximum", "MAXVALUE"],
  ["start", "START WITH"],
  ["cache", "CACHE"],
] as const;

/** Those settings that are not as usual, each with a space before it. */
export function sequenceSql(settings: Settings): string {
  const words = SEQUENCE_WORDS.flatMap(([name, word]) =>
    settings[name] ? [`${word} ${settings[name]}`] : [],
  );
  return [...words, ...(settings["cycle"] ? ["CYCLE"] : [])].map(word => ` ${word}`).join("");
}

/** All of a sequence's settings stated, also those that are as usual again. */
export function resetSequenceSql(settings: Settings, type: string | undefined): string {
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

/** GENERATED … AS IDENTITY with what differs from a plain sequence. */
export function identitySql({ identity, options }: Column): string {
  const { "sequence name": name, ...settings } = options?.[NAME] ?? {};
  const inside = [...(name ? [` SEQUENCE NAME ${quoteTable(name)}`] : []), sequenceSql(settings)]
    .join("")
    .trim();
  return `GENERATED ${identity === "always" ? "ALWAYS" : "BY DEFAULT"} AS IDENTITY${inside && ` (${inside})`}`;
}

/** The clause that states all settings of a column that counts by itself. */
export function resetIdentitySql(column: Column): string {
  const words = resetSequenceSql(column.options?.[NAME] ?? {}, undefined).match(
    /NO \w+|\w+ (?:BY |WITH )?-?\d+|CYCLE/g,
  );
  return `ALTER COLUMN ${quote(column.name)} ${(words ?? []).map(word => `SET ${word}`).join(" ")}`;
}

/** A table's address and one of its columns. */
type Named = readonly [table: string, column: string];

/** The sequence of an identity is called after its column; PostgreSQL leaves it its old name. */
export function renameSequenceSql(
  column: Column,
  beside: Pick<Table, "namespace">,
  old: Named,
  now: Named,
): string[] {
  const options = column.options?.[NAME] ?? {};
  if (!column.identity || options["sequence"] || options["sequence name"]) return [];
  const [from, to] = [old, now].map(([table, name]) => sequenceName(parseAddress(table).name, name));
  if (from === undefined || to === undefined || from === to) return [];
  return [`ALTER SEQUENCE IF EXISTS ${quoteBeside(beside, from)} RENAME TO ${quote(to)}`];
}

/** Where a sequence stands, as a table of the attic; the name of an identity's own is asked of the server. */
export function keepCounterSql(counter: KeptCounter): string {
  const start = `CREATE TABLE ${quoteTable(counter.address)} AS SELECT last_value, is_called FROM`;
  if (counter.kind === "sequence") return `${start} ${quoteTable(addressOf(counter.definition))}`;
  const owned = ownedSequenceOf(counter.column);
  if (owned) return `${start} ${quoteTable(owned.sequence)}`;
  return withSerialSql(addressOf(counter.table), counter.column, start);
}

/** A sequence goes on where the attic says that it stood, or behind rows that are further. */
export function restoreCounterSql({ address, ...counter }: KeptCounter): string[] {
  const kept = `${quoteTable(address)} AS k`;
  if (counter.kind === "sequence") {
    const name = literalSql(quoteTable(addressOf(counter.definition)));
    return [`SELECT setval(${name}, k.last_value, k.is_called) FROM ${kept}`];
  }
  const { table, column } = counter;
  const down = column.options?.[NAME]?.["increment"]?.startsWith("-") ?? false;
  const [most, further, beyond] = down ? ["min", "least", "<="] : ["max", "greatest", ">="];
  const rows = `(SELECT ${most}(${quote(column.name)})::bigint AS last FROM ${quoteTable(addressOf(table))}) AS t`;
  return [
    `SELECT setval(${serialOf(addressOf(table), column)}, ${further}(k.last_value, t.last), k.is_called OR coalesce(t.last ${beyond} k.last_value, false)) FROM ${kept}, ${rows}`,
  ];
}

/** A sequence begins where the one that a column counts by stands. */
export function followSerialSql(sequence: string, table: string, column: Column): string {
  const start = `SELECT setval(${literalSql(quoteTable(sequence))}, last_value, is_called) FROM`;
  return withSerialSql(table, column, start);
}

/** A statement that ends in the name of the sequence that a column counts by. */
function withSerialSql(table: string, column: Column, start: string): string {
  const statement = `EXECUTE ${literalSql(`${start} `)} || ${serialOf(table, column)};`;
  return `DO ${dollarQuoted(` BEGIN ${statement} END `, "count")}`;
}

/** What a column counts by begins where another sequence stands. */
export function serialFollowsSql(table: string, column: Column, sequence: string): string {
  return `SELECT setval(${serialOf(table, column)}, last_value, is_called) FROM ${quoteTable(sequence)}`;
}

function serialOf(table: string, { name }: Column): string {
  return `pg_get_serial_sequence(${literalSql(quoteTable(table))}, ${literalSql(name)})`;
}

/** What counts in a table goes on behind the rows that are there. */
export function goOnCountingSql(table: Table): string[] {
  return table.columns
    .filter(({ identity }) => identity !== undefined)
    .map(column => goOnSql(addressOf(table), column));
}

/** What counts in one column goes on behind the rows that are there. */
export function goOnSql(table: string, column: Column): string {
  const next = `(SELECT coalesce(max(${quote(column.name)}), 0) + 1 FROM ${quoteTable(table)})`;
  return `SELECT setval(${serialOf(table, column)}, ${next}, false)`;
}

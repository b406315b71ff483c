import { addressOf } from "../schema/address.js";
import type { Column, ForeignKey, Rule, Schema, Table } from "../schema/types.js";
import { equal } from "../schema/canonical.js";
import { parseNativeType } from "../sql/native-type.js";
import { nameInPlaceholder, placeholderOf } from "../sql/tokens.js";

/** A made-up value: as SQL's literals write it, bytes as hexadecimal digits; null; or nothing, for the database to fill in. */
export type MadeUp = string | number | boolean | null | { readonly bytes: string } | undefined;

/** Keys of rows that are there, by table: what a reference may hold. */
type KeysOf = (table: string, columns: readonly string[]) => readonly (readonly MadeUp[])[];

interface RowMaker {
  /**
   * The row at a place, from 0: the same each time. Rows differ in every column that can differ.
   * @param sparse whatever may be null is
   * @returns by column; undefined when a value cannot be made up
   */
  readonly row: (at: number, sparse: boolean) => ReadonlyMap<string, MadeUp> | undefined;
}

/** How made-up values are chosen. */
export interface Style {
  /** A value of a column that keeps to rules; undefined: none can be made up. */
  readonly value: (column: Column, rules: readonly Rule[], at: number, table: Table) => MadeUp;
  /** Whether what may be null is, in the row at a place. */
  readonly isAbsent: (name: string, at: number, reference: boolean) => boolean;
  /** Which of so many keys a reference takes that need not differ from those of other rows. */
  readonly choose: (keys: number, at: number) => number;
  /** Whether references that only differ together are chosen, too: a row that was there before is for others to leave out. */
  readonly choosesPairs: boolean;
  /** Whether moments that the database would set itself are made up. */
  readonly stamps: boolean;
}

/** The plainest: each value by its row's place. Few rows hold every column both with a value and without. */
const PLAIN: Style = {
  value: makeValue,
  isAbsent: (name, at, reference) => (reference ? at % 4 === 3 : (at + name.length) % 3 === 1),
  choose: (keys, at) => at % keys,
  choosesPairs: false,
  stamps: false,
};

/**
 * Makes up rows that keep to a table's types and rules as far as those are data. SQL of the developer's own is not
 * understood: the database has the last word on a row.
 * @param rules further rules, by column, that the values keep to as well
 */
export function rowMaker(
  table: Table,
  rules: ReadonlyMap<string, readonly Rule[]>,
  keysOf: KeysOf,
  style: Style = PLAIN,
): RowMaker {
  const rulesOf = rulesByColumn(table, rules);
  const ofColumn = ({ name }: Column) => rulesOf.get(name)!;
  const needed = new Set(
    table.columns.filter(({ name }) => mustBeThere(name, rules.get(name) ?? [])).map(({ name }) => name),
  );
  const byName = new Map(table.columns.map(column => [column.name, column]));
  const all = table.checks.flatMap(check => check.rules);
  const arcs = all.filter(rule => rule.kind === "one of");
  const together = all.filter(rule => rule.kind === "together");
  const unique = [...(table.key ? [table.key] : []), ...table.uniques];
  const compared = all.flatMap(comparisonIn);
  /** Another value for the second column, until the two stand to each other as they must. */
  const settle = ({ left, right, holds }: Comparison, values: Map<string, MadeUp>, at: number) => {
    const column = table.columns.find(({ name }) => name === right);
    const isReference = table.foreignKeys.some(({ columns }) => columns.includes(right));
    const value = values.get(left);
    if (!column || isReference || value === null || value === undefined || !values.get(right)) return;
    for (const step of STEPS) {
      if (holds(value, values.get(right))) return;
      const other = at + step < 0 ? undefined : style.value(column, ofColumn(column), at + step, table);
      if (other !== undefined) values.set(right, other);
    }
  };
  return {
    row: (at, sparse) => {
      const values = new Map<string, MadeUp>();
      for (const foreignKey of table.foreignKeys) {
        const columns = foreignKey.columns.map(name => byName.get(name));
        if (columns.some(column => column?.computed)) continue;
        const picked = pickKey(foreignKey, table, unique, keysOf, at, style);
        const nullable = columns.every(column => column?.nullable);
        if (!picked && !nullable) return undefined;
        const absent = !picked || (nullable && (sparse || style.isAbsent(foreignKey.columns[0]!, at, true)));
        for (const [index, name] of foreignKey.columns.entries())
          values.set(name, absent ? null : picked[index]);
      }
      for (const column of table.columns) {
        if (values.has(column.name) || column.computed || column.identity) continue;
        if (column.stamp && !style.stamps) continue;
        const isFree = column.nullable && !needed.has(column.name);
        if (isFree && (sparse || style.isAbsent(column.name, at, false))) values.set(column.name, null);
        else {
          const value = style.value(column, ofColumn(column), at, table);
          if (value === undefined && !column.default && !column.nullable) return undefined;
          if (value !== undefined) values.set(column.name, value);
        }
      }
      for (const { columns } of arcs) {
        const chosen = columns.filter(name => keysExist(name, table, keysOf));
        const one = chosen[at % Math.max(1, chosen.length)];
        for (const foreignKey of table.foreignKeys.filter(each => columns.includes(each.columns[0]!)))
          for (const [index, name] of foreignKey.columns.entries())
            values.set(
              name,
              foreignKey.columns[0] === one
                ? pickKey(foreignKey, table, unique, keysOf, at, style)?.[index]
                : null,
            );
      }
      for (const comparison of compared) settle(comparison, values, at);
      for (const { columns } of together)
        if (columns.some(name => values.get(name) === null))
          for (const name of columns) values.set(name, null);
      return values;
    },
  };
}

function rulesByColumn(
  { columns, checks }: Table,
  rules: ReadonlyMap<string, readonly Rule[]>,
): ReadonlyMap<string, readonly Rule[]> {
  const stated = checks.flatMap(check => check.rules);
  return new Map(
    columns.map(({ name }) => [
      name,
      [...stated.filter(rule => "column" in rule && rule.column === name), ...(rules.get(name) ?? [])],
    ]),
  );
}

/** A check that compares two columns of a row. */
interface Comparison {
  readonly left: string;
  readonly right: string;
  readonly holds: (left: MadeUp, right: MadeUp) => boolean;
}

/** How far from a row's own place a value is looked for that stands otherwise to another. */
const STEPS = [1, 2, 5, 20, 100, -1, -2, -5, -20, -100];

/** `{ends} > {starts}`, in parentheses or not; nothing in what says more. */
function comparisonIn(rule: Rule): Comparison[] {
  if (rule.kind !== "sql") return [];
  const text = typeof rule.sql === "string" ? rule.sql : (Object.values(rule.sql)[0] ?? "");
  const found = /^\(*(\{(?:[^{}]|\{\{|\}\})+\})\s*(<>|!=|<=?|>=?|=)\s*(\{(?:[^{}]|\{\{|\}\})+\})\)*$/.exec(
    text.trim(),
  );
  const [, left, operator, right] = found ?? [];
  const holds = operator === undefined ? undefined : COMPARE[operator];
  return left && right && holds
    ? [
        {
          left: nameInPlaceholder(left),
          right: nameInPlaceholder(right),
          holds: (a, b) => holds(order(a, b)),
        },
      ]
    : [];
}

const COMPARE: Readonly<Record<string, (order: number) => boolean>> = {
  "<": order => order < 0,
  "<=": order => order <= 0,
  ">": order => order > 0,
  ">=": order => order >= 0,
  "=": order => order === 0,
  "<>": order => order !== 0,
  "!=": order => order !== 0,
};

/** Texts by their letters, as days and moments are compared; all else as numbers. */
function order(a: MadeUp, b: MadeUp): number {
  if (typeof a === "string" && typeof b === "string") return a < b ? -1 : a > b ? 1 : 0;
  return Number(a) - Number(b);
}

/** The rule that a column may not be null. */
export function thereRule(name: string): Rule {
  return { kind: "sql", sql: `${placeholderOf(name)} IS NOT NULL` };
}

function mustBeThere(name: string, rules: readonly Rule[]): boolean {
  return rules.some(rule => equal(rule, thereRule(name)));
}

function keysExist(name: string, table: Table, keysOf: KeysOf): boolean {
  const foreignKey = table.foreignKeys.find(each => each.columns[0] === name);
  return (
    foreignKey !== undefined && keysOf(foreignKey.references.table, foreignKey.references.columns).length > 0
  );
}

/** References of one row walk through the keys at different speeds, so that pairs differ as long as they can. */
function pickKey(
  { columns, references }: ForeignKey,
  table: Table,
  unique: readonly { readonly columns: readonly string[] }[],
  keysOf: KeysOf,
  at: number,
  style: Style,
): readonly MadeUp[] | undefined {
  const keys = keysOf(references.table, references.columns);
  if (keys.length === 0) return undefined;
  const others = table.foreignKeys.filter(each =>
    unique.some(part => part.columns.includes(each.columns[0]!) && part.columns.includes(columns[0]!)),
  );
  const isChosen =
    (others.length <= 1 || style.choosesPairs) &&
    !unique.some(part => part.columns.every(name => columns.includes(name)));
  if (isChosen) return keys[style.choose(keys.length, at)];
  let turn = at;
  for (const other of others) {
    if (other.columns === columns) break;
    turn = Math.floor(turn / Math.max(1, keysOf(other.references.table, other.references.columns).length));
  }
  return keys[turn % keys.length];
}

/** Texts that are values of a column, each other than the rest where they can be: what another type can be made of. */
export function textsFor(column: Column, rules: readonly Rule[], count: number): string[] {
  const values = Array.from({ length: count }, (_, at) => makeValue(column, rules, at));
  return [
    ...new Set(values.flatMap(value => (value === null || typeof value === "object" ? [] : [String(value)]))),
  ];
}

/** A value by its row's place, which keeps to rules as far as they are data. */
export function makeValue(column: Column, rules: readonly Rule[], at: number): MadeUp {
  const [list, ...lists] = rules.flatMap(rule => (rule.kind === "in" ? [rule.values] : []));
  if (list) {
    const all = list.filter(value => lists.every(each => each.includes(value)));
    return all[at % Math.max(1, all.length)];
  }
  const { type } = column;
  switch (type.kind) {
    case "boolean":
      return at % 2 === 0;
    case "smallint":
    case "integer":
    case "bigint":
      return numberFor(rules, at, 1);
    case "decimal":
      return numberFor(rules, at, 1 / 10 ** Math.min(type.scale, 2));
    case "real":
    case "double":
      return numberFor(rules, at, 0.5);
    case "text":
      return textFor(rules, at, Infinity);
    case "char":
    case "varchar":
      return textFor(rules, at, type.length);
    case "date":
      return momentFor(rules, at).slice(0, 10);
    case "time":
      return momentFor(rules, at).slice(11, 19);
    case "timestamp":
    case "timestamptz":
      return momentFor(rules, at).slice(0, 19).replace("T", " ");
    case "uuid":
      return `00000000-0000-4000-8000-${at.toString(16).padStart(12, "0")}`;
    case "json":
      return jsonFor(rules, at);
    case "bytes":
      return { bytes: at.toString(16).padStart(8, "0") };
    case "native":
      return nativeFor(Object.values(type.sql)[0] ?? "", rules, at);
    default:
      return type satisfies never;
  }
}

function numberFor(rules: readonly Rule[], at: number, step: number): number {
  const bound = (...kinds: readonly Rule["kind"][]) =>
    rules.flatMap(rule =>
      kinds.includes(rule.kind) && "value" in rule && typeof rule.value === "number" ? [rule.value] : [],
    );
  const divisor = bound("divisible")[0];
  const stride = divisor ?? step;
  const least = Math.max(...bound("min"), ...bound("above").map(value => value + step), -Infinity);
  const most = Math.min(...bound("max"), ...bound("below").map(value => value - step), Infinity);
  const start = least > -Infinity ? least : most < Infinity ? most - 50 * stride : stride;
  const first = divisor === undefined ? start : Math.ceil(start / divisor) * divisor;
  const room = most < Infinity ? Math.max(1, Math.floor((most - first) / stride) + 1) : Infinity;
  return Number((first + (at % room) * stride).toFixed(6));
}

function textFor(rules: readonly Rule[], at: number, length: number): MadeUp {
  const bound = (kind: Rule["kind"]) =>
    rules.flatMap(rule =>
      rule.kind === kind && "value" in rule && typeof rule.value === "number" ? [rule.value] : [],
    );
  const most = Math.min(length, ...bound("max length"), ...bound("max bytes"));
  const least = Math.max(0, ...bound("min length"), ...bound("min bytes"));
  const pattern = rules.find(rule => rule.kind === "pattern");
  if (pattern?.kind === "pattern") return textLike(pattern.pattern, at, most);
  const part = rules.flatMap(rule => (rule.kind === "contains" ? [rule.value] : [])).join("");
  const number = at.toString(36);
  const long = `${part}made-up ${number}`;
  const text = long.length <= most ? long : `${part}${number}`;
  const whole = text.length < least ? text + "x".repeat(least - text.length) : text;
  return rules.some(rule => rule.kind === "upper case") ? whole.toUpperCase() : whole;
}

/** A text for patterns of sets in a row: `^[A-Z]-[0-9]+$`. Undefined for any other. */
function textLike(pattern: string, at: number, most: number): string | undefined {
  const inner = /^\^(.*)\$$/.exec(pattern)?.[1];
  const atoms = inner?.match(/(?:\[[^\]^][^\]]*\]|\\d|\\?[^\\()|[\]{}+*?])(?:[+*]|\{\d+(?:,\d*)?\})?/g);
  if (inner === undefined || !atoms || atoms.join("") !== inner) return undefined;
  let turn = at;
  const made = atoms.map((atom, index) => {
    const [, body, times] = /^(\[[^\]]+\]|\\d|\\?.)(.*)$/.exec(atom)!;
    const set = charactersOf(body!);
    const count =
      times === ""
        ? 1
        : times === "+" || times === "*"
          ? index === atoms.length - 1
            ? 4
            : 1
          : Number(/\d+/.exec(times!)![0]);
    return Array.from({ length: count }, () => {
      const character = set[turn % set.length]!;
      turn = Math.floor(turn / set.length);
      return character;
    }).join("");
  });
  const text = made.join("");
  return text.length <= most ? text : undefined;
}

function charactersOf(body: string): string[] {
  if (body === "\\d") return [..."0123456789"];
  if (!body.startsWith("[")) return [body.replace("\\", "")];
  return [...body.slice(1, -1).matchAll(/(.)-(.)|(.)/g)].flatMap(([, from, to, one]) => {
    if (from === undefined || to === undefined) return [one!];
    const [first, last] = [from.codePointAt(0)!, to.codePointAt(0)!];
    return Array.from({ length: Math.max(1, last - first + 1) }, (_, step) =>
      String.fromCodePoint(first + step),
    );
  });
}

/** Hours apart, in a year that every engine's types hold. */
function momentFor(rules: readonly Rule[], at: number): string {
  const bound = (kind: Rule["kind"]) =>
    rules.flatMap(rule =>
      rule.kind === kind && "value" in rule && typeof rule.value === "string" ? [Date.parse(rule.value)] : [],
    );
  const [least] = bound("min");
  const [most] = bound("max");
  const hour = 3_600_000;
  const start = least ?? (most === undefined ? Date.parse("2024-02-28T00:00:00Z") : most - 1000 * hour);
  // Days differ too, for types that hold no more than a day.
  return new Date(start + at * 25 * hour).toISOString();
}

function jsonFor(rules: readonly Rule[], at: number): string {
  const items = rules.find(rule => rule.kind === "min items");
  const isArray = rules.some(rule => rule.kind === "array");
  const count = items && "value" in items ? Number(items.value) : 1;
  return isArray
    ? JSON.stringify(Array.from({ length: count }, (_, index) => at + index))
    : JSON.stringify({ made: at });
}

function nativeFor(type: string, rules: readonly Rule[], at: number): MadeUp {
  const { name, numbers, values } = parseNativeType(type);
  if (name === "enum" && values) return values[at % values.length];
  if (/^(?:tiny|small|medium|big)?int/.test(name)) return numberFor(rules, at, 1);
  if (/^(?:numeric|decimal|float|double|real)/.test(name)) return numberFor(rules, at, 1);
  const [length = Infinity] = name.includes("char") ? numbers : [];
  return /char|text|clob/.test(name) || type === "" ? textFor(rules, at, length) : undefined;
}

/** Tables so that each comes after those it refers to, as far as there is such an order. */
export function inReferenceOrder(schema: Schema): Table[] {
  const left = new Map(schema.tables.map(table => [addressOf(table), table]));
  const ordered: Table[] = [];
  while (left.size > 0) {
    const waits = (table: Table, all: boolean) =>
      table.foreignKeys.some(({ columns, references }) => {
        const required = columns.every(name => !table.columns.find(each => each.name === name)?.nullable);
        return references.table !== addressOf(table) && left.has(references.table) && (all || required);
      });
    const [address, table] =
      [...left].find(([, each]) => !waits(each, true)) ??
      [...left].find(([, each]) => !waits(each, false)) ??
      [...left][0]!;
    ordered.push(table);
    left.delete(address);
  }
  return ordered;
}

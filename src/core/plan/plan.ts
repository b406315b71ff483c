import { apply } from "../change/apply.js";
import { diff, fillKey, parseFillKey, type Conversion } from "../change/diff.js";
import { hintsOf, mapConversion, type Hints } from "../change/hints.js";
import { invert } from "../change/invert.js";
import { isLooser } from "../change/risk.js";
import type { AlterColumn, Change } from "../change/types.js";
import type { Direction } from "../direction.js";
import { renameInSql } from "../change/rename.js";
import { zip } from "../lists.js";
import { addressOf } from "../schema/address.js";
import { columnsOfPart } from "../schema/lookups.js";
import { equal } from "../schema/canonical.js";
import { cutName } from "../schema/naming.js";
import { asSent, respell, sentIn, type Spellings } from "../lower/spellings.js";
import { textFor } from "../sql/placeholders.js";
import { isObject, type Schema } from "../schema/types.js";
import { assertExpressions } from "./expressions.js";
import { keptBy, widensOn } from "./kept.js";
import type { Dialect } from "../dialect/shared/dialect.js";
import { checkKey, type Block, type RenderPlan } from "../dialect/shared/render-plan.js";

/** A migration that keeps what it takes away: its number as it is shown, and the way it is run. */
export interface Keeping {
  readonly number: string;
  readonly direction: Direction;
}

/**
 * What a list of portable changes means to one dialect: its own schemas before and after, and the changes between
 * them. A change that makes no difference there (a note on SQLite) falls away.
 * @throws MisfitChange when the changes do not fit the schema; Problem E306
 */
export function planFor(
  dialect: Dialect,
  before: Schema,
  changes: readonly Change[],
  keeping?: Keeping,
): RenderPlan {
  assertExpressions(changes, dialect);
  const after = apply(before, changes);
  const [from, to] = [dialect.types.settle(before), dialect.types.settle(after)];
  const held = hintsAsHeld(hintsOf(changes), heldNames(dialect, before, from), heldNames(dialect, after, to));
  const hints = { ...held, conversions: conversionsFor(dialect, held.conversions) };
  const found = diff(from, to, { ...hints, positions: true });
  const all = [...found, ...conversionsOnly(found, hints, to)];
  const looser = looserChecks(dialect, changes, all, heldNames(dialect, after, to));
  const plan = { before: from, after: to, changes: all, ...(looser.size > 0 && { looser }) };
  if (!keeping) return plan;
  const { number, direction } = keeping;
  const forward = direction === "forward" ? plan : planFor(dialect, after, invert(changes));
  const attic = keptBy(forward, dialect, number);
  return attic.kept.length + attic.counters.length > 0 ? { ...plan, attic: { direction, ...attic } } : plan;
}

/**
 * What takes a database from what it holds, whatever led there, to another schema; nothing is kept.
 * @param from as it is held, and in portable words @param changes what leads from there to the other, in portable words
 * @param spellings how the engine spells what the other schema sends
 */
export function planFrom(
  dialect: Dialect,
  from: { readonly held: Schema; readonly portable: Schema },
  to: { readonly portable: Schema; readonly spellings: Spellings },
  changes: readonly Change[],
): RenderPlan {
  const after = dialect.types.settle(to.portable);
  const spelled = respell(after, to.spellings);
  const names = [
    heldNames(dialect, from.portable, from.held),
    heldNames(dialect, to.portable, after),
  ] as const;
  const held = hintsAsHeld(hintsOf(changes), ...names);
  const hints = { ...held, conversions: conversionsFor(dialect, held.conversions) };
  const found = diff(from.held, spelled, hints);
  // The order of columns alone is no reason to make a table anew.
  const placed = found.length > 0 ? diff(from.held, spelled, { ...hints, positions: true }) : found;
  return { before: from.held, after, changes: asSent(placed, to.spellings) };
}

/**
 * Whether the engine may spell an expression otherwise after a drafted script than before it: the script sends one, or
 * changes what one speaks of.
 */
export function mayRespell({ before, after, changes }: RenderPlan): boolean {
  const known = sentIn(before);
  // A view is read anew, as it is spelled, wherever something of a table changes.
  const hasObjects = after.definitions?.some(isObject) === true;
  return (
    (hasObjects && changes.length > 0) ||
    [...sentIn(after)].some(key => !known.has(key)) ||
    changes.some(({ kind }) => /^(?:alter|rename) /.test(kind))
  );
}

/** The addresses of a schema's tables as a dialect holds them: cut, or with a namespace in the name. */
export function heldAddresses(dialect: Dialect, schema: Schema): (address: string) => string {
  return heldNames(dialect, schema, dialect.types.settle(schema)).table;
}

/** How things are called as a dialect holds them, by their names in portable words. */
interface HeldNames {
  readonly table: (address: string) => string;
  readonly column: (name: string) => string;
}

function heldNames({ names: { limit } }: Dialect, schema: Schema, settled: Schema): HeldNames {
  const known = new Map(
    zip(schema.tables, settled.tables).map(([table, held]) => [addressOf(table), addressOf(held)]),
  );
  return { table: address => known.get(address) ?? address, column: name => cutName(name, limit) };
}

/** The hints in the names that a dialect has for what they speak of. */
function hintsAsHeld(hints: Hints, before: HeldNames, after: HeldNames): Hints {
  const rekeyed = <V>(map: ReadonlyMap<string, V>) =>
    new Map([...map].map(([key, value]) => [fillKeyAsHeld(key, after), value]));
  return {
    tables: new Map([...hints.tables].map(([from, to]) => [before.table(from), after.table(to)])),
    columns: new Map(
      [...hints.columns].map(([table, names]) => [
        after.table(table),
        new Map([...names].map(([from, to]) => [before.column(from), after.column(to)])),
      ]),
    ),
    fills: rekeyed(hints.fills),
    conversions: new Map(
      [...rekeyed(hints.conversions)].map(([key, said]) => [
        key,
        mapConversion(said, sql =>
          renameInSql(sql, "", { table: address => address, column: (_, name) => after.column(name) }),
        ),
      ]),
    ),
  };
}

function fillKeyAsHeld(key: string, { table, column }: HeldNames): string {
  const { table: address, column: name } = parseFillKey(key);
  return fillKey(table(address), column(name));
}

/** Checks that ask for less than they did, of columns whose values all stay as they are. */
function looserChecks(
  dialect: Dialect,
  changes: readonly Change[],
  held: readonly Change[],
  { table, column }: HeldNames,
): ReadonlySet<string> {
  const widens = widensOn(dialect);
  const isOther = (address: string, name: string) =>
    held.some(
      each =>
        each.kind === "alter column" &&
        each.table === address &&
        each.after.name === name &&
        (each.convert !== undefined ||
          each.fill !== undefined ||
          !equal(each.before.computed, each.after.computed) ||
          !widens(each.before.type, each.after.type)),
    );
  return new Set(
    changes.flatMap(change => {
      if (change.kind !== "alter part" || change.what !== "check" || !isLooser(change)) return [];
      const address = table(change.table);
      if (columnsOfPart("check", change.after).some(name => isOther(address, column(name)))) return [];
      return [checkKey(address, cutName(change.after.name, dialect.names.limit))];
    }),
  );
}

/** The statements of a list of portable changes. */
export function blocksFor(
  dialect: Dialect,
  before: Schema,
  changes: readonly Change[],
  keeping?: Keeping,
): Block[] {
  return dialect.render.blocks(planFor(dialect, before, changes, keeping));
}

/** Conversions between types that are one and the same here: the values change all the same. */
function conversionsOnly(
  found: readonly Change[],
  { conversions }: Hints,
  { tables }: Schema,
): AlterColumn[] {
  if (conversions.size === 0) return [];
  const known = new Set(
    found.flatMap(change =>
      change.kind === "alter column" ? [fillKey(change.table, change.after.name)] : [],
    ),
  );
  return tables.flatMap(table =>
    table.columns.flatMap((column): AlterColumn[] => {
      const key = fillKey(addressOf(table), column.name);
      const conversion = known.has(key) ? undefined : conversions.get(key);
      if (column.computed || (conversion?.convert ?? conversion?.convertBack) === undefined) return [];
      return [
        { kind: "alter column", table: addressOf(table), before: column, after: column, ...conversion },
      ];
    }),
  );
}

/** Conversions as far as they are said for a dialect. */
function conversionsFor(dialect: Dialect, said: ReadonlyMap<string, Conversion>): Map<string, Conversion> {
  return new Map(
    [...said].map(([key, each]) => [key, mapConversion(each, sql => textFor(sql, dialect.name))]),
  );
}

import { namesThrough, type NamesThrough } from "../../../change/names.js";
import { addPart } from "../../../change/types.js";
import { dropPart, type AddPart, type Change, type DropPart } from "../../../change/types.js";
import { addressOf, tablesByAddress } from "../../../schema/address.js";
import { equal } from "../../../schema/canonical.js";
import { columnsOfComputed, columnsOfPart } from "../../../schema/lookups.js";
import { handlePart, isObject, PART_KINDS, partsOf } from "../../../schema/types.js";
import type { Column, Index, PartKind, Parts, Schema, Table } from "../../../schema/types.js";
import { dimensionsOver } from "../types.js";
import { isMadeAnew } from "./definitions.js";

/**
 * The changes with whatever stands in the way of a column that changes its type taken out at the beginning and put back
 * at the end: https://www.postgresql.org/docs/15/sql-altertable.html
 */
export function withLifted(changes: readonly Change[], before: Schema, after: Schema): Change[] {
  return withLiftedParts(withLiftedComputed(changes, before, after), before, after);
}

/** A table that stays, as it was and as it is to be. */
interface Staying {
  readonly address: string;
  readonly was: Table;
  readonly now: Table;
}

function stayingTables(names: NamesThrough, before: Schema, after: Schema): Staying[] {
  const oldTables = tablesByAddress(before);
  return after.tables.flatMap((now): Staying[] => {
    const address = addressOf(now);
    const was = names.arrives(address) ? undefined : oldTables.get(names.before(address));
    return was ? [{ address, was, now }] : [];
  });
}

/** Whether the type of a column, by its table and name at the end, changes, or is made anew under its name. */
function retypedIn(changes: readonly Change[], after: Schema): (table: string, column: string) => boolean {
  const anew = changes.flatMap(change =>
    change.kind === "alter definition" &&
    !isObject(change.before) &&
    !isObject(change.after) &&
    isMadeAnew(change.before, change.after, { changes })
      ? [change.after]
      : [],
  );
  const retyped = new Set([
    ...changes.flatMap(change =>
      change.kind === "alter column" && !equal(change.before.type, change.after.type)
        ? [JSON.stringify([change.table, change.after.name])]
        : [],
    ),
    ...after.tables.flatMap(table =>
      table.columns
        .filter(column => dimensionsOver(column, anew) !== undefined)
        .map(({ name }) => JSON.stringify([addressOf(table), name])),
    ),
  ]);
  return (table, column) => retyped.has(JSON.stringify([table, column]));
}

/**
 * No column that a computed one is made of may change its type or go, and no expression can be changed in place. A
 * computed column loses nothing when it goes at the beginning and comes back at the end, with the parts about it.
 */
function withLiftedComputed(changes: readonly Change[], before: Schema, after: Schema): Change[] {
  const names = namesThrough(changes);
  const isRetyped = retypedIn(changes, after);
  let result = [...changes];
  for (const table of stayingTables(names, before, after)) {
    const { address, was, now } = table;
    const staying = new Map(now.columns.map(({ name }) => [names.before(address, name), name]));
    for (const column of now.columns.filter(({ computed }) => computed)) {
      if (isAdded(column, address, changes)) continue;
      const old = was.columns.find(({ name }) => name === names.before(address, column.name));
      const disturbed = (base: string) => {
        const name = staying.get(base);
        return name === undefined || isRetyped(address, name);
      };
      if (old && (isAltered(column, address, changes) || columnsOfComputed(old).some(disturbed)))
        result = liftColumn(result, { ...table, column, old });
    }
  }
  return result;
}

function isAdded({ name }: Column, address: string, changes: readonly Change[]): boolean {
  return changes.some(
    change => change.kind === "add column" && change.table === address && change.column.name === name,
  );
}

function isAltered({ name }: Column, address: string, changes: readonly Change[]): boolean {
  return changes.some(
    change => change.kind === "alter column" && change.table === address && change.after.name === name,
  );
}

interface LiftedColumn extends Staying {
  /** As it is to be, and as it was. */
  readonly column: Column;
  readonly old: Column;
}

/** The column and all about it go first and come last; what was to happen to them otherwise need not. */
function liftColumn(changes: readonly Change[], lifted: LiftedColumn): Change[] {
  const { address, was, now, column, old } = lifted;
  const from = addressOf(was);
  const altered = changes.flatMap(change =>
    change.kind === "alter part" &&
    change.table === address &&
    (isAbout(change.what, change.before, column.name) || isAbout(change.what, change.after, column.name))
      ? [change]
      : [],
  );
  const isAltered = new Set<Change>(altered);
  const isLifted = (what: PartKind, part: Parts[PartKind], name: string) =>
    isAbout(what, part, name) ||
    altered.some(change => change.what === what && change.after.name === part.name);
  const drops = PART_KINDS.flatMap(what =>
    partsOf(was, what)
      .filter(part => isLifted(what, part, old.name))
      .map(value => dropPart(from, what, value)),
  );
  const adds = PART_KINDS.flatMap(what =>
    partsOf(now, what)
      .filter(part => isLifted(what, part, column.name))
      .map(value => addPart(address, what, value)),
  );
  const renames = new Set(
    adds.flatMap(({ what, value }) => [...renamesOf(changes, address, what, value.name).steps]),
  );
  return [
    ...drops,
    { kind: "drop column", table: from, column: old },
    ...changes.filter(
      change => !isAltered.has(change) && !renames.has(change) && !isSuperseded(change, lifted),
    ),
    { kind: "add column", table: address, column },
    ...adds,
  ];
}

function isAbout(kind: PartKind, part: Parts[PartKind], column: string): boolean {
  return columnsOfPart(kind, part).includes(column);
}

/** Whether a change is to a lifted column, or to a part about it, which is dropped and added as a whole. */
function isSuperseded(change: Change, { address, was, column, old }: LiftedColumn): boolean {
  switch (change.kind) {
    case "alter column":
      return change.table === address && change.after.name === column.name;
    case "rename column":
      return change.table === address && change.to === column.name;
    case "drop part":
      return change.table === addressOf(was) && isAbout(change.what, change.value, old.name);
    case "add part":
      return change.table === address && isAbout(change.what, change.value, column.name);
    default:
      return false;
  }
}

const LIFTED_KINDS = ["foreign key", "check", "index"] as const;

type LiftedKind = (typeof LIFTED_KINDS)[number];

/** A part that is lifted, and what was to happen to it otherwise. */
interface LiftedPart {
  readonly drop: DropPart;
  readonly add: AddPart;
  readonly instead: (change: Change) => boolean;
}

/**
 * Parts that stand in the way while a column changes its type, references on either side of it and expressions about
 * it, and references that are altered: found first, then each replaced by a drop and an add.
 */
function withLiftedParts(changes: readonly Change[], before: Schema, after: Schema): Change[] {
  const names = namesThrough(changes);
  const isRetyped = retypedIn(changes, after);
  const found = stayingTables(names, before, after).flatMap(table =>
    LIFTED_KINDS.flatMap(kind =>
      partsOf(table.now, kind).flatMap(part => liftedPart(changes, { ...table, kind, part }, isRetyped)),
    ),
  );
  return found.reduce<Change[]>(
    (so, { drop, add, instead }) => [...so.filter(change => !instead(change)), drop, add],
    [...changes],
  );
}

interface StayingPart extends Staying {
  readonly kind: LiftedKind;
  readonly part: Parts[LiftedKind];
}

/** A part to be lifted, if it must be: none or one. */
function liftedPart(
  changes: readonly Change[],
  { address, was, kind, part }: StayingPart,
  isRetyped: (table: string, column: string) => boolean,
): LiftedPart[] {
  const isMeant = (change: Change, name: string) =>
    "what" in change && change.table === address && change.what === kind && name === part.name;
  const renames = renamesOf(changes, address, kind, part.name);
  const instead = (change: Change) =>
    renames.steps.has(change) || (change.kind === "alter part" && isMeant(change, change.after.name));
  const isReferenceAltered =
    kind === "foreign key" &&
    changes.some(change => change.kind === "alter part" && isMeant(change, change.after.name));
  if (!isReferenceAltered && !isInTheWay(address, kind, part, isRetyped)) return [];
  if (changes.some(change => change.kind === "add part" && isMeant(change, change.value.name))) return [];
  const old = partsOf(was, kind).find(({ name }) => name === renames.from);
  if (!old) return [];
  return [{ drop: dropPart(addressOf(was), kind, old), add: addPart(address, kind, part), instead }];
}

/** Whether a part hinders a change of type: an expression about a column, a reference on either side. */
function isInTheWay(
  address: string,
  kind: LiftedKind,
  part: Parts[LiftedKind],
  isRetyped: (table: string, column: string) => boolean,
): boolean {
  const own = columnsOfPart(kind, part).some(column => isRetyped(address, column));
  return handlePart(kind, part, {
    check: () => own,
    index: index => own && isExpression(index),
    "foreign key": ({ references }) =>
      own || references.columns.some(column => isRetyped(references.table, column)),
  });
}

/** How a part came by its name, which may have been by way of a spare one, and the name it had. */
export function renamesOf(
  changes: readonly Change[],
  table: string,
  kind: PartKind,
  name: string,
): { readonly steps: ReadonlySet<Change>; readonly from: string } {
  const steps = new Set<Change>();
  let from = name;
  for (const change of changes.toReversed())
    if (
      change.kind === "rename part" &&
      change.table === table &&
      change.what === kind &&
      change.to === from
    ) {
      steps.add(change);
      from = change.from;
    }
  return { steps, from };
}

function isExpression(index: Index): boolean {
  return index.where !== undefined || index.parts.some(part => "sql" in part);
}

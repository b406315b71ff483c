import { namesThrough } from "../../../change/names.js";
import { isOfDefinition, type Change } from "../../../change/types.js";
import { describeChange, titleOf } from "../../../change/words.js";
import { addressOf, tablesByAddress } from "../../../schema/address.js";
import type { Schema, Table } from "../../../schema/types.js";
import {
  becameBlocks,
  changedSinceBlocks,
  emptiedBlocks,
  fillRoomBlocks,
  keepCounters,
  putAway,
  restoreCounters,
  roomBlocks,
  takenOut,
} from "../../shared/attic.js";
import { roomForTriggers, keptUnderLock } from "../../shared/kept-by-triggers.js";
import type { Numbered } from "../../shared/kept.js";
import { apartFromGrants } from "../../shared/grants.js";
import { apartFromObjects } from "../../shared/objects.js";
import { findRows, keepHeld, numberRows, roomForHeld, unnumberRows } from "../../shared/numbering.js";
import type { Block, RenderPlan } from "../../shared/render-plan.js";
import { attic, moveTableSql } from "../attic.js";
import { quote, quoteTable } from "../names.js";
import { withAlgorithm, type Altered } from "./algorithm.js";
import { alterationOf } from "./alter-table.js";
import { GRANTS } from "./grants.js";
import { OBJECTS } from "./objects.js";
import { fillingOnline } from "./online.js";
import { keptOf, locks, whileLocked } from "./locked.js";
import { mirrorColumns, mirroredIn, whileMirrorsEnd } from "./meanwhile.js";
import { addReferences, dropReferences, liftReferences, swapReferences } from "./references.js";
import { sequenceBlocks } from "./sequences.js";
import { tablePairs, type TablePair } from "./table-pair.js";
import { REFUSES_NULL } from "../moments.js";
import { alterTableSql, createTableSql } from "./tables.js";

/**
 * The statements of a plan: https://mariadb.com/kb/en/alter-table/. MariaDB takes all that happens to a table as one
 * ALTER TABLE, and looks only at the result; renames of columns are part of it. Each statement is committed by itself.
 */
export function render(given: RenderPlan): Block[] {
  const objects = apartFromObjects(given, OBJECTS);
  const { plan, before, after } = apartFromGrants(objects.plan, GRANTS);
  return [...before, ...objects.before, ...ofTables(plan), ...after, ...objects.after];
}

function ofTables(plan: RenderPlan): Block[] {
  const names = namesThrough(plan.changes);
  const pairs = tablePairs(plan, names);
  const lifted = liftReferences(pairs, plan, names);
  // Tables are renamed before all else.
  const renamed = ({ table, now }: Numbered) => (plan.attic?.direction === "back" ? addressOf(table) : now);
  const altered = pairs.flatMap((pair): Block[] => {
    const own = keptOf(keptUnderLock(plan, attic), pair.now);
    const mirrored = mirroredIn(plan, pair.now);
    if (mirrored.length > 0 && !locks(own))
      return [
        ...mirrored.map(kept => mirrorColumns(kept, pair.now)),
        ...alterTable(pair, plan, { only: "indexes dropped" }),
        ...whileMirrorsEnd(mirrored, pair.now, alterTable(pair, plan, { only: "all else", isLocked: true })),
      ];
    return whileLocked(own, pair.now, [
      ...findRows(own, attic, renamed),
      ...fillRoomBlocks(own, attic),
      ...changedSinceBlocks(own, attic, ({ table }) => addressOf(table)),
      ...alterTable(pair, plan, { isLocked: locks(own) }),
      ...becameBlocks(own, attic),
      ...keepHeld(own, attic),
      ...unnumberRows(own, attic),
    ]);
  });
  return [
    ...keepCounters(plan, attic),
    ...sequenceBlocks(plan, ["add definition", "alter definition"]),
    ...dropReferences(lifted, plan),
    ...dropTables(plan),
    ...renameTables(plan),
    ...addTables(plan),
    ...numberRows(plan, attic, renamed),
    ...roomBlocks(keptUnderLock(plan, attic), attic),
    ...roomForTriggers(plan, attic, ({ now }) => now),
    ...roomForHeld(plan, attic),
    ...altered,
    ...addReferences(lifted, pairs, plan),
    ...swapReferences(lifted, plan),
    ...sequenceBlocks(plan, ["drop definition"]),
    ...restoreCounters(plan, attic),
    ...emptiedBlocks(plan, attic),
  ];
}

/** MariaDB never takes anything along unasked. */
export function managedObjectNames(_schema: Schema): string[] {
  return [];
}

/** What a reader must know of a script beforehand: MariaDB commits statement by statement, and takes null for now. */
export function scriptNotes(blocks: readonly Block[]): string[] {
  const statements = blocks.flatMap(block => block.statements);
  return [
    ...(statements.length > 0
      ? ["MariaDB commits each statement by itself: one that fails leaves those before it done."]
      : []),
    ...(statements.some(sql => REFUSES_NULL.test(sql))
      ? [
          "A required timestamp refuses null by its check: NOT NULL would put the current moment in its place.",
        ]
      : []),
  ];
}

/** The names of tables that go are free. */
function dropTables(plan: RenderPlan): Block[] {
  return plan.changes.flatMap((change): Block[] => {
    if (change.kind !== "drop table") return [];
    const address = addressOf(change.table);
    const kept = putAway(plan, address);
    return kept
      ? [{ title: `put table ${address} into the attic`, statements: [moveTableSql(address, kept.address)] }]
      : [{ title: describeChange(change), statements: [`DROP TABLE ${quoteTable(address)}`] }];
  });
}

/** Every table that stays has the name it will have. */
function renameTables({ changes }: RenderPlan): Block[] {
  return changes.flatMap((change): Block[] =>
    change.kind === "rename table"
      ? [{ title: describeChange(change), statements: [moveTableSql(change.from, change.to)] }]
      : [],
  );
}

interface Altering {
  /** @default false */
  readonly isLocked?: boolean;
  /** An index that goes is in the way of a column that would go in no time. Absent: all at once. */
  readonly only?: "indexes dropped" | "all else";
}

/** A table that stays is as it will be, its references aside. */
function alterTable(
  pair: TablePair,
  { changes, online }: RenderPlan,
  { isLocked = false, only }: Altering,
): Block[] {
  const alteration = alterationOf(pair);
  const drops = (clause: string) => clause.startsWith("DROP INDEX ");
  const { now } = pair;
  const address = addressOf(now);
  if (only === "indexes dropped") {
    const clauses = alteration.clauses.filter(drops);
    const altered = withAlgorithm(clauses, { was: pair.was, now: pair.was }, isLocked);
    const title = changes.filter(change => isAbout(change, pair) && dropsIndex(change)).map(titleOf);
    return clauses.length === 0
      ? []
      : [{ title: title.join(" · "), statements: [alterTableSql(address, altered)] }];
  }
  const { before, between, afterwards, aside, interim } = alteration;
  const clauses = alteration.clauses.filter(clause => only === undefined || !drops(clause));
  const was = only === undefined ? pair.was : without(pair.was, alteration.clauses.filter(drops));
  const alter = (list: readonly string[], altered: Altered) =>
    list.length > 0 ? [alterTableSql(address, withAlgorithm(list, altered, isLocked))] : [];
  const all = [
    ...before,
    ...alter(clauses, { was, now, interim: aside }),
    ...between,
    ...alter(afterwards, { was: { ...was, columns: [] }, now, interim }),
  ];
  const statements = online ? fillingOnline(all, pair) : all;
  if (statements.length === 0) return [];
  const told = changes.filter(change => isAbout(change, pair));
  const titles = told.filter(change => only === undefined || !dropsIndex(change)).map(titleOf);
  return titles.length === 1
    ? [{ title: titles.join(), statements }]
    : [{ title: `alter table ${address}`, details: titles, statements }];
}

function dropsIndex(change: Change): boolean {
  return change.kind === "drop part" && (change.what === "index" || change.what === "unique");
}

/** A table whose indexes are dropped by such clauses. */
function without(table: Table, drops: readonly string[]): Table {
  const stays = ({ name }: { readonly name: string }) => !drops.includes(`DROP INDEX ${quote(name)}`);
  return { ...table, indexes: table.indexes.filter(stays), uniques: table.uniques.filter(stays) };
}

function isAbout(change: Change, { was, now }: TablePair): boolean {
  if (
    change.kind === "add table" ||
    change.kind === "drop table" ||
    change.kind === "rename table" ||
    isOfDefinition(change) ||
    ("what" in change && change.what === "foreign key")
  )
    return false;
  return change.table === addressOf(now) || change.table === addressOf(was);
}

/** Tables that arrive are there, or back, without references. */
function addTables(plan: RenderPlan): Block[] {
  const tables = tablesByAddress(plan.after);
  return plan.changes.flatMap((change): Block[] => {
    if (change.kind !== "add table") return [];
    const address = addressOf(change.table);
    const kept = takenOut(plan, address);
    const statement = kept
      ? moveTableSql(kept.address, address)
      : createTableSql(tables.get(address) ?? change.table);
    const title = kept ? `take table ${address} out of the attic` : titleOf(change);
    return [{ title, statements: [statement] }];
  });
}

import { isOfDefinition } from "../../../change/types.js";
import type { AddColumn, AlterColumn, Change } from "../../../change/types.js";
import { describeChange } from "../../../change/words.js";
import { addressOf, parseAddress } from "../../../schema/address.js";
import type { Schema, Table } from "../../../schema/types.js";
import {
  atticNamespaces,
  becameBlocks,
  changedSinceBlocks,
  emptiedBlocks,
  keepBlocks,
  keepCounters,
  restoreCounters,
  takenOut,
  unfilled,
} from "../../shared/attic.js";
import { roomForTriggers, keptUnderLock } from "../../shared/kept-by-triggers.js";
import { apartFromGrants } from "../../shared/grants.js";
import { apartFromObjects, type AroundTables } from "../../shared/objects.js";
import { findRows, keepHeld, numberRows, roomForHeld, unnumberRows } from "../../shared/numbering.js";
import type { Block, RenderPlan } from "../../shared/render-plan.js";
import { clearValuesSql, restoreValuesSql, takeTableSql } from "../attic.js";
import { quote, quoteTable } from "../names.js";
import { alterations, blockEach } from "./alterations.js";
import { changeBeside } from "./second-column.js";
import { checkAtOnce, lockTables } from "./around.js";
import { addColumnSql, alterColumnSql } from "./columns.js";
import { definitionSql, type TypeChange } from "./definitions.js";
import { GRANTS } from "./grants.js";
import { addNamespaces, dropNamespaces } from "./namespaces.js";
import {
  arriveOnline,
  dropIndexesOnline,
  exchangedReferences,
  indexOnline,
  proveOnline,
  referenceOnline,
  uniqueOnline,
} from "./online.js";
import { mirrorColumns } from "./meanwhile.js";
import { OBJECTS } from "./objects.js";
import { renamesInTurn } from "./renames.js";
import { createStampSql } from "./stamps.js";
import { stepsOf, type Steps } from "./steps.js";
import {
  alterOptionsSql,
  constraintSql,
  createIndexSql,
  notesSql,
  renameColumnSql,
  renamePartSql,
  renameTableSql,
  wholeTableSql,
} from "./tables.js";
import { alterTableSql, type Alteration } from "./clauses.js";
import {
  dropColumnsAndConstraints,
  dropComputed,
  dropConstraintSql,
  dropIndexes,
  dropReferences,
  dropStamps,
  dropTables,
  isConstraint,
} from "./drops.js";

/** The statements of a plan: https://www.postgresql.org/docs/15/sql-altertable.html. Each phase says what holds after it. */
export function render(given: RenderPlan): Block[] {
  const objects = apartFromObjects(given, OBJECTS);
  const { plan, before, after } = apartFromGrants(objects.plan, GRANTS);
  const steps = stepsOf(plan);
  const blocks = [...before, ...objects.before, ...inPhases(steps, objects), ...after, ...objects.after];
  return [...checkAtOnce(steps, blocks), ...blocks];
}

function inPhases(steps: Steps, { early, late }: Pick<AroundTables, "early" | "late">): Block[] {
  return [
    ...lockTables(steps),
    ...copyToAttic(steps),
    ...addNamespaces(steps),
    ...moveSequences(steps),
    ...definitions(steps, "add definition"),
    ...early,
    ...dropReferences(steps),
    ...dropIndexes(steps),
    ...dropStamps(steps),
    ...dropTables(steps),
    ...dropComputed(steps),
    ...dropColumnsAndConstraints(steps),
    ...renameTablesAndColumns(steps),
    ...definitions(steps, "alter definition"),
    ...renameParts(steps),
    ...alterColumnsAndConstraints(steps),
    ...restoreValues(steps),
    ...completeRestored(steps),
    ...alterOptions(steps),
    ...writeNotes(steps),
    ...addTables(steps),
    ...addIndexes(steps),
    ...addStamps(steps),
    ...addReferences(steps),
    ...(steps.plan.online
      ? [...proveOnline(steps), ...changeBeside(steps), ...dropIndexesOnline(steps, "late")]
      : []),
    ...late,
    ...definitions(steps, "drop definition"),
    ...dropNamespaces(steps),
    ...finishAttic(steps),
  ];
}

/** PostgreSQL never takes anything along unasked. */
export function managedObjectNames(_schema: Schema): string[] {
  return [];
}

/** What will be taken away has a copy; copies of values that were changed since are gone. */
function copyToAttic(steps: Steps): Block[] {
  const { plan, attic } = steps;
  return [
    ...atticNamespaces(plan, "forward").map(name => ({
      title: "make room in the attic",
      statements: [`CREATE SCHEMA ${quote(name)}`],
    })),
    ...numberRows(plan, attic),
    ...keepBlocks(keptUnderLock(plan, attic), attic),
    ...mirrorColumns(steps),
    ...roomForTriggers(plan, attic, ({ table }) => addressOf(table)),
    ...keepCounters(plan, attic),
    ...findRows(plan, attic),
    ...changedSinceBlocks(plan, attic),
  ];
}

/** The names of sequences that go are free for those that come. */
function moveSequences({ spared }: Steps): Block[] {
  return spared.map(([from, to]) => ({
    title: `move the sequence ${from} out of the way`,
    statements: [`ALTER SEQUENCE ${quoteTable(from)} RENAME TO ${quote(parseAddress(to).name)}`],
  }));
}

/** Types and sequences come before what is made of them, and go after it. */
function definitions({ changes, plan }: Steps, kind: Change["kind"]): Block[] {
  return blockEach(changes, change =>
    change.kind === kind && isOfDefinition(change) ? definitionSql(change as TypeChange, plan) : [],
  );
}

/** Everything has the name it will have. */
function renameTablesAndColumns({ changes, names, was }: Steps): Block[] {
  return blockEach(changes, change => {
    if (change.kind === "rename table") {
      // In the middle of a circle, what takes a spare name has the one it had at the start.
      const start = names.before(change.to);
      return renameTableSql(change.from, change.to, was(start === change.to ? change.from : start));
    }
    return change.kind === "rename column"
      ? renameColumnSql(change.table, change.from, change.to, was(names.before(change.table)))
      : [];
  });
}

function renameParts({ changes, now }: Steps): Block[] {
  const renames = renamesInTurn(changes.filter(change => change.kind === "rename part"));
  return blockEach(renames, change => [
    renamePartSql(now(change.table), change.what, change.from, change.to),
  ]);
}

/** Columns and constraints are as they will be, but for what waits for values of the attic. */
function alterColumnsAndConstraints(steps: Steps): Block[] {
  return alterations(steps.changes, change => {
    const whole = arrive(change, steps);
    if (!isLate(change, steps)) return whole;
    // A part that waits is in the way of the values, and of the columns' new types.
    return whole?.first && { table: whole.table, first: whole.first, clauses: [] };
  });
}

/** Whether a part waits for old values to come back. */
function isLate(change: Change, { restored }: Steps): boolean {
  return (change.kind === "add part" || change.kind === "alter part") && restored.has(change.table);
}

/** What changes, and what arrives at a table that stays. */
function arrive(change: Change, steps: Steps): Alteration | undefined {
  if (steps.plan.online) return arriveOnline(change);
  switch (change.kind) {
    case "alter column":
      return alterColumn(change, steps);
    case "add column": {
      const first = steps.isRestored(change) ? { ...change, column: unfilled(change.column) } : change;
      return { table: change.table, ...addColumnSql(first) };
    }
    case "alter part":
      if (!isConstraint(change)) return undefined;
      return {
        table: change.table,
        first: [dropConstraintSql(change.before)],
        clauses: [`ADD ${constraintSql(change.what, change.after)}`],
      };
    case "add part":
      if (!isConstraint(change)) return undefined;
      return { table: change.table, clauses: [`ADD ${constraintSql(change.what, change.value)}`] };
    default:
      return undefined;
  }
}

function alterColumn(change: AlterColumn, { now, replacing }: Steps): Alteration {
  const { table } = change;
  const kept = replacing(change);
  if (!kept) return { table, ...alterColumnSql(change) };
  const bare = { ...change, before: unfilled(change.before), after: unfilled(change.after) };
  const altered = alterColumnSql(bare);
  const cleared = clearValuesSql(kept, change.before, now(table));
  return { table, ...altered, before: [...(altered.before ?? []), ...cleared] };
}

/** Old values are back where they were. */
function restoreValues({ plan, restored, now }: Steps): Block[] {
  return [...restored].flatMap(([address, kept]) =>
    kept.map(each => ({
      title: `restore ${each.columns.map(({ name }) => `${address}.${name}`).join(", ")} from the attic`,
      statements: restoreValuesSql(each, now(address), plan),
    })),
  );
}

/** What waited for them is whole: what columns demand, and the constraints about them. */
function completeRestored(steps: Steps): Block[] {
  return alterations(steps.changes, change => {
    if (isLate(change, steps)) {
      const whole = arrive(change, steps);
      return whole && { table: whole.table, clauses: whole.clauses };
    }
    if (change.kind === "add column")
      return steps.isRestored(change) ? demand(change, change.column) : undefined;
    return change.kind === "alter column" && steps.replacing(change)
      ? demand(change, change.after)
      : undefined;
  });
}

/** A column that was filled from the attic is held to what it says again. */
function demand({ table, fill }: AddColumn | AlterColumn, column: AddColumn["column"]): Alteration {
  const whole = { kind: "alter column", table, before: unfilled(column), after: column } as const;
  return { table, ...alterColumnSql({ ...whole, ...(fill && { fill }) }) };
}

function alterOptions({ changes }: Steps): Block[] {
  return blockEach(changes, change =>
    change.kind === "alter table"
      ? alterOptionsSql(change.table, change.before.options, change.after.options)
      : [],
  );
}

/** Notes of tables and columns that stay. */
function writeNotes({ changes, now }: Steps): Block[] {
  return changes.flatMap(change => {
    const statements = changedNotesSql(change, now);
    return statements.length > 0 ? [{ title: `note: ${describeChange(change)}`, statements }] : [];
  });
}

function changedNotesSql(change: Change, now: Steps["now"]): string[] {
  switch (change.kind) {
    case "alter column":
      return change.before.note === change.after.note
        ? []
        : notesSql(now(change.table), [change.after], false);
    case "add column":
      return change.column.note === undefined ? [] : notesSql(now(change.table), [change.column], false);
    case "alter table":
      return change.before.note === change.after.note ? [] : notesSql(now(change.table), [], true);
    default:
      return [];
  }
}

/** Tables that arrive are there, or back, without references. */
function addTables({ changes, plan, now }: Steps): Block[] {
  return blockEach(changes, change => {
    if (change.kind !== "add table") return [];
    const table = now(addressOf(change.table));
    const kept = takenOut(plan, addressOf(table));
    return kept ? takeTableSql(kept, plan) : wholeTableSql(table);
  });
}

function addIndexes({ changes, now, plan: { online } }: Steps): Block[] {
  return blockEach(changes, change => {
    if (online) {
      if (change.kind !== "add part" && change.kind !== "alter part") return [];
      if (change.what === "index") return indexOnline(change, now(change.table));
      return change.what === "unique" ? uniqueOnline(change, now(change.table)) : [];
    }
    if (change.kind === "add part" && change.what === "index")
      return [createIndexSql(now(change.table), change.value)];
    if (change.kind !== "alter part" || change.what !== "index") return [];
    return [createIndexSql(now(change.table), change.after)];
  });
}

function addStamps({ stamps }: Steps): Block[] {
  return stamps.added.map(({ table, column }) => ({
    title: `keep the stamp ${addressOf(table)}.${column.name}`,
    statements: createStampSql(table, column),
  }));
}

/** All tables are there: what refers to them does. */
function addReferences(steps: Steps): Block[] {
  const { changes, now, plan } = steps;
  const exchanged = plan.online ? exchangedReferences(steps) : undefined;
  const arriving = new Set(
    changes.flatMap(change => (change.kind === "add table" ? [addressOf(change.table)] : [])),
  );
  return [
    ...[...arriving].flatMap(address => referencesOf(now(address), changes)),
    ...alterations(changes, change => {
      if (change.kind !== "add part" || change.what !== "foreign key") return undefined;
      if (exchanged && !arriving.has(change.table)) return referenceOnline(change, exchanged.get(change));
      return { table: change.table, clauses: [`ADD ${constraintSql("foreign key", change.value)}`] };
    }),
  ];
}

/** The references of a table that arrives; those parted from it to open a circle are changes of their own. */
function referencesOf(table: Table, changes: readonly Change[]): Block[] {
  const address = addressOf(table);
  const parted = new Set(
    changes.flatMap(change =>
      change.kind === "add part" && change.table === address ? [change.value.name] : [],
    ),
  );
  const own = table.foreignKeys.filter(({ name }) => !parted.has(name));
  if (own.length === 0) return [];
  const clauses = own.map(foreignKey => `ADD ${constraintSql("foreign key", foreignKey)}`);
  return [{ title: `references of ${address}`, statements: [alterTableSql(address, ...clauses)] }];
}

/** The attic knows what values have become, or has let go of what came back. */
function finishAttic({ plan, attic }: Steps): Block[] {
  return [
    ...becameBlocks(keptUnderLock(plan, attic), attic),
    ...roomForHeld(plan, attic),
    ...keepHeld(plan, attic),
    ...unnumberRows(plan, attic),
    ...restoreCounters(plan, attic),
    ...emptiedBlocks(plan, attic),
    ...atticNamespaces(plan, "back").map(name => ({
      title: "let go of the room in the attic",
      statements: [`DROP SCHEMA ${plan.attic?.leftOver ? "IF EXISTS " : ""}${quote(name)}`],
    })),
  ];
}

import { describeChange, titleOf } from "../../../change/words.js";
import { addressOf, tablesByAddress } from "../../../schema/address.js";
import {
  becameBlocks,
  changedSinceBlocks,
  emptiedBlocks,
  keepBlocks,
  keepCounters,
  putAway,
  restoreCounters,
  takenOut,
} from "../../shared/attic.js";
import { apartFromObjects } from "../../shared/objects.js";
import { findRows, keepHeld, roomForHeld } from "../../shared/numbering.js";
import type { Block, RenderPlan } from "../../shared/render-plan.js";
import { attic, keepTableSql, takeRowsSql } from "../attic.js";
import { quoteTable } from "../names.js";
import { alterInPlace, makeRoom } from "./in-place.js";
import { OBJECTS } from "./objects.js";
import { rebuildTable } from "./rebuild.js";
import { createIndexSql, createTableSql, createTriggerSql, REBUILD_START, RESTATE_START } from "./tables.js";
import { worksOf } from "./works.js";

export { managedObjectNames } from "./works.js";

/**
 * SQLite changes little of a table in place (https://sqlite.org/lang_altertable.html). What it can, it does;
 * the rest is done by building the table anew and moving its rows, all of a table's changes at once.
 *
 * References are not enforced while a migration runs, and checked before it is committed, so a reference may point
 * to a table that arrives later.
 */
export function render(given: RenderPlan): Block[] {
  const { plan, before, after } = apartFromObjects(given, OBJECTS);
  const works = worksOf(plan);
  return [
    ...before,
    ...keepBlocks(plan, attic),
    ...keepCounters(plan, attic),
    ...findRows(plan, attic),
    ...changedSinceBlocks(plan, attic),
    ...works.flatMap(makeRoom),
    ...dropTables(plan),
    ...renameTables(plan),
    ...works.flatMap(work => (work.rebuilt ? rebuildTable(work) : alterInPlace(work))),
    ...addTables(plan),
    ...becameBlocks(plan, attic),
    ...roomForHeld(plan, attic),
    ...keepHeld(plan, attic),
    ...restoreCounters(plan, attic),
    ...emptiedBlocks(plan, attic),
    ...after,
  ];
}

/** What the runner does around a script and a person running it by hand must do too. */
export function scriptNotes(blocks: readonly Block[]): string[] {
  const has = (sql: string) => blocks.some(({ statements }) => statements.includes(sql));
  return [
    ...(has(REBUILD_START)
      ? [
          "By hand: in one transaction, after PRAGMA foreign_keys = OFF. Triggers and indexes of your own on a rebuilt table",
          "are put back by `emberset forward` and `emberset back`, not by this script.",
        ]
      : []),
    ...(has(RESTATE_START)
      ? ["By hand: in one transaction, and PRAGMA foreign_key_check before its end."]
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
      ? [{ title: `put table ${address} into the attic`, statements: keepTableSql(kept) }]
      : [{ title: describeChange(change), statements: [`DROP TABLE ${quoteTable(address)}`] }];
  });
}

/** Every table that stays has the name it will have. */
function renameTables({ changes }: RenderPlan): Block[] {
  return changes.flatMap((change): Block[] =>
    change.kind === "rename table"
      ? [
          {
            title: describeChange(change),
            statements: [`ALTER TABLE ${quoteTable(change.from)} RENAME TO ${quoteTable(change.to)}`],
          },
        ]
      : [],
  );
}

/** Tables that arrive are there, or back with their rows, indexes and stamps. */
function addTables(plan: RenderPlan): Block[] {
  const tables = tablesByAddress(plan.after);
  return plan.changes.flatMap((change): Block[] => {
    if (change.kind !== "add table") return [];
    const address = addressOf(change.table);
    const table = tables.get(address) ?? change.table;
    const kept = takenOut(plan, address);
    return [
      {
        title: kept ? `take table ${address} out of the attic` : titleOf(change),
        statements: [
          createTableSql(table, address),
          ...(kept ? takeRowsSql(kept, table) : []),
          ...table.indexes.map(index => createIndexSql(table, index)),
          ...table.columns.filter(({ stamp }) => stamp).map(column => createTriggerSql(table, column)),
        ],
      },
    ];
  });
}

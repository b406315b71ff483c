import { copiedTables } from "../../shared/attic.js";
import { keptUnderLock } from "../../shared/kept-by-triggers.js";
import type { Block } from "../../shared/render-plan.js";
import { partsOf } from "../../../schema/types.js";
import { quoteTable } from "../names.js";
import { TRIGGERS_OF_USERS } from "./stamps.js";
import type { Steps } from "./steps.js";

/** What the runner does around a script and a person running it by hand must do too. */
export function scriptNotes(blocks: readonly Block[]): string[] {
  const all = blocks.flatMap(({ statements }) => statements);
  const locks = all.some(sql => sql.startsWith(LOCK));
  const quiet = isQuiet(blocks);
  return [
    ...(locks || quiet ? ["By hand: in one transaction."] : []),
    ...(quiet
      ? ["By hand: triggers of your own that were off before are on afterwards; `emberset` leaves them off."]
      : []),
  ];
}

const LOCK = "LOCK TABLE";

/**
 * No table can be altered while checks of its rows wait for the end, and those of a row that was written in the same
 * transaction wait whatever of it changes: `RI_FKey_fk_upd_check_required` of PostgreSQL's source.
 */
export function checkAtOnce({ plan: { before, after } }: Steps, blocks: readonly Block[]): Block[] {
  const waits = [...before.tables, ...after.tables].some(table =>
    (["key", "unique", "foreign key"] as const).some(kind =>
      partsOf(table, kind).some(({ deferrable }) => deferrable === "deferred"),
    ),
  );
  return waits && isQuiet(blocks)
    ? [
        {
          title: "check at once what else is checked at the end: a table whose checks wait cannot be altered",
          statements: ["SET CONSTRAINTS ALL IMMEDIATE"],
        },
      ]
    : [];
}

function isQuiet(blocks: readonly Block[]): boolean {
  return blocks.some(({ statements }) => statements.some(sql => sql.endsWith(TRIGGERS_OF_USERS)));
}

/** Nobody else reads or writes a table of which values are copied, from the copy to the end. */
export function lockTables({ plan, attic }: Steps): Block[] {
  const tables = copiedTables(keptUnderLock(plan, attic));
  if (tables.length === 0) return [];
  const list = tables.map(quoteTable).join(", ");
  return [
    {
      title: "let nobody write meanwhile: it would be in neither the attic nor the table",
      statements: [`${LOCK} ${list} IN ACCESS EXCLUSIVE MODE`],
    },
  ];
}

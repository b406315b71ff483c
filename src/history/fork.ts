import { readFileSync } from "node:fs";
import { join } from "node:path";
import { rebase, type Conflict } from "../core/change/rebase.js";
import type { Change } from "../core/change/types.js";
import { problems } from "../core/problems.js";
import type { Schema } from "../core/schema/types.js";
import type { Migration } from "./migration.js";
import { readAfter, RECORD_FILE, type History, type TornHistory } from "./read.js";

/** Migrations that follow each other, from where others follow the same one. */
export type Side = readonly Migration[];

/** The sides of a fork, each from the migration that has the number of another on. @throws Problem E300 */
export function sidesOf({ folder, doubled, beyond }: TornHistory): Side[] {
  const sides = doubled.map(first => [first]);
  for (const name of beyond) {
    const parent = parentOf(folder, name);
    const side = sides.find(each => each.at(-1)!.name === parent);
    if (!side)
      throw problems.brokenMigration({
        file: join(folder, name, RECORD_FILE),
        reason: `it follows ${parent ?? "nothing"}, which is the end of no side of the fork`,
      });
    side.push(readAfter(folder, name, side.at(-1)!));
  }
  return sides;
}

/** A history as it is where one side of a fork ran, or none. @param ran the names of what ran there @throws Problem E300 */
export function historyWhere(torn: TornHistory, ran: ReadonlySet<string>): History {
  if (torn.doubled.length === 0) return torn;
  const side = sidesOf(torn).find(each => each.some(({ name }) => ran.has(name))) ?? [];
  const { folder, schema } = torn;
  return {
    folder,
    migrations: [...torn.migrations, ...side],
    schema: side.at(-1)?.schemaAfter ?? schema,
  };
}

function parentOf(folder: string, name: string): string | undefined {
  try {
    const { parent } = JSON.parse(readFileSync(join(folder, name, RECORD_FILE), "utf8")) as {
      parent?: unknown;
    };
    return typeof parent === "string" ? parent : undefined;
  } catch {
    return undefined;
  }
}

/** A migration as it follows the other side. */
export interface Moved {
  readonly migration: Migration;
  readonly changes: readonly Change[];
}

/** What is in the way of one side behind the other. */
export interface ForkConflict extends Conflict {
  readonly migration: Migration;
}

/** The migrations of a side as they are made behind another, both from one schema. */
export function behind(
  side: Side,
  first: Side,
): { readonly moved: readonly Moved[]; readonly conflicts: readonly ForkConflict[] } {
  const moved: Moved[] = [];
  const conflicts: ForkConflict[] = [];
  let over: readonly Change[] = first.flatMap(({ changes }) => changes);
  for (const migration of side) {
    const base: Schema = migration.schemaBefore;
    const rebased = rebase(base, migration.changes, over);
    conflicts.push(...rebased.conflicts.map(each => ({ ...each, migration })));
    moved.push({ migration, changes: rebased.changes });
    over = rebase(base, over, migration.changes).changes;
    if (rebased.conflicts.length > 0) break;
  }
  return { moved, conflicts };
}

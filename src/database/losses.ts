import { sayCount } from "../core/plan/probes.js";
import type { Statement } from "../core/sql/statements.js";
import { countProbes, type ProbeResult } from "./count-rows.js";
import type { Database } from "./session/database.js";
import { takenAway } from "./session/taken-away.js";

/** More would go than was agreed to: it came since it was counted. */
export class MoreLost extends Error {
  constructor(readonly found: readonly ProbeResult[]) {
    super(found.map(({ count, question }) => sayCount(count, question)).join(", "));
  }
}

/**
 * Counts once more what a script takes away, while nobody writes to it. Called inside `exclusively`.
 * @param agreed what may go: the probes that count it, with as many as were counted. @throws MoreLost
 */
export async function recount(database: Database, agreed: readonly ProbeResult[]): Promise<void> {
  if (agreed.length === 0) return;
  const tables = [...new Set(agreed.flatMap(({ table }) => table ?? []))].sort();
  if (tables.length > 0) await database.hold?.(tables);
  refuseMore(agreed, await countProbes(database, agreed));
}

/**
 * The same for one statement of an engine that commits each by itself: its table is locked, and counted, before the
 * statement is sent. @param isLocked whether the script has locked it
 * @returns what is to be done behind the statement. @throws MoreLost
 */
export async function recountBefore(
  database: Database,
  statement: Statement,
  agreed: readonly ProbeResult[],
  isLocked: boolean,
): Promise<(() => Promise<void>) | undefined> {
  const { quote } = database.dialect.names;
  const taken = agreed.length > 0 ? takenAway([statement], database.dialect.tokens) : [];
  const asked = agreed.flatMap((probe): ProbeResult[] => {
    const { change } = probe;
    const found = taken.find(
      ({ table, column }) =>
        (change.kind === "drop table" && column === undefined && change.table.name === table) ||
        (change.kind === "drop column" && change.table === table && change.column.name === column),
    );
    if (!found) return [];
    const what = found.column === undefined ? "*" : quote(found.column);
    return [
      { ...probe, sql: `SELECT count(${what}) AS n FROM ${quote(found.table)}`, table: quote(found.table) },
    ];
  });
  const tables = [...new Set(asked.flatMap(({ table }) => table ?? []))].sort();
  if (tables.length === 0) return undefined;
  const release = isLocked ? undefined : await database.steps?.lock(tables);
  try {
    refuseMore(asked, await countProbes(database, asked));
  } catch (error) {
    await release?.();
    throw error;
  }
  return release;
}

function refuseMore(agreed: readonly ProbeResult[], now: readonly ProbeResult[]): void {
  const more = now.filter(({ count }, at) => count > agreed[at]!.count);
  if (more.length > 0) throw new MoreLost(more);
}

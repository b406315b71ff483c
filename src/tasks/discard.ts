import { rmSync } from "node:fs";
import { relative } from "node:path";
import { problems } from "../core/problems.js";
import { withExistingDatabase } from "../database/open.js";
import { namesRun } from "../database/where-run.js";
import { ownStatements } from "../history/script.js";
import { everyTarget } from "./databases.js";
import { openProject } from "./open-project.js";
import { type TaskOptions, watched } from "./options.js";

export interface DiscardOptions extends TaskOptions {
  /** Whether what was written by hand may go. @default false */
  readonly byHand?: boolean | undefined;
}

export interface DiscardResult {
  readonly migration: { readonly number: number; readonly name: string };
  /** From the project's folder. */
  readonly removed: string;
}

/** Takes back the newest migration, where it ran nowhere. @throws Problem E109, E507, E508, and what reading the project may */
export async function discard(options: DiscardOptions): Promise<DiscardResult> {
  const { settings, dialects, history } = await openProject(options);
  const { folder, migrations } = history();
  const newest = migrations.at(-1);
  if (!newest) throw problems.nothingToAmend({ folder });
  const { number, name } = newest;
  if (newest.folds) throw problems.standsForOthers({ migration: name });
  for (const target of await everyTarget(settings, options)) {
    const ran = await withExistingDatabase(
      target,
      { mode: "read", ...watched(options, target) },
      async database => (await namesRun(database)).has(name),
    );
    if (ran) throw problems.ranElsewhere({ migration: name, target: target.name, guarded: target.guarded });
  }
  if (!options.byHand)
    for (const dialect of dialects)
      for (const direction of ["forward", "back"] as const)
        if (ownStatements(newest, direction, dialect).length > 0)
          throw problems.handWritten({ migration: name, file: newest.folder, mayGo: true });
  rmSync(newest.folder, { recursive: true });
  return { migration: { number, name }, removed: relative(settings.folder, newest.folder) };
}

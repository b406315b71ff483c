import { existsSync } from "node:fs";
import { join, relative } from "node:path";
import { DIALECT_NAMES } from "../core/dialect/registry.js";
import { problems } from "../core/problems.js";
import { keptMigration, type KeptMigration } from "../database/kept-scripts.js";
import { withDatabase } from "../database/open.js";
import { scriptName } from "../history/migration.js";
import { isFolderName, readHistory, RECORD_FILE } from "../history/read.js";
import { scriptText } from "../history/script.js";
import { writeFolder } from "../history/write.js";
import { oneTarget } from "./databases.js";
import { openProject, type OpenProject } from "./open-project.js";
import { type TargetOptions, watched } from "./options.js";
import { refuseFoldedHalfway } from "./run-migrations.js";
import { readState } from "./state.js";

export interface RecoverResult {
  readonly target: string;
  /** The migrations that were written, and their files, from the project's folder. */
  readonly recovered: readonly { readonly name: string; readonly files: readonly string[] }[];
}

/**
 * Writes migrations that ran on a target and are missing here, from what the database keeps of them. Scripts of other
 * dialects are drafted anew. @throws Problem E501 where the database does not have one, and what reading the project may
 */
export async function recover(options: TargetOptions): Promise<RecoverResult> {
  const project = await openProject(options);
  const target = await oneTarget(project.settings, options.target, options);
  return withDatabase(target, { mode: "read", ...watched(options, target) }, async database => {
    const state = await readState(database, project.tornHistory());
    refuseFoldedHalfway(state, target);
    const { entries, stopped } = state;
    const missing = entries.filter(({ state }) => state === "missing");
    const recovered: { readonly name: string; readonly files: readonly string[] }[] = [];
    for (const { number, name, run } of missing) {
      const kept = run ? await keptMigration(database, number) : stopped?.kept;
      recovered.push(await recoverOne(project, target.name, name, kept));
    }
    return { target: target.name, recovered };
  });
}

/** What a database says is no path: only names of migrations and of their files are written. */
async function recoverOne(
  { settings, dialects }: OpenProject,
  target: string,
  name: string,
  kept: KeptMigration | undefined,
): Promise<{ readonly name: string; readonly files: readonly string[] }> {
  const folder = join(settings.migrations, name);
  const known = ["forward", "back"] as const;
  const names = DIALECT_NAMES.flatMap(dialect => known.map(direction => scriptName(direction, dialect)));
  const files = new Map(
    [RECORD_FILE, ...names].flatMap(file => {
      const text = kept?.files[file];
      return typeof text === "string" ? [[file, text] as const] : [];
    }),
  );
  if (!isFolderName(name) || !files.has(RECORD_FILE) || existsSync(folder))
    throw problems.missing({ target, migrations: [name] });
  writeFolder(folder, files);
  const migration = readHistory(settings.migrations).migrations.find(each => each.name === name);
  const others = new Map(
    dialects.flatMap(dialect =>
      known.flatMap(direction => {
        const file = scriptName(direction, dialect.name);
        return files.has(file) || !migration
          ? []
          : [[file, scriptText(migration, direction, dialect)] as const];
      }),
    ),
  );
  if (others.size > 0) writeFolder(folder, new Map([...files, ...others]), true);
  return {
    name,
    files: [...files.keys(), ...others.keys()].map(file => relative(settings.folder, join(folder, file))),
  };
}

import { join, relative } from "node:path";
import { diff } from "../core/change/diff.js";
import { sayChange } from "../core/change/words.js";
import { asSaid } from "../core/dialect/as-said.js";
import { mergeHeld } from "../core/dialect/merge-held.js";
import { learnSpellings, respell } from "../core/lower/spellings.js";
import { problems } from "../core/problems.js";
import { withoutStrangers } from "../core/schema/types.js";
import { allSpellings, readLedger } from "../database/ledger.js";
import { withDatabase } from "../database/open.js";
import { showNumber } from "../history/migration.js";
import { draftMigration, writeDraft, type Draft } from "../history/write.js";
import { oneTarget } from "./databases.js";
import { readHeld, record } from "./adopt.js";
import { withRisks, type ComparedChange } from "./compare.js";
import { readAsWritten, removeFiles, writeNewModels, type Suggestion } from "./drift-models.js";
import { openProject, type OpenProject } from "./open-project.js";
import { type TargetOptions, watched } from "./options.js";
import { refuseUnsound } from "./run-migrations.js";
import { readSettled } from "./state.js";

export interface AdoptDriftOptions extends TargetOptions {
  /** What the migration is called. @default "drift" */
  readonly title?: string | undefined;
  /** Draft a second migration that brings the database back to the history. @default false */
  readonly putRight?: boolean | undefined;
}

export interface AdoptDriftResult {
  readonly target: string;
  /** What the database had beyond the history, and the history now has too. */
  readonly changes: readonly ComparedChange[];
  readonly migration: { readonly number: number; readonly name: string; readonly folder: string };
  /** The migration that takes it away again, not yet run. */
  readonly putRight?: { readonly number: number; readonly name: string; readonly folder: string };
  /** What was written, from the project's folder. */
  readonly written: readonly string[];
  /** What the models should say, where they do not yet: lines for classes that are there. */
  readonly suggestions: readonly Suggestion[];
}

/**
 * Takes in what a database has beyond the history: a migration that records it, marked as run there.
 * @throws Problem E112, E203, E300 to E305, E400 to E415, E500, E501, E505, E510, E901
 */
export async function adoptDrift({
  title = "drift",
  putRight = false,
  ...options
}: AdoptDriftOptions): Promise<AdoptDriftResult> {
  const project = await openProject(options);
  const { settings } = project;
  const target = await oneTarget(settings, options.target, options);
  const history = project.history();
  return withDatabase(target, { mode: "change", ...watched(options, target) }, async database => {
    const { dialect } = database;
    const state = await readSettled(database, history);
    refuseUnsound(state, target);
    const pending = state.entries
      .filter(entry => entry.state === "pending")
      .map(({ number }) => showNumber(number));
    if (pending.length > 0) throw problems.pendingFirst({ target: target.name, pending });
    const held = withoutStrangers((await readHeld(database)).held, [history.schema]);
    const spellings = allSpellings(await readLedger(database));
    const taken = mergeHeld(history.schema, { dialect, held, spellings });
    const came = diff(history.schema, taken);
    if (came.length === 0) {
      throw problems.nothingToAdopt({ target: target.name, label: target.label, drift: true });
    }
    const models = putRight ? undefined : await project.soundModels();
    const classes = models && { project, dialect, models };
    const after = classes
      ? asSaid(taken, { dialect, came, said: await readAsWritten(classes, taken) })
      : taken;
    const learned = dialect.catalog.respells ? learnSpellings(dialect.types.settle(after), held) : {};
    const left = diff(respell(dialect.types.settle(after), learned), held);
    if (left.length > 0) throw problems.unsaid({ differences: left.map(sayChange) });

    const draft = draftMigration(history, title, diff(history.schema, after), project.dialects);
    const { files, suggestions } = classes
      ? await writeNewModels(classes, taken, came)
      : { files: [], suggestions: [] };
    try {
      await database.exclusively(async () => {
        await record(database, draft, learned);
        writeDraft(draft);
      });
    } catch (error) {
      removeFiles(files);
      throw error;
    }
    const next = putRight ? draftBack(project, title) : undefined;
    const facts = ({ migration: { number, name, folder } }: Draft) => ({ number, name, folder });
    const scripts = [draft, ...(next ? [next] : [])].flatMap(each =>
      ["migration.json", ...each.scripts.keys()].map(file => join(each.migration.folder, file)),
    );
    return {
      target: target.name,
      changes: withRisks(came, false),
      migration: facts(draft),
      ...(next && { putRight: facts(next) }),
      written: [...files.map(({ path }) => path), ...scripts].map(file => relative(settings.folder, file)),
      suggestions,
    };
  });
}

/** From what the history has taken in, back to what it was: the models have not changed. */
function draftBack(project: OpenProject, title: string): Draft {
  const history = project.history();
  const before = history.migrations.at(-1)!.schemaBefore;
  const keep = project.settings.keepDropped;
  const changes = diff(history.schema, before);
  const draft = draftMigration(history, `put ${title} right`, changes, project.dialects, { keep });
  writeDraft(draft);
  return draft;
}

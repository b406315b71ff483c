import { readFileSync, rmSync } from "node:fs";
import { relative } from "node:path";
import { diff } from "../core/change/diff.js";
import { describeChange, sayChange } from "../core/change/words.js";
import type { Catalog, Dialect, LeftAlone } from "../core/dialect/shared/dialect.js";
import { withoutRoles } from "../core/dialect/with-roles.js";
import { rowsSeen } from "../core/dialect/rows-seen.js";
import { learnSpellings } from "../core/lower/spellings.js";
import { textOf } from "../core/dialect/shared/object-text.js";
import { objectFiles } from "../core/model/write/object-files.js";
import { addressOf } from "../core/schema/address.js";
import { mentionsIn } from "../core/sql/object-head.js";
import { partition } from "../core/lists.js";
import { splitStatements } from "../core/sql/statements.js";
import { writeModels } from "../core/model/write/write-models.js";
import { Problem, problems } from "../core/problems.js";
import { EMPTY_SCHEMA, isObject, type ObjectDefinition, type Schema } from "../core/schema/types.js";
import { EngineError, type Database } from "../database/session/database.js";
import { LEDGER, withoutInternal } from "../core/schema/internal-tables.js";
import { makeLedger, readLedger, recordRun } from "../database/ledger.js";
import { withDatabase } from "../database/open.js";
import { withScratch } from "../database/open.js";
import { scriptName } from "../history/migration.js";
import { checksumOf, RECORD_FILE } from "../history/read.js";
import { draftMigration, recordText, writeDraft, type Draft } from "../history/write.js";
import { filesLike } from "../project/files-like.js";
import type { LoadedModels } from "../project/load-models.js";
import { oneTarget } from "./databases.js";
import { STARTER_MODEL } from "./init.js";
import { openProject, type OpenProject } from "./open-project.js";
import { type TargetOptions, watched } from "./options.js";
import { stageModels } from "./stage-models.js";

export interface AdoptOptions extends TargetOptions {
  /** What the baseline is called. @default "baseline" */
  readonly title?: string | undefined;
}

export interface AdoptResult {
  readonly target: string;
  /** The file, or the URL without its password. */
  readonly place: string;
  readonly tables: number;
  /** What was written, from the project's folder. */
  readonly written: readonly string[];
  readonly migration: { readonly number: number; readonly name: string; readonly folder: string };
  /** What is there but not modelled: never touched. */
  readonly leftAlone: readonly LeftAlone[];
  /** Whether the baseline makes the same schema of an empty database. */
  readonly proof: Proof;
}

export interface Proof {
  /** undefined: it could not be tried. */
  readonly same?: boolean;
  /** Where it was tried. */
  readonly where?: string;
  /** What came out otherwise, or why it could not be tried. */
  readonly remarks: readonly string[];
}

/**
 * From a database that exists to models, and a baseline migration that is recorded as run there.
 * @throws Problem E111 to E113, E400 to E415, E901
 */
export async function adopt({ title = "baseline", ...options }: AdoptOptions): Promise<AdoptResult> {
  const project = await openProject(options);
  const { settings } = project;
  const target = await oneTarget(settings, options.target, options);
  const starters = await refuseFull(project);
  return withDatabase(target, { mode: "change", ...watched(options, target) }, async database => {
    await refuseLedger(database);
    const { held, leftAlone } = await readHeld(database);
    if (held.tables.length === 0) {
      throw problems.nothingToAdopt({ target: target.name, label: target.label, drift: false });
    }
    const { dialect } = database;
    const raised = dialect.types.raise(dialect.types.unspell(held));
    const files = writeModels(raised, { dialect, naming: settings.naming, usual: settings.grants });
    const own = (raised.definitions ?? []).filter(isObject).filter(({ kind }) => kind !== "policy");
    const objects = objectFiles(own, dialect);
    const staged = await stageModels(files, settings, objects);
    try {
      const schema = soundSchema(await staged.read());
      const spellings = dialect.catalog.respells ? learnSpellings(dialect.types.settle(schema), held) : {};
      // Not by what is learned from it: that would take any text for another way to say the same.
      const { settle, unspell } = dialect.types;
      refuseUnsaid(unspell(settle(schema)), unspell(held));
      const changes = diff(EMPTY_SCHEMA, schema);
      const draft = draftMigration(project.history(), title, changes, project.dialects);
      const proof = await prove(database, draft, held, options);
      await database.exclusively(async () => {
        await record(database, draft, spellings, true);
        writeDraft(draft);
        for (const file of starters) rmSync(file);
        staged.keep();
      });
      const { number, name, folder } = draft.migration;
      const location = relative(settings.folder, folder);
      return {
        target: target.name,
        place: target.label,
        tables: held.tables.length,
        written: [
          ...staged.files,
          ...["migration.json", ...draft.scripts.keys()].map(file => `${location}/${file}`),
        ],
        migration: { number, name, folder },
        leftAlone,
        proof,
      };
    } finally {
      staged.remove();
    }
  });
}

/**
 * A history begins with the baseline, and nobody's models are written over.
 * @returns what init wrote as an example, which is nobody's yet
 */
async function refuseFull({ settings, history }: OpenProject): Promise<string[]> {
  const { migrations } = history();
  if (migrations.length > 0) throw problems.notEmpty({ migrations: migrations.length, models: [] });
  const files = await filesLike(settings.models, settings.folder);
  const own = files.filter(file => readFileSync(file, "utf8") !== STARTER_MODEL);
  if (own.length > 0) {
    throw problems.notEmpty({ migrations: 0, models: own.map(file => relative(settings.folder, file)) });
  }
  return files;
}

/** A second baseline beside migrations that others know would be one that nobody can run. @throws Problem E516 */
async function refuseLedger(database: Database): Promise<void> {
  const ran = (await database.hasTable(LEDGER)) ? await readLedger(database) : [];
  if (ran.length === 0) return;
  const { name, label } = database.target;
  throw problems.ledgerThere({ target: name, label, migrations: ran.map(each => each.name) });
}

/** All that a database holds, but for what is Emberset's own. */
export async function readHeld(
  database: Database,
): Promise<{ readonly held: Schema; readonly leftAlone: readonly LeftAlone[] }> {
  return partStranded(withoutInternal(await database.readCatalog()), database.dialect);
}

/** What speaks of something that is left alone is left alone, too: it could not be made without it. */
function partStranded(
  { schema, leftAlone }: Catalog,
  dialect: Dialect,
): { readonly held: Schema; readonly leftAlone: readonly LeftAlone[] } {
  const lost = new Set(
    leftAlone.flatMap(({ kind, name }) =>
      /(?:table|partition|aggregate|view|function)$/.test(kind)
        ? [name.replace(/^.*\./, "").toLowerCase()]
        : [],
    ),
  );
  const tables = new Set(schema.tables.map(({ name }) => name.toLowerCase()));
  const all = (schema.definitions ?? []).filter(isObject);
  const said = rowsSeen(schema, dialect);
  const [stranded, others] = partition(all, ({ kind, on = "" }) => kind === "policy" && !said.has(on));
  let objects = others;
  for (let found = objects; found.length > 0;) {
    found = objects.filter(object =>
      [...mentionsIn(textOf(object), dialect.tokens).bound].some(name => lost.has(name) && !tables.has(name)),
    );
    for (const { name } of found) lost.add(name.toLowerCase());
    stranded.push(...found);
    objects = objects.filter(object => !found.includes(object));
  }
  const { definitions = [], ...rest } = schema;
  const kept = definitions.filter(each => !isObject(each) || objects.includes(each));
  return {
    held: { ...rest, ...(kept.length > 0 && { definitions: kept }) },
    leftAlone: [...leftAlone, ...stranded.map(leftAloneOf)],
  };
}

/** An object that is somebody else's. */
export function leftAloneOf(object: ObjectDefinition): LeftAlone {
  return {
    kind: object.kind,
    name: object.kind === "trigger" ? object.name : addressOf(object),
    ...(object.on !== undefined && { table: object.on }),
  };
}

function soundSchema({ schema, findings }: LoadedModels): Schema {
  const errors = findings.filter(({ severity }) => severity === "error");
  if (errors.length === 0) return schema;
  throw problems.unsaid({
    differences: errors.map(({ code, entity, what }) => `${code} ${entity}: ${what}`),
  });
}

/** The models must say all of the database. */
function refuseUnsaid(said: Schema, held: Schema): void {
  const differences = diff(said, held).map(sayChange);
  if (differences.length > 0) throw problems.unsaid({ differences });
}

/** Marks a migration as run where the database has been as it says all along. @param adopted whether all of it was there before */
export async function record(
  database: Database,
  { migration, scripts }: Draft,
  spellings: ReturnType<typeof learnSpellings>,
  adopted = false,
): Promise<void> {
  const script = (direction: "forward" | "back") =>
    checksumOf(scripts.get(scriptName(direction, database.dialect.name)) ?? "");
  await makeLedger(database);
  const ran = await readLedger(database);
  if (ran.some(({ number }) => number === migration.number)) return;
  await recordRun(database, {
    migration,
    checksums: { forward: script("forward"), back: script("back") },
    tookMs: 0,
    spellings,
    kept: {
      files: { [RECORD_FILE]: recordText(migration), ...Object.fromEntries(scripts) },
      ...(adopted && { adopted }),
    },
  });
}

/** Builds the baseline in an empty database and holds the result against the one it was read from. */
async function prove(
  { target, dialect }: Database,
  { scripts }: Draft,
  held: Schema,
  options: TargetOptions,
): Promise<Proof> {
  const text = scripts.get(scriptName("forward", dialect.name)) ?? "";
  try {
    return await withScratch(target, watched(options, target), async ({ database, where }) => {
      for (const { sql } of splitStatements(text, dialect.tokens)) await database.runScripted(sql);
      const built = await readHeld(database);
      // One thing may have been said in two ways. Who may do what is not said there.
      const { unspell } = dialect.types;
      const remarks = diff(unspell(withoutRoles(held)), unspell(built.held)).map(describeChange);
      return { same: remarks.length === 0, where, remarks };
    });
  } catch (error) {
    if (error instanceof EngineError) return { same: false, remarks: [error.message] };
    if (error instanceof Problem && error.exit === 4) return { remarks: [error.words.what] };
    throw error;
  }
}

import { diff, type DiffHints } from "../core/change/diff.js";
import { describeChange } from "../core/change/words.js";
import { learnSpellings, respell, type Spellings } from "../core/lower/spellings.js";
import { blocksFor, planFrom } from "../core/plan/plan.js";
import { probes } from "../core/plan/probes.js";
import { sayRows } from "../core/plan/say-rows.js";
import type { RenderPlan } from "../core/dialect/shared/render-plan.js";
import { problems } from "../core/problems.js";
import { withoutInternal } from "../core/schema/internal-tables.js";
import { EMPTY_SCHEMA, withoutStrangers, type ObjectDefinition, type Schema } from "../core/schema/types.js";
import { splitStatements } from "../core/sql/statements.js";
import { countProbes, type ProbeResult } from "../database/count-rows.js";
import { readJournal, sayStopped } from "../database/journal.js";
import { readLedger } from "../database/ledger.js";
import { MoreLost } from "../database/losses.js";
import { withDatabase, withExistingDatabase, withScratch } from "../database/open.js";
import { runAtOnce, stepFailing, unlessUnsure } from "../database/run-at-once.js";
import type { Database } from "../database/session/database.js";
import { planText } from "../history/script.js";
import type { LoadedModels } from "../project/load-models.js";
import { oneTarget } from "./databases.js";
import { dialectOf, type TargetSettings } from "../project/settings.js";
import { asFound, curesOf } from "./ask-rows.js";
import { withRisks, type ComparedChange } from "./compare.js";
import { withFills } from "./fills.js";
import { openProject } from "./open-project.js";
import { type TargetOptions, watched } from "./options.js";
import { askAll, type Questions } from "./questions.js";
import { withRenames } from "./renames.js";
import type { RunOptions } from "./run-migrations.js";
import { hintsFrom } from "./way.js";

export interface MatchOptions extends TargetOptions, Pick<RunOptions, "mayLose"> {
  /** What was called otherwise: `shelves=racks`, `pieces.weight=pieces.weight_grams`. */
  readonly renames?: readonly string[] | undefined;
  /** What rows that exist get in columns that will be required: `pieces.shelf=top`. */
  readonly fills?: readonly string[] | undefined;
  /** Asks the developer what the models do not tell. @default nothing is asked */
  readonly questions?: Questions | undefined;
  /** Give the SQL and run nothing. @default false */
  readonly show?: boolean | undefined;
  /** Make the database where a server does not have it yet. A file is always made. @default false */
  readonly createDatabase?: boolean | undefined;
}

export interface MatchResult {
  readonly target: string;
  /** The file, or the URL without its password. */
  readonly place: string;
  /** What took the database to the models. */
  readonly changes: readonly ComparedChange[];
  /** The SQL of it. */
  readonly script: string;
  /** Whether it was run. */
  readonly done: boolean;
  /** How many migrations ran there, which the database is no longer held to. */
  readonly migrations: number;
  /** How the database differs from the models all the same, a line each. */
  readonly drift: readonly string[];
}

/**
 * Makes a database equal to the models, with no migration kept and nothing put into the attic: for a schema that is
 * still a scratch pad. What would go is asked about, tables that are empty too.
 * @throws Problem E104, E203, E400 to E414, E520, E525 to E528
 */
export async function match(options: MatchOptions): Promise<MatchResult> {
  const project = await openProject(options);
  const target = await oneTarget(project.settings, options.target, options);
  if (target.guarded) throw problems.neverGuarded({ target: target.name, doing: DOING });
  const models = await project.soundModels();
  const wanted = {
    portable: models.schema,
    spellings: await askSpellings(target, models.schema, options),
  };
  const { show } = options;
  const told = (plan: RenderPlan): Told => ({
    target: target.name,
    place: target.label,
    changes: withRisks(plan.changes, false),
    script: planText(plan, dialectOf(target)),
  });
  const work = async (database: Database): Promise<MatchResult> => {
    const stopped = await readJournal(database);
    if (stopped) throw problems.stopped({ target: target.name, ...sayStopped(stopped) });
    const way = await wayTo(database, wanted, raised => hintsOf(models, raised, options));
    const result = told(way.plan);
    const done = !show && way.plan.changes.length > 0;
    if (done) await goThere(database, way, options);
    const held = done ? await heldBy(database, [models.schema]) : way.plan.before;
    const drift = show ? [] : diff(respell(way.plan.after, wanted.spellings), held).map(describeChange);
    return { ...result, done, migrations: (await readLedger(database)).length, drift };
  };
  if (!show)
    return withDatabase(
      target,
      { mode: options.createDatabase ? "create" : "write", ...watched(options, target) },
      work,
    );
  const found = await withExistingDatabase(target, { mode: "read", ...watched(options, target) }, work);
  if (found) return found;
  const nothing = { portable: EMPTY_SCHEMA, held: EMPTY_SCHEMA };
  const changes = diff(EMPTY_SCHEMA, models.schema);
  const plan = planFrom(dialectOf(target), nothing, wanted, changes);
  return { ...told(plan), done: false, migrations: 0, drift: [] };
}

type Told = Omit<MatchResult, "done" | "migrations" | "drift">;

const DOING = "made equal to the models";

/** How a target's engine spells what a schema in portable words sends: it is asked. */
async function askSpellings(
  target: TargetSettings,
  schema: Schema,
  options: TargetOptions,
): Promise<Spellings> {
  return withScratch(target, watched(options, target), async ({ database }) => {
    const { dialect } = database;
    for (const { statements } of blocksFor(dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)))
      for (const statement of statements) await database.runScripted(statement);
    return learnSpellings(dialect.types.settle(schema), await heldBy(database));
  });
}

/** Policies come of what models say of rows, or said before. */
function isOfRows({ kind, name }: ObjectDefinition): boolean {
  return kind === "policy" && name.startsWith("rows_");
}

/** @param known whose objects are looked at; absent: all are */
async function heldBy(database: Database, known?: readonly Schema[]): Promise<Schema> {
  const { schema } = withoutInternal(await database.readCatalog());
  return known ? withoutStrangers(schema, known, isOfRows) : schema;
}

/** A schema in portable words, and how the engine spells what it sends. */
interface Wanted {
  readonly portable: Schema;
  readonly spellings: Spellings;
}

interface Way {
  readonly plan: RenderPlan;
  /** What goes, with as many as there are. */
  readonly going: readonly ProbeResult[];
}

/** What the models and the developer say of the way there. @throws Problem E110, E118 */
async function hintsOf(
  models: LoadedModels,
  from: Schema,
  { renames = [], fills = [], questions }: MatchOptions,
): Promise<DiffHints> {
  const renamed = withRenames(hintsFrom(models, from), renames, from, models.schema);
  const said = withFills(renamed, fills, models.schema);
  return questions ? askAll(said, from, models.schema, questions) : said;
}

/**
 * What takes a database from what it holds to a schema. @param hints on the way from what it holds, in portable words
 * @throws Problem E527 where rows are in the way
 */
export async function wayTo(
  database: Database,
  wanted: Wanted,
  hints: (from: Schema) => Promise<DiffHints>,
): Promise<Way> {
  const { dialect, target } = database;
  const held = await heldBy(database, [wanted.portable]);
  const portable = dialect.types.raise(held);
  const changes = diff(portable, wanted.portable, await hints(portable));
  const plan = planFrom(dialect, { portable, held }, wanted, changes);
  const found = await countProbes(database, probes(plan, dialect), true);
  const refusing = found.filter(({ meaning, count }) => meaning === "refuses" && count > 0);
  if (refusing.length > 0)
    throw problems.rowsUnlikeModels({
      target: target.name,
      rows: refusing.map(sayRows),
      found: refusing.map(asFound),
      cures: curesOf(refusing),
    });
  return { plan, going: found.filter(({ meaning }) => meaning === "loses") };
}

/** Makes it so. @throws Problem E404, E407, E408, E526, E528, E529 */
export async function goThere(
  database: Database,
  { plan, going }: Way,
  { mayLose }: Pick<MatchOptions, "mayLose">,
): Promise<void> {
  const { dialect, target } = database;
  let agreed = going;
  await ask(target, agreed.map(sayRows), mayLose);
  const statements = splitStatements(planText(plan, dialect), dialect.tokens);
  const attempt = (careful: boolean) =>
    database.exclusively(async () => {
      if (diff(plan.before, await heldBy(database, [plan.before, plan.after])).length > 0)
        throw problems.changedMeanwhile({ target: target.name });
      await runAtOnce(
        database,
        {
          ...{ statements, agreed },
          managed: () => dialect.render.managedObjectNames(plan.before),
          failed: stepFailing(database, DOING),
        },
        careful,
      );
    });
  for (;;) {
    try {
      return await unlessUnsure(attempt);
    } catch (error) {
      if (!(error instanceof MoreLost)) throw error;
      await ask(target, error.found.map(sayRows), mayLose);
      agreed = agreed.map(each => error.found.find(({ question }) => question === each.question) ?? each);
    }
  }
}

/** @throws Problem E526 */
async function ask(
  { name, guarded }: TargetSettings,
  losses: readonly string[],
  mayLose: RunOptions["mayLose"],
): Promise<void> {
  if (losses.length === 0 || (await mayLose?.(losses, { name, guarded }))) return;
  throw problems.wouldGo({ target: name, doing: DOING, losses });
}

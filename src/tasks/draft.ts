import { relative } from "node:path";
import { diff } from "../core/change/diff.js";
import { columnsOfChange } from "../core/change/columns-of.js";
import { tableOf, type Change } from "../core/change/types.js";
import { addressOf } from "../core/schema/address.js";
import type { LoadedModels } from "../project/load-models.js";
import { hindrancesOf } from "../core/plan/online.js";
import { problems } from "../core/problems.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import type { Migration } from "../history/migration.js";
import { migrationPlan } from "../history/script.js";
import { draftMigration, writeDraft, type Draft } from "../history/write.js";
import { adviseOnHistory } from "../core/model/advice/history.js";
import type { Finding } from "../core/model/read/findings.js";
import { withRisks, type ComparedChange } from "./compare.js";
import { isAmong, isToBeOnline } from "./drafted-online.js";
import { openProject, type OpenProject } from "./open-project.js";
import type { TaskOptions } from "./options.js";
import { withFills } from "./fills.js";
import { hintsOnTheWay, startAfter } from "./way.js";
import { withRenames } from "./renames.js";
import { askAll, type Questions } from "./questions.js";

export interface DraftOptions extends TaskOptions {
  /** What the migration does, in a few words. */
  readonly title: string;
  /** What was called otherwise: `shelves=racks`, `pieces.weight=pieces.weight_grams`. */
  readonly renames?: readonly string[] | undefined;
  /** What rows that exist get in columns that will be required: `pieces.shelf=top`. */
  readonly fills?: readonly string[] | undefined;
  /** Asks the developer what the models do not tell. @default nothing is asked: the advice says it */
  readonly questions?: Questions | undefined;
  /** Empty scripts, to be written by hand, whatever the models say. @default false */
  readonly blank?: boolean | undefined;
  /** What it takes away is gone, rather than kept in the attic. @default as `keepDropped` says in the config */
  readonly lose?: boolean | undefined;
  /**
   * It is to run while others write, on all kinds of databases in use. @default as the targets say: true where one of them is
   * online, and refused where it cannot be on that kind
   */
  readonly online?: boolean | undefined;
}

export interface DraftResult {
  /** undefined when the history already has all that the models say. */
  readonly migration?: { readonly number: number; readonly name: string; readonly folder: string };
  /** What was written, from the project's folder. */
  readonly written: readonly string[];
  readonly changes: readonly ComparedChange[];
  /** What a dialect cannot hold, and the like. */
  readonly advice: readonly Finding[];
}

/** Writes the next migration: what takes the history to the models, and back. @throws Problem E110, E118, E140, E203, E300 to E305 */
export async function draft({
  title,
  renames = [],
  fills = [],
  questions,
  blank,
  lose,
  online,
  ...options
}: DraftOptions): Promise<DraftResult> {
  const project = await openProject(options);
  const { settings } = project;
  if (blank) return draftBlank(project, title, online ?? settings.online.length > 0);
  const models = await project.soundModels();
  const history = project.history();
  const given = withFills(
    withRenames(hintsOnTheWay(models, history.migrations), renames, history.schema, models.schema),
    fills,
    models.schema,
  );
  const hints = questions ? await askAll(given, history.schema, models.schema, questions) : given;
  const changes = diff(history.schema, models.schema, hints);
  const advice = [
    ...models.findings.filter(finding => finding.severity === "advice" && concerns(finding, changes, models)),
    ...adviseOnHistory(models, startAfter(history.migrations), hints)
      .filter(({ code }) => !questions || !ASKED.includes(code))
      .map(models.locate),
  ];
  const keep = settings.keepDropped && !lose;
  const draftAs = (isOnline: boolean) =>
    draftMigration(history, title, changes, project.dialects, { keep, online: isOnline });
  const isOnline =
    online ?? isToBeOnline(project, dialect => migrationPlan(draftAs(true).migration, "forward", dialect));
  const made = draftAs(isOnline);
  const held = project.dialects.filter(dialect => online || isAmong(settings.online, dialect));
  if (isOnline) refuseHindered(made.migration, held);
  if (changes.length === 0) return { written: [], changes: [], advice };
  return { ...written(project, made), changes: withRisks(changes, keep), advice };
}

/** Whether advice is about what a draft does: what was so before, `check` tells. */
function concerns(
  { entity: name, property }: Finding,
  changes: readonly Change[],
  { resolver }: LoadedModels,
): boolean {
  const entity = resolver.entities.find(each => each.name === name);
  if (!entity) return true;
  const address = resolver.address(entity);
  const columns = property === undefined ? [] : resolver.namesOf(entity, property);
  return changes.some(change => {
    if (change.kind === "add table") return addressOf(change.table) === address;
    if (tableOf(change) !== address) return false;
    const about = change.kind === "add column" ? [change.column.name] : columnsOfChange(change);
    if (property === undefined) return /^(?:add|alter) (?:column|part)$/.test(change.kind);
    return about.some(each => columns.includes(each));
  });
}

/** What the developer was asked about needs no advice. */
const ASKED = ["A317", "A318"];

/** @throws Problem E140 where something cannot be done while others write */
function refuseHindered(migration: Migration, dialects: readonly Dialect[]): void {
  const found = dialects.flatMap(dialect => {
    const all = hindrancesOf(migrationPlan(migration, "forward", dialect), dialect);
    return all.map(({ what, reason }) => `${dialect.name}: ${what}: ${reason}`);
  });
  if (found.length > 0) throw problems.notOnline({ title: migration.title, hindrances: found });
}

function draftBlank(project: OpenProject, title: string, online: boolean): DraftResult {
  const made = draftMigration(project.history(), title, [], project.dialects, { blank: true, online });
  return { ...written(project, made), changes: [], advice: [] };
}

function written(project: OpenProject, made: Draft): Pick<DraftResult, "migration" | "written"> {
  writeDraft(made);
  const { number, name, folder } = made.migration;
  const location = relative(project.settings.folder, folder);
  return {
    migration: { number, name, folder },
    written: ["migration.json", ...made.scripts.keys()].map(file => `${location}/${file}`),
  };
}

import { existsSync, rmSync } from "node:fs";
import { relative } from "node:path";
import { sayChange } from "../core/change/words.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import type { Direction } from "../core/direction.js";
import { problems } from "../core/problems.js";
import { namesRun } from "../database/where-run.js";
import { withExistingDatabase } from "../database/open.js";
import { behind, sidesOf, type ForkConflict, type Moved, type Side } from "../history/fork.js";
import { scriptName, type Migration } from "../history/migration.js";
import { readScript, type History, type TornHistory } from "../history/read.js";
import { ownStatements } from "../history/script.js";
import { draftMigration, writeDraft, type Draft } from "../history/write.js";
import type { Settings } from "../project/settings.js";
import { withRisks, type ComparedChange } from "./compare.js";
import { everyTarget } from "./databases.js";
import { openProject, type OpenProject } from "./open-project.js";
import { type TaskOptions, watched } from "./options.js";

export interface RestackOptions extends TaskOptions {
  /** The first migration of the side that goes behind the other. @default the one that ran nowhere; else the later name */
  readonly behind?: string | undefined;
}

export interface RestackResult {
  /** The side that stays, and where it ran. */
  readonly first: readonly string[];
  readonly ranOn: readonly string[];
  /** Migrations of the other side as they are now; one that the first side has done already has no folder. */
  readonly moved: readonly RestackedMigration[];
}

export interface RestackedMigration {
  readonly was: string;
  readonly name?: string;
  readonly changes: readonly ComparedChange[];
  /** Scripts in which something was written by hand: it is kept, and to be read again. */
  readonly byHand: readonly string[];
}

/**
 * Puts the sides of a fork in one order: the one that ran nowhere behind the other, its changes as they are made there,
 * its scripts drafted anew. @throws Problem E522 to E524, and what reading the project may
 */
export async function restack(options: RestackOptions): Promise<RestackResult> {
  const project = await openProject(options);
  const torn = project.tornHistory();
  const sides = sidesOf(torn);
  if (sides.length < 2) throw problems.noFork({ migrations: torn.migrations.length });
  const ran = await whereTheyRan(project.settings, sides, options);
  const [first, ...rest] = inOrder(sides, ran, options.behind);
  const ranOn = [...(ran.get(first!) ?? [])];
  const done: RestackedMigration[] = [];
  let stack: Side = first!;
  // All is worked out before anything is written.
  const drafts: {
    readonly was: Migration;
    readonly draft: Draft | undefined;
    readonly byHand: readonly string[];
  }[] = [];
  for (const side of rest) {
    const { moved, conflicts } = behind(side, stack);
    if (conflicts.length > 0)
      throw problems.apart({ conflicts: conflicts.flatMap(each => sayConflict(each, stack)) });
    for (const each of moved) {
      const one = draftBehind(project, torn, stack, each);
      drafts.push({ was: each.migration, ...one });
      if (one.draft) stack = [...stack, one.draft.migration];
    }
  }
  // From the end on: a folder whose name another needs has been written under its own new one by then.
  for (const { draft } of drafts.toReversed())
    if (draft) writeDraft(draft, existsSync(draft.migration.folder));
  for (const { was, draft, byHand } of drafts) {
    const { keepDropped } = project.settings;
    done.push({
      was: was.name,
      ...(draft && { name: draft.migration.name }),
      changes: withRisks(draft?.migration.changes ?? [], keepDropped),
      byHand,
    });
  }
  const written = new Set(drafts.map(({ draft }) => draft?.migration.folder));
  for (const { was } of drafts) if (!written.has(was.folder)) rmSync(was.folder, { recursive: true });
  return { first: first!.map(({ name }) => name), ranOn, moved: done };
}

/** The targets on which something of each side ran, as far as they can be reached. */
async function whereTheyRan(
  settings: Settings,
  sides: readonly Side[],
  options: TaskOptions,
): Promise<Map<Side, Set<string>>> {
  const ran = new Map(sides.map(side => [side, new Set<string>()]));
  for (const target of await everyTarget(settings, options)) {
    const names = await withExistingDatabase(target, { mode: "read", ...watched(options, target) }, namesRun);
    for (const side of sides) if (side.some(({ name }) => names?.has(name))) ran.get(side)!.add(target.name);
  }
  return ran;
}

/** The side that ran stays; of those that ran nowhere, all put them in one order. @throws Problem E523, E108 */
function inOrder(
  sides: readonly Side[],
  ran: ReadonlyMap<Side, ReadonlySet<string>>,
  last: string | undefined,
): readonly Side[] {
  const nameOf = (side: Side) => side[0]!.name;
  const sorted = [...sides].sort((a, b) => (nameOf(a) < nameOf(b) ? -1 : 1));
  const there = sorted.filter(side => ran.get(side)!.size > 0);
  if (there.length > 1)
    throw problems.ranBoth({
      sides: there.map(side => `${nameOf(side)} on ${[...ran.get(side)!].join(", ")}`),
    });
  const chosen = sorted.find(side => nameOf(side) === last);
  if (last !== undefined && !chosen)
    throw problems.unknownMigration({ number: last, valid: sorted.map(nameOf).join(", ") });
  if (chosen && there.includes(chosen))
    throw problems.ranBoth({ sides: [`${nameOf(chosen)} on ${[...ran.get(chosen)!].join(", ")}`] });
  const rest = sorted.filter(side => !there.includes(side) && side !== chosen);
  return [...there, ...rest, ...(chosen ? [chosen] : [])];
}

/** A migration as it is drafted behind others; what somebody wrote into its scripts stays in them. */
function draftBehind(
  { dialects, settings }: OpenProject,
  torn: TornHistory,
  stack: Side,
  { migration, changes }: Moved,
): { readonly draft: Draft | undefined; readonly byHand: readonly string[] } {
  const isByHand = dialects.some(dialect =>
    (["forward", "back"] as const).some(direction => handText(migration, direction, dialect) !== undefined),
  );
  // What is written by hand is kept, even where nothing else is left to do.
  if (changes.length === 0 && migration.changes.length > 0 && !isByHand)
    return { draft: undefined, byHand: [] };
  const history: History = {
    folder: torn.folder,
    migrations: [...torn.migrations, ...stack],
    schema: stack.at(-1)!.schemaAfter,
  };
  const blank = migration.changes.length === 0;
  const draft = draftMigration(history, migration.title, changes, dialects, {
    blank,
    keep: migration.kept ?? false,
    online: migration.online,
  });
  const byHand: string[] = [];
  const scripts = new Map(draft.scripts);
  for (const dialect of dialects)
    for (const direction of ["forward", "back"] as const) {
      const own = handText(migration, direction, dialect);
      if (own === undefined) continue;
      const file = scriptName(direction, dialect.name);
      scripts.set(file, `${scripts.get(file) ?? ""}${own}`);
      byHand.push(relative(settings.folder, `${draft.migration.folder}/${file}`));
    }
  return { draft: { ...draft, scripts }, byHand };
}

/** What was written by hand into a script, to stand behind what is drafted. */
function handText(migration: Migration, direction: Direction, dialect: Dialect): string | undefined {
  if (migration.changes.length === 0) {
    // All of it but the heading.
    const { text } = readScript(migration, direction, dialect.name);
    const own = text.replace(/^(?:--.*\n)+\n*/, "");
    return own.trim() === "" ? undefined : `\n${own}`;
  }
  const own = ownStatements(migration, direction, dialect);
  if (own.length === 0) return undefined;
  const lines = own.map(({ sql }) => `${sql};`);
  return `\n-- written by hand, before this migration was put behind others: see that it still fits\n${lines.join("\n")}\n`;
}

/** Side by side: what each does, under its title. */
function sayConflict({ migration, change, others, reason }: ForkConflict, stack: Side): string[] {
  const theirs = stack.filter(({ changes }) => changes.some(each => others.includes(each)));
  const titles = (theirs.length > 0 ? theirs : stack).map(({ name }) => name).join(", ");
  return [
    `${migration.name}: ${sayChange(change)}\n${titles}: ${[...new Set(others.map(sayChange))].join(", ")}\n${reason}`,
  ];
}

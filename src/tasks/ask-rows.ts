import { risks } from "../core/change/risk.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import type { Attic } from "../core/dialect/shared/kept.js";
import type { RenderPlan } from "../core/dialect/shared/render-plan.js";
import { widens } from "../core/dialect/registry.js";
import type { Direction } from "../core/direction.js";
import type { Probe } from "../core/plan/probe.js";
import { probes } from "../core/plan/probes.js";
import { sayRows } from "../core/plan/say-rows.js";
import { problems, type Cure, type FoundRows, type StoppedRun } from "../core/problems.js";
import { splitStatements } from "../core/sql/statements.js";
import { takenBy } from "../core/sql/takes.js";
import { readAttic } from "../database/attic.js";
import { readJournal } from "../database/journal.js";
import { countProbes, type ProbeResult } from "../database/count-rows.js";
import type { Database } from "../database/session/database.js";
import type { Migration } from "../history/migration.js";
import { readScript } from "../history/read.js";
import { isEdited, migrationPlan, ownStatements, wayOf } from "../history/script.js";
import type { MayLose } from "./options.js";

/** Who is asked whether rows may go. */
interface Asking {
  readonly mayLose?: MayLose | undefined;
}

/** A migration that is to run next. */
export interface NextRun {
  readonly migration: Migration;
  readonly direction: Direction;
  /** The names of those that ran just before it. */
  readonly before: readonly string[];
  /** Where an earlier run of it has stopped, if one has. */
  readonly stopped?: StoppedRun | undefined;
}

/** Whether rows could stand in the way, be lost, or have to come back: else none needs to be asked. */
export function concernsRows(migration: Migration, direction: Direction): boolean {
  if (direction === "back" && migration.kept) return true;
  const { changes } = wayOf(migration, direction);
  const keep = direction === "forward" && migration.kept === true;
  return risks(changes, { keep, widens }).some(({ level }, at) => {
    if (level !== "kept") return level !== "safe";
    // Where no key tells the rows, values are lost all the same.
    return changes[at]?.kind === "alter column";
  });
}

/** What gets those rows out of the way that refuse. */
export function curesOf(found: readonly ProbeResult[]): Set<Cure> {
  return new Set(found.flatMap(({ meaning, cure = "correct" }) => (meaning === "refuses" ? [cure] : [])));
}

/**
 * Looks at the rows before a migration runs: those in its way stop it, those it takes away are asked about.
 * @returns what is counted of the latter, none included
 */
export async function askRows(
  database: Database,
  next: NextRun,
  { mayLose }: Asking,
): Promise<ProbeResult[]> {
  const { migration, direction } = next;
  const byHand = takenByHand(database, next);
  if (!concernsRows(migration, direction)) {
    await agreeTo(database, next, { going: [], byHand }, mayLose);
    return [];
  }
  const plan = migrationPlan(migration, direction, database.dialect);
  if (plan.attic && direction === "back") await refuseEmptyAttic(database, migration, plan.attic);
  // A script that is no longer as it was drafted may well see to the rows itself; the database has the last word.
  const drafted = !isEdited(migration, direction, database.dialect);
  return askRowsOf(database, next, { plan, drafted, byHand }, { mayLose });
}

/** What a script that is no longer as it was drafted does by itself to rows; only a guarded target asks about updates. */
function takenByHand({ dialect, target }: Database, { migration, direction }: NextRun): string[] {
  const { text } = readScript(migration, direction, dialect.name);
  // What is as it was drafted is told from the rest by drafting it again: only where there is anything to tell.
  if (takenBy(splitStatements(text, dialect.tokens), dialect.tokens).length === 0) return [];
  return takenBy(ownStatements(migration, direction, dialect), dialect.tokens)
    .filter(({ kind }) => target.guarded || kind === "deletes" || kind === "drops")
    .map(({ what, line }) => `the script ${what} (line ${line})`);
}

interface Asked {
  readonly plan: RenderPlan;
  /** Whether the script is as it was drafted. */
  readonly drafted: boolean;
  /** What the script does by itself to rows. */
  readonly byHand?: readonly string[];
}

/** The same for what takes a migration somewhere, whether as it was drafted or not. */
export async function askRowsOf(
  database: Database,
  next: NextRun,
  { plan, drafted, byHand = [] }: Asked,
  { mayLose }: Asking,
): Promise<ProbeResult[]> {
  const { dialect } = database;
  const { migration, direction, before } = next;
  const asked = probesOf(plan, dialect, direction).filter(({ meaning }) => meaning !== "keeps");
  const counted = await countProbes(database, asked, true);
  const refusing = counted.filter(({ meaning, count }) => meaning === "refuses" && count > 0);
  const losing = counted.filter(({ meaning }) => meaning === "loses");
  if (refusing.length > 0 && drafted) {
    const { file } = readScript(migration, direction, dialect.name);
    throw problems.rowsRefuse({
      migration: calledOnItsWay(next),
      rows: refusing.map(sayRows),
      found: refusing.map(asFound),
      before,
      file,
      direction,
      cures: curesOf(refusing),
    });
  }
  const going = losing.filter(({ count }) => count > 0);
  await agreeTo(database, next, { going, byHand }, mayLose);
  return losing;
}

/** Many databases are asked the same; a plan is one dialect's, in one direction. */
const known = new WeakMap<RenderPlan, readonly Probe[]>();

function probesOf(plan: RenderPlan, dialect: Dialect, direction: Direction): readonly Probe[] {
  const found = known.get(plan) ?? probes(plan, dialect, direction);
  known.set(plan, found);
  return found;
}

/** What a migration that stopped in the midst may still take away, of which nothing is agreed to any more. */
export function losingProbes({ dialect }: Database, { migration, direction }: NextRun): ProbeResult[] {
  return probes(migrationPlan(migration, direction, dialect), dialect, direction)
    .filter(({ meaning }) => meaning === "loses")
    .map(probe => ({ ...probe, count: 0 }));
}

/** More came since it was asked about what may go. @returns what may go now */
export async function askForMore(
  database: Database,
  next: NextRun,
  { agreed, found }: { readonly agreed: readonly ProbeResult[]; readonly found: readonly ProbeResult[] },
  { mayLose }: Asking,
): Promise<ProbeResult[]> {
  const midst = (await readJournal(database)) !== undefined;
  await agreeTo(database, next, { going: found, midst }, mayLose);
  return agreed.map(each => found.find(({ question }) => question === each.question) ?? each);
}

interface Going {
  readonly going: readonly ProbeResult[];
  /** What a script does by itself. */
  readonly byHand?: readonly string[];
  /** Whether some statements of it are done. */
  readonly midst?: boolean;
}

async function agreeTo(
  { target }: Database,
  next: NextRun,
  { going, byHand = [], midst = false }: Going,
  mayLose: MayLose | undefined,
): Promise<void> {
  const { guarded } = target;
  // What may go is said for a list as a whole.
  const name = target.list ?? target.name;
  const losses = [...going.map(sayRows), ...byHand];
  if (losses.length === 0 || (await mayLose?.(losses, { name, guarded, many: target.list !== undefined })))
    return;
  const { before } = next;
  const found = going.map(asFound);
  const called = calledOnItsWay(next);
  throw problems.wouldLose({ migration: called, target: name, losses, found, guarded, before, midst });
}

/** What a probe found, as a problem tells it. */
export function asFound({ question, count, examples = [], sight }: ProbeResult): FoundRows {
  return { question, count, examples, ...(sight && { query: sight.sql }) };
}

function calledOnItsWay({ migration, direction }: NextRun): string {
  return direction === "forward" ? migration.name : `${migration.name} (back)`;
}

/** A script that is as it was drafted needs all that the attic took. */
async function refuseEmptyAttic(
  database: Database,
  migration: Migration,
  { kept, counters, numbered }: Attic,
): Promise<void> {
  if (isEdited(migration, "back", database.dialect)) return;
  const there = new Set((await readAttic(database)).map(({ address }) => address));
  const missing = [...kept, ...counters, ...numbered]
    .map(({ address }) => address)
    .filter(address => !there.has(address));
  if (missing.length > 0)
    throw problems.notInAttic({
      migration: migration.name,
      target: database.target.name,
      addresses: missing,
    });
}

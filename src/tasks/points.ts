import { diff } from "../core/change/diff.js";
import { hintsOf } from "../core/change/hints.js";
import { invert } from "../core/change/invert.js";
import type { Change } from "../core/change/types.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import { respell, type Spellings } from "../core/lower/spellings.js";
import { problems } from "../core/problems.js";
import { withoutInternal } from "../core/schema/internal-tables.js";
import { EMPTY_SCHEMA, withoutStrangers, type Schema } from "../core/schema/types.js";
import { allSpellings, readLedger } from "../database/ledger.js";
import { withDatabase } from "../database/open.js";
import type { Database } from "../database/session/database.js";
import { showNumber } from "../history/migration.js";
import type { History } from "../history/read.js";
import type { LoadedModels } from "../project/load-models.js";
import { hintsOnTheWay } from "./way.js";
import { oneTarget } from "./databases.js";
import type { OpenProject } from "./open-project.js";
import { type TaskOptions, watched } from "./options.js";

/** A version of the schema that can be compared. */
export interface Point {
  /** `models`, `history`, `empty`, a migration's number, or `target:NAME`. */
  readonly name: string;
  /** In portable words; as its dialect holds it where the point is a live database. */
  readonly schema: Schema;
  /** The number of the last migration that leads there, of a live database the last that ran; 0: none does. */
  readonly migrations: number;
  /** Of the models: the changes that lead there from the history, which hold renames and fills. */
  readonly beyond?: readonly Change[];
  /** Of the models: what was read of them. */
  readonly models?: LoadedModels;
  /** For a live database: its dialect, and how it spells what the migrations sent. */
  readonly live?: { readonly dialect: Dialect; readonly spellings: Spellings };
}

/** @throws Problem E104, E106, E203, E400 to E413 */
export async function readPoint(project: OpenProject, name: string, options: TaskOptions): Promise<Point> {
  if (name === "empty") return { name, schema: EMPTY_SCHEMA, migrations: 0 };
  if (name.startsWith("target:")) return readLivePoint(project, name, options);
  const { migrations, schema } = project.history();
  if (name === "models") {
    const models = await project.soundModels();
    const beyond = diff(schema, models.schema, hintsOnTheWay(models, migrations));
    return { name, schema: models.schema, migrations: lastNumber(migrations), beyond, models };
  }
  if (name === "history") return { name, schema, migrations: lastNumber(migrations) };
  const migration = /^\d+$/.test(name) ? migrations.find(({ number }) => number === Number(name)) : undefined;
  if (!migration) {
    const numbers = migrations.map(({ number }) => showNumber(number));
    throw problems.unknownPoint({
      point: name,
      numbers: numbers.length > 4 ? `${numbers[0]} to ${numbers.at(-1)}` : numbers.join(", "),
    });
  }
  return { name: showNumber(migration.number), schema: migration.schemaAfter, migrations: migration.number };
}

function lastNumber(migrations: readonly { readonly number: number }[]): number {
  return migrations.at(-1)?.number ?? 0;
}

/** All that a database holds, but for what is Emberset's own. */
async function readLivePoint(project: OpenProject, name: string, options: TaskOptions): Promise<Point> {
  const target = await oneTarget(project.settings, name.slice("target:".length), options);
  return withDatabase(target, { mode: "read", ...watched(options, target) }, async database => {
    const { schema } = withoutInternal(await database.readCatalog());
    return pointOf(database, schema, name);
  });
}

/** The point that a database is at. @param schema all that it holds, but for what is Emberset's own */
export async function pointOf(database: Database, schema: Schema, name: string): Promise<Point> {
  const ledger = await readLedger(database);
  const spellings = allSpellings(ledger);
  return { name, schema, migrations: lastNumber(ledger), live: { dialect: database.dialect, spellings } };
}

/**
 * The changes from one point to another, with the renames and fills of all that lies between. Where one is a live
 * database, both are compared as its dialect holds them.
 */
export function changesBetween({ migrations }: History, from: Point, to: Point): readonly Change[] {
  const live = from.live ?? to.live;
  const isForward = from.migrations < to.migrations || (from.migrations === to.migrations && !from.beyond);
  const [start, end] = isForward ? [from, to] : [to, from];
  const ran = migrations
    .filter(({ number }) => number > start.migrations && number <= end.migrations)
    .flatMap(({ changes }) => changes);
  if (isForward && !live && ran.length === 0 && end.beyond) return end.beyond;
  const between = [...ran, ...(end.beyond ?? [])];
  const hints = hintsOf(isForward ? between : invert(between));
  if (!live) return diff(from.schema, to.schema, hints);
  const last = migrations.at(-1)?.schemaAfter ?? EMPTY_SCHEMA;
  const own = [last, ...[from, to].flatMap(point => (point.live ? [] : [point.schema]))];
  const asHeld = (point: Point) =>
    point.live
      ? withoutStrangers(point.schema, own)
      : respell(live.dialect.types.settle(point.schema), live.spellings);
  return diff(asHeld(from), asHeld(to), hints);
}

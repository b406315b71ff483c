import { diff } from "../core/change/diff.js";
import type { Change } from "../core/change/types.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import { respell, type Spellings } from "../core/lower/spellings.js";
import { problems } from "../core/problems.js";
import { withoutInternal } from "../core/schema/internal-tables.js";
import { EMPTY_SCHEMA, type Schema } from "../core/schema/types.js";
import { allSpellings, readLedger } from "../database/ledger.js";
import { withDatabase } from "../database/open.js";
import { showNumber } from "../history/migration.js";
import { chooseTarget } from "../project/load-settings.js";
import type { OpenProject } from "./open-project.js";
import type { TaskOptions } from "./options.js";

/** A version of the schema that can be compared. */
export interface Point {
  /** `models`, `history`, `empty`, a migration's number, or `target:NAME`. */
  readonly name: string;
  /** In portable words; as its dialect holds it where the point is a live database. */
  readonly schema: Schema;
  /** The renames and fills that the models bring. */
  readonly hints: Parameters<typeof diff>[2];
  /** For a live database: its dialect, and how it spells what the migrations sent. */
  readonly live?: { readonly dialect: Dialect; readonly spellings: Spellings };
}

/** @throws Problem E104, E106, E203, E400 to E413 */
export async function readPoint(project: OpenProject, name: string, options: TaskOptions): Promise<Point> {
  if (name === "empty") return { name, schema: EMPTY_SCHEMA, hints: {} };
  if (name === "models") {
    const { schema, hints } = await project.soundModels();
    return { name, schema, hints };
  }
  if (name.startsWith("target:")) return readLivePoint(project, name, options);
  const { migrations, schema } = project.history();
  if (name === "history") return { name, schema, hints: {} };
  const migration = /^\d+$/.test(name) ? migrations.find(({ number }) => number === Number(name)) : undefined;
  if (!migration) {
    const numbers = migrations.map(({ number }) => showNumber(number));
    throw problems.unknownPoint({
      point: name,
      numbers: numbers.length > 4 ? `${numbers[0]} to ${numbers.at(-1)}` : numbers.join(", "),
    });
  }
  return { name: showNumber(migration.number), schema: migration.schemaAfter, hints: {} };
}

/** All that a database holds, but for what is Emberset's own. */
async function readLivePoint(project: OpenProject, name: string, { trace }: TaskOptions): Promise<Point> {
  const target = chooseTarget(project.settings, name.slice("target:".length));
  return withDatabase(target, { mode: "read", trace }, async database => {
    const { schema } = withoutInternal(await database.readCatalog());
    const spellings = allSpellings(await readLedger(database));
    return { name, schema, hints: {}, live: { dialect: database.dialect, spellings } };
  });
}

/**
 * The changes from one point to another, renames and fills as the models say. Where one is a live database, both are
 * compared as its dialect holds them.
 */
export function changesBetween(from: Point, to: Point): Change[] {
  const live = from.live ?? to.live;
  if (!live) return diff(from.schema, to.schema, to.hints);
  const asHeld = (point: Point) =>
    point.live ? point.schema : respell(live.dialect.types.settle(point.schema), live.spellings);
  return diff(asHeld(from), asHeld(to), to.hints);
}

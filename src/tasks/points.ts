import { diff } from "../core/change/diff.js";
import type { Change } from "../core/change/types.js";
import { problems } from "../core/problems.js";
import { EMPTY_SCHEMA, type Schema } from "../core/schema/types.js";
import { showNumber } from "../history/migration.js";
import type { OpenProject } from "./open-project.js";

/** A version of the schema that can be compared. */
export interface Point {
  /** `models`, `history`, `empty`, or a migration's number. */
  readonly name: string;
  readonly schema: Schema;
  /** The renames and fills that the models bring. */
  readonly hints: Parameters<typeof diff>[2];
}

/** @throws Problem E106 when there is no such point */
export async function readPoint(project: OpenProject, name: string): Promise<Point> {
  if (name === "empty") return { name, schema: EMPTY_SCHEMA, hints: {} };
  if (name === "models") {
    const { schema, hints } = await project.soundModels();
    return { name, schema, hints };
  }
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

/** The changes from one point to another, renames and fills as the models say. */
export function changesBetween(from: Point, to: Point): Change[] {
  return diff(from.schema, to.schema, to.hints);
}

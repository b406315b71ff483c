import { pastOf } from "../core/change/past.js";
import type { DiffHints } from "../core/change/diff.js";
import { readWay } from "../core/model/advice/way.js";
import type { Finding } from "../core/model/read/findings.js";
import type { Start } from "../core/model/read/way.js";
import { problems } from "../core/problems.js";
import { EMPTY_SCHEMA, type Schema } from "../core/schema/types.js";
import type { Migration } from "../history/migration.js";
import type { LoadedModels } from "../project/load-models.js";
import { sayFinding } from "./say-finding.js";

/** The end of some migrations, from the first on, as the start of a way to the models. */
export function startAfter(migrations: readonly Migration[]): Start {
  return {
    schema: migrations.at(-1)?.schemaAfter ?? EMPTY_SCHEMA,
    past: pastOf(migrations.flatMap(({ changes }) => changes)),
  };
}

/**
 * Renames, fills and conversions that the models bring, as far as the migrations have not made them.
 * @throws Problem E203 when they say what never can be done
 */
export function hintsOnTheWay(models: LoadedModels, migrations: readonly Migration[]): DiffHints {
  const { hints, findings } = readWay(models, startAfter(migrations));
  refuseErrors(findings.map(models.locate));
  return hints;
}

/** The same from a schema that no migration tells the past of; what does not fit it is none of its business. */
export function hintsFrom(models: LoadedModels, schema: Schema): DiffHints {
  return readWay(models, { schema, past: pastOf([]) }).hints;
}

/** @throws Problem E203 where there is an error among findings */
export function refuseErrors(findings: readonly Finding[]): void {
  const errors = findings.filter(({ severity }) => severity === "error");
  if (errors.length > 0) throw problems.wrongModels({ findings: errors.map(sayFinding) });
}

/**
 * What models say that can be done neither after all migrations nor in the place of the newest, which may be about to
 * be corrected.
 */
export function errorsEitherWay(models: LoadedModels, migrations: readonly Migration[]): Finding[] {
  const errorsAfter = (some: readonly Migration[]) =>
    readWay(models, startAfter(some)).findings.filter(({ severity }) => severity === "error");
  const instead = new Set(errorsAfter(migrations.slice(0, -1)).map(keyOf));
  return errorsAfter(migrations).filter(error => instead.has(keyOf(error)));
}

function keyOf({ code, entity, property = "" }: Finding): string {
  return [code, entity, property].join(" ");
}

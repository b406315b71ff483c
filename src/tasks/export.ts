import { writeFileSync } from "node:fs";
import { basename, resolve } from "node:path";
import { diff } from "../core/change/diff.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import {
  objectsOfModels,
  objectsOfRows,
  writeJsonSchema,
  writeOpenApi,
  type JsonObjects,
} from "../core/model/write/json/json-schema.js";
import { writeDictionary } from "../core/model/write/dictionary.js";
import { writeOutline } from "../core/model/write/outline.js";
import { writeRowTypes } from "../core/model/write/row-types.js";
import { planFor } from "../core/plan/plan.js";
import { EMPTY_SCHEMA, type Schema } from "../core/schema/types.js";
import { planText } from "../history/script.js";
import { oneTarget } from "./databases.js";
import { dialectOf } from "../project/settings.js";
import { openProject } from "./open-project.js";
import type { TargetOptions } from "./options.js";
import { readPoint } from "./points.js";

/** What a schema is written as. */
const WRITERS = {
  sql: ({ schema, dialect, name }) =>
    `-- Emberset · the schema of ${name} · ${dialect.name}\n\n${planText(planFor(dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)), dialect)}`,
  markdown: ({ schema, title }) => writeDictionary(schema, `${title}: data dictionary`),
  csv: ({ schema }) => writeOutline(schema),
  "json-schema": ({ objects, title }) => writeJsonSchema(objects(), title),
  openapi: ({ objects, title }) => writeOpenApi(objects(), title),
  "row-types": ({ schema, dialect }) => writeRowTypes(schema, dialect),
} as const satisfies Record<string, (exported: Exported) => string>;

export type ExportFormat = keyof typeof WRITERS;

export const EXPORT_FORMATS = Object.keys(WRITERS) as ExportFormat[];

interface Exported {
  /** In portable words. */
  readonly schema: Schema;
  /** What is in it as JSON: objects of the models' classes, or rows where no class is known. */
  readonly objects: () => JsonObjects;
  readonly dialect: Dialect;
  /** Which version it is. */
  readonly name: string;
  readonly title: string;
}

export interface ExportOptions extends TargetOptions {
  readonly as: ExportFormat;
  /** `models`, `history`, a number, or `target:NAME`. @default "models" */
  readonly from?: string | undefined;
  /** The file to write. @default none: the text is only given back */
  readonly out?: string | undefined;
}

export interface ExportResult {
  readonly from: string;
  readonly dialect: string;
  readonly text: string;
  readonly tables: number;
  /** The file that was written. */
  readonly written?: string;
}

/** The whole schema in another form. @throws Problem E104, E106, E203, E400 to E413 */
export async function exportSchema({
  as,
  from = "models",
  out,
  ...options
}: ExportOptions): Promise<ExportResult> {
  const project = await openProject(options);
  const point = await readPoint(project, from, options);
  const dialect =
    point.live?.dialect ?? dialectOf(await oneTarget(project.settings, options.target, options, true));
  const schema = point.live ? dialect.types.raise(dialect.types.unspell(point.schema)) : point.schema;
  const title = basename(project.settings.folder);
  const objects = () =>
    point.models ? objectsOfModels(point.models.resolver, schema) : objectsOfRows(schema);
  const text = WRITERS[as]({ schema, objects, dialect, name: point.name, title });
  if (out !== undefined) writeFileSync(resolve(out), text);
  return {
    from: point.name,
    dialect: dialect.name,
    text,
    tables: schema.tables.length,
    ...(out !== undefined && { written: out }),
  };
}

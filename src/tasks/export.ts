import { writeFileSync } from "node:fs";
import { resolve } from "node:path";
import { writeRowTypes } from "../core/model/write/row-types.js";
import { oneTarget } from "./databases.js";
import { dialectOf } from "../project/settings.js";
import { openProject } from "./open-project.js";
import type { TargetOptions } from "./options.js";
import { readPoint } from "./points.js";

export interface ExportOptions extends TargetOptions {
  readonly as: "row-types";
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
  from = "models",
  out,
  ...options
}: ExportOptions): Promise<ExportResult> {
  const project = await openProject(options);
  const point = await readPoint(project, from, options);
  const dialect =
    point.live?.dialect ?? dialectOf(await oneTarget(project.settings, options.target, options, true));
  const schema = point.live ? dialect.types.raise(dialect.types.unspell(point.schema)) : point.schema;
  const text = writeRowTypes(schema, dialect);
  if (out !== undefined) writeFileSync(resolve(out), text);
  return {
    from: point.name,
    dialect: dialect.name,
    text,
    tables: schema.tables.length,
    ...(out !== undefined && { written: out }),
  };
}

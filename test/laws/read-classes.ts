import { transformSync } from "esbuild";
import * as classValidator from "class-validator";
import type { Dialect } from "../../src/core/dialect/shared/dialect.js";
import { buildSchema } from "../../src/core/model/build-schema.js";
import { describeEntities } from "../../src/core/model/read/entities.js";
import type { ModelFile } from "../../src/core/model/write/write-models.js";
import type { Schema } from "../../src/core/schema/types.js";
import { recordedDefinitions, storedClasses } from "../../src/modelling/facts.js";
import * as emberset from "../../src/modelling/index.js";

export const NAMING = { tables: "plural", case: "snake" } as const;

/** The schema of classes in files, run as they stand. */
export function readClasses(
  files: readonly ModelFile[],
  dialect: Dialect,
): { schema: Schema; findings: readonly { severity: string }[] } {
  const all = files.map(({ text }) => text).join("\n");
  const { code } = transformSync(all.replace(/^import .*;$/gm, "").replace(/^export /gm, ""), {
    loader: "ts",
    charset: "utf8",
    tsconfigRaw: { compilerOptions: { experimentalDecorators: true, useDefineForClassFields: true } },
  });
  const [known, defined] = [new Set(storedClasses()), recordedDefinitions().length];
  const given = { ...classValidator, ...emberset };
  new Function(...Object.keys(given), code)(...Object.values(given));
  const fresh = storedClasses().filter(cls => !known.has(cls));
  return buildSchema(describeEntities(fresh), NAMING, [dialect], {
    definitions: recordedDefinitions().slice(defined),
  });
}

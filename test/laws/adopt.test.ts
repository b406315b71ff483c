import { transformSync } from "esbuild";
import * as classValidator from "class-validator";
import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import { describeChange, describeDetail } from "../../src/core/change/words.js";
import { dialects } from "../../src/core/dialect/registry.js";
import { buildSchema } from "../../src/core/model/build-schema.js";
import { describeEntities } from "../../src/core/model/read/entities.js";
import { writeModels } from "../../src/core/model/write/write-models.js";
import { mergeHeld } from "../../src/core/dialect/merge-held.js";
import { sameSchema } from "../../src/core/schema/canonical.js";
import type { Schema } from "../../src/core/schema/types.js";
import { recordedDefinitions, storedClasses } from "../../src/modelling/facts.js";
import * as emberset from "../../src/modelling/index.js";
import { arbitrarySchema } from "./arbitrary-schema.js";
import { RUNS, SEED } from "./runs.js";

const NAMING = { tables: "plural", case: "snake" } as const;
const options = { seed: SEED, numRuns: RUNS };

describe.each(Object.values(dialects))("on $title", dialect => {
  // MariaDB takes no characters beyond 16 bits in names: https://mariadb.com/kb/en/identifier-names/
  const schemas = arbitrarySchema({ without: dialect.names.cannotHold("🏺") === undefined ? "" : "🏺" });

  test("the classes written for what a database holds say all of it", () => {
    let lines = 0;
    fc.assert(
      fc.property(schemas, made => {
        const held = dialect.types.settle(made);
        const files = writeModels(dialect.types.raise(dialect.types.unspell(held)), {
          dialect,
          naming: NAMING,
        });
        lines += files.reduce((sum, { text }) => sum + text.split("\n").length, 0);
        const { schema, findings } = read(files.map(({ text }) => text).join("\n"));
        expect(findings.filter(({ severity }) => severity === "error")).toEqual([]);
        const said = dialect.types.settle(schema);
        expect(
          diff(said, held).map(change => `${describeChange(change)}: ${describeDetail(change)}`),
        ).toEqual([]);
      }),
      options,
    );
    expect(lines).toBeGreaterThan(RUNS * 5);
  });

  test("what is taken in of a database settles to it, and what has not changed keeps its words", () => {
    let kept = 0;
    fc.assert(
      fc.property(schemas, schemas, (known, made) => {
        const held = dialect.types.settle(made);
        const merged = mergeHeld(known, { dialect, held, spellings: {} });
        expect(diff(dialect.types.settle(merged), held)).toEqual([]);
        expect(sameSchema(mergeHeld(made, { dialect, held, spellings: {} }), made)).toBe(true);
        const words = new Set<unknown>(known.tables.flatMap(({ columns }) => columns));
        kept += merged.tables.flatMap(({ columns }) => columns).filter(column => words.has(column)).length;
      }),
      options,
    );
    expect(kept).toBeGreaterThan(0);
  });

  /** The schema of classes in a text, run as it stands. */
  function read(text: string): { schema: Schema; findings: readonly { severity: string }[] } {
    const { code } = transformSync(text.replace(/^import .*;$/gm, "").replace(/^export /gm, ""), {
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
});

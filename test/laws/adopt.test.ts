import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import { columnsOfChange } from "../../src/core/change/columns-of.js";
import { tableOf, type Change } from "../../src/core/change/types.js";
import { describeChange, describeDetail } from "../../src/core/change/words.js";
import { dialects } from "../../src/core/dialect/registry.js";
import { writeModels } from "../../src/core/model/write/write-models.js";
import { asSaid } from "../../src/core/dialect/as-said.js";
import { mergeHeld } from "../../src/core/dialect/merge-held.js";
import { partKey, sameSchema } from "../../src/core/schema/canonical.js";
import { arbitrarySchema } from "./arbitrary-schema.js";
import { NAMING, readClasses } from "./read-classes.js";
import { RUNS, SEED } from "./runs.js";

const options = { seed: SEED, numRuns: RUNS };

describe.each(Object.values(dialects))("on $title", dialect => {
  // MariaDB takes no characters beyond 16 bits in names: https://mariadb.com/kb/en/identifier-names/
  const schemas = arbitrarySchema({
    without: dialect.names.cannotHold("🏺") === undefined ? "" : "🏺",
    hostile: true,
  });

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
        const { schema, findings } = readClasses(files, dialect);
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
    let [kept, fresh] = [0, 0];
    fc.assert(
      fc.property(schemas, schemas, (known, made) => {
        const held = dialect.types.settle(made);
        const merged = mergeHeld(known, { dialect, held, spellings: {} });
        expect(diff(dialect.types.settle(merged), held)).toEqual([]);
        expect(sameSchema(mergeHeld(made, { dialect, held, spellings: {} }), made)).toBe(true);
        const came = diff(known, merged);
        const files = writeModels(merged, { dialect, naming: NAMING });
        const { schema: said } = readClasses(files, dialect);
        const taken = asSaid(merged, { dialect, came, said });
        expect(diff(dialect.types.settle(taken), held)).toEqual([]);
        // Of what came, the classes have nothing to say that the history does not.
        const things = new Set(came.flatMap(thingsOf));
        const left = diff(taken, said).filter(change => isAbout(things, change));
        expect(left.map(change => `${describeChange(change)}: ${describeDetail(change)}`)).toEqual([]);
        fresh += things.size;
        const words = new Set<unknown>(known.tables.flatMap(({ columns }) => columns));
        kept += merged.tables.flatMap(({ columns }) => columns).filter(column => words.has(column)).length;
      }),
      options,
    );
    expect(kept).toBeGreaterThan(0);
    expect(fresh).toBeGreaterThan(RUNS / 3);
  });

  /** Tables and columns that come, and parts, each with its table. */
  function thingsOf(change: Change): string[] {
    const table = tableOf(change) ?? "";
    if (change.kind === "add table") return [table];
    if (change.kind === "add column") return [`${table}.${change.column.name}`];
    return change.kind === "add part" ? [`${table}.${partKey(change.what, change.value)}`] : [];
  }

  /** What a change speaks of, as `thingsOf` names it; a part that goes, or all its columns. */
  function isAbout(things: ReadonlySet<string>, change: Change): boolean {
    const table = tableOf(change) ?? "";
    if (things.has(table)) return true;
    if (change.kind === "drop part") return things.has(`${table}.${partKey(change.what, change.value)}`);
    const columns = columnsOfChange(change);
    return columns.length > 0 && columns.every(column => things.has(`${table}.${column}`));
  }
});

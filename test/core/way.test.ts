import { IsIn, IsInt, IsOptional } from "class-validator";
import { expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import { pastOf } from "../../src/core/change/past.js";
import type { Change } from "../../src/core/change/types.js";
import { describeChange } from "../../src/core/change/words.js";
import { adviseOnHistory } from "../../src/core/model/advice/history.js";
import { readWay } from "../../src/core/model/advice/way.js";
import type { ModelSchema } from "../../src/core/model/read/model-schema.js";
import type { Start } from "../../src/core/model/read/way.js";
import { EMPTY_SCHEMA } from "../../src/core/schema/types.js";
import { Inline, Key, kind } from "../../src/modelling/index.js";
import { entity, field, read, title, to, type Decorator, type Fields } from "./entities.js";

/** The end of a chain of versions, each drafted from the models of its time. */
function chain(...versions: readonly ModelSchema[]) {
  let start: Start = { schema: EMPTY_SCHEMA, past: pastOf([]) };
  const done: Change[] = [];
  const drafts = versions.map(models => {
    const changes = diff(start.schema, models.schema, readWay(models, start).hints);
    done.push(...changes);
    start = { schema: models.schema, past: pastOf(done) };
    // Parts that are called after their columns follow them.
    return changes.filter(({ kind }) => !kind.endsWith(" part")).map(describeChange);
  });
  return { start, drafts };
}

test("what a migration has done already, and values that rows may hold still", () => {
  const shelf = read([entity("Shelf", { label: title, kind: [IsIn(["dry", "wet"])] })]);
  const rack = (...kinds: string[]) =>
    read([
      entity("Rack", { name: [...title, field({ was: "label" })], kind: [IsIn(kinds)] }, { was: "shelves" }),
    ]);
  const before = chain(shelf).start;
  expect(adviseOnHistory(rack("dry", "wet"), before).map(({ code }) => code)).toEqual([]);
  const after = chain(shelf, rack("dry", "wet")).start;
  expect(adviseOnHistory(rack("dry"), after).map(({ code, what }) => `${code} ${what}`)).toEqual([
    "A313 That shelves became racks is done",
    "A313 That label became name is done",
    'A316 "wet" is no longer allowed; rows that hold it would stop the migration',
  ]);
});

const size = (fields: Fields) => {
  class Measure {}
  for (const [property, decorators] of Object.entries(fields))
    kind(...decorators)(Measure.prototype, property);
  return Measure;
};
const inline = (cls: object, options = {}) => Inline(() => cls as never, options) as unknown as Decorator;
const Thing = entity("Thing", { name: title });
const [number, plain] = [[IsInt()], [...title]];

/** Versions of models, `was` left where it was written, and all that each draft does. */
const RENAMES: Record<string, readonly (readonly [ModelSchema, ...string[]])[]> = {
  "columns trade their names once": [
    [read([entity("Person", { first: plain, last: plain })]), "add table people"],
    [
      read([
        entity("Person", {
          first: [...plain, field({ was: "last" })],
          last: [...plain, field({ was: "first" })],
        }),
      ]),
      "rename column people.last to last_between",
      "rename column people.first to last",
      "rename column people.last_between to first",
    ],
    [
      read([
        entity("Person", {
          first: [...plain, field({ was: "last" })],
          last: [...plain, field({ was: "first" })],
          born: number,
        }),
      ]),
      "add column people.born",
    ],
  ],
  "another takes the name": [
    [read([entity("Piece", { name: plain })]), "add table pieces"],
    [
      read([entity("Piece", { title: [...plain, field({ was: "name" })], name: plain })]),
      "rename column pieces.name to title",
      "add column pieces.name",
    ],
    [read([entity("Piece", { title: [...plain, field({ was: "name" })], name: plain })])],
  ],
  "another takes the table's name": [
    [read([entity("House", { name: plain })]), "add table houses"],
    [
      read([entity("Hotel", { name: plain }, { was: "houses" }), entity("House", { name: plain })]),
      "rename table houses to hotels",
      "add table houses",
    ],
    [read([entity("Hotel", { name: plain }, { was: "houses" }), entity("House", { name: plain })])],
  ],
  "by the name of the property": [
    [
      read([Thing, entity("Piece", { listNumber: number, madeOf: [to(() => Thing)] })]),
      "add table things",
      "add table pieces",
    ],
    [
      read([
        Thing,
        entity("Piece", {
          catalogue: [...number, field({ was: "listNumber" })],
          thing: [to(() => Thing), field({ was: "madeOf" })],
        }),
      ]),
      "rename column pieces.list_number to catalogue",
      "rename column pieces.made_of_id to thing_id",
    ],
  ],
  "fields of a value object, and its prefix": [
    [read([entity("Piece", { size: [inline(size({ high: number }))] })]), "add table pieces"],
    [
      read([entity("Piece", { size: [inline(size({ tall: [...number, field({ was: "high" })] }))] })]),
      "rename column pieces.size_high to size_tall",
    ],
    [
      read([
        entity("Piece", {
          measure: [inline(size({ tall: [...number, field({ was: "high" })] })), field({ was: "size" })],
        }),
      ]),
      "rename column pieces.size_tall to measure_tall",
    ],
    [
      read([
        entity("Piece", {
          measure: [
            inline(size({ tall: [...number, field({ was: "high" })] }), { prefix: "" }),
            field({ was: "measure" }),
          ],
        }),
      ]),
      "rename column pieces.measure_tall to tall",
    ],
  ],
};

test.each(Object.entries(RENAMES))("%s", (_, versions) => {
  const { drafts } = chain(...versions.map(([models]) => models));
  expect(drafts.map(changes => changes.toSorted())).toEqual(
    versions.map(([, ...expected]) => expected.toSorted()),
  );
});

test("a `was`, a `fill`, a `convert` that can do nothing is an error, with what may be meant", () => {
  const { start } = chain(read([entity("Shelf", { label: plain, height: number })]));
  const found = (models: ModelSchema) =>
    readWay(models, start).findings.map(
      ({ code, property = "", remedy }) => `${code} ${property}: ${remedy}`,
    );
  expect(found(read([entity("Rack", { label: plain }, { was: "shelvs" })]))).toEqual([
    "E235 : did you mean shelves? Else remove `was`; there is shelves",
  ]);
  const wrong = {
    label: [...plain, field({ fill: "none" })],
    tall: [...number, field({ was: "heigth" })],
    note: [IsOptional(), ...plain, field({ fill: "none" })],
    height: [...number, field({ convert: "{height} * 10" })],
  };
  const errors = found(read([entity("Shelf", wrong)]));
  expect(errors.map(each => each.split(":")[0]).toSorted()).toEqual([
    "E235 tall",
    "E236 height",
    "E236 label",
    "E236 note",
  ]);
  expect(errors.find(each => each.startsWith("E235"))).toContain("did you mean height?");
});

test("a key that gets another size goes on counting; one that stops is told", () => {
  const { start } = chain(read([entity("Shelf", { id: [Key()], label: plain })]));
  const later = (...key: Decorator[]) => read([entity("Shelf", { id: key, label: plain })]);
  const large = later(Key(), field({ type: "bigint" }));
  expect(large.schema.tables[0]?.columns[0]).toMatchObject({ type: { kind: "bigint" }, identity: "serial" });
  expect(adviseOnHistory(large, start)).toEqual([]);
  const stopped = later(Key({ generate: "none" }), field({ type: "bigint" }));
  expect(adviseOnHistory(stopped, start).map(({ code }) => code)).toEqual(["A320"]);
});

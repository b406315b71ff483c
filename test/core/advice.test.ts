import {
  Contains,
  IsAscii,
  IsDefined,
  IsEmail,
  IsIn,
  IsInt,
  IsNumber,
  IsOptional,
  IsString,
  IsUUID,
  Matches,
  Max,
  MaxLength,
  Min,
  MinLength,
  NotEquals,
  ValidateIf,
  ValidateNested,
} from "class-validator";
import { describe, expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import { describeChange } from "../../src/core/change/words.js";
import type { Declaration } from "../../src/core/model/advice/review.js";
import {
  Field,
  Inline,
  Key,
  kind,
  PairedWith,
  RefersToAny,
  Stamp,
  type StoredOptions,
  type FieldOptions,
} from "../../src/modelling/index.js";
import { entity, field, odd, read, title, to, type Decorator, type Fields } from "./entities.js";

const potter = () => entity("Potter", { name: title });
const granted = (grants: NonNullable<StoredOptions["grants"]>, fields: Fields = {}) =>
  entity("Sale", { name: title, ...fields }, { grants });
/** What each mistake is found by, and that the same model without it is not. */
const CASES: readonly [code: string, wrong: () => unknown[], right: () => unknown[]][] = [
  ["A301", () => [entity("Key", { name: title })], () => [entity("Sale", { name: title })]],
  ["E238", () => [granted({ clerc: ["select"] })], () => [granted({ clerk: ["select"] })]],
  ["A327", () => [granted({ clerk: ["select"] })], () => [granted({})]],
  [
    "A328",
    () => {
      const p = potter();
      return [p, granted({ clerk: ["select"] }, { potter: [to(() => p)] })];
    },
    () => {
      // By the role that it has all of.
      const p = granted({ visitor: ["select"] });
      return [p, entity("Piece", { potter: [to(() => p)] }, { grants: { clerk: ["select"] } })];
    },
  ],
  [
    "A329",
    () => [granted({ clerk: ["insert"] }, { size: [IsInt(), field({ grants: { clerk: false } })] })],
    () => [
      granted({ clerk: ["insert"] }, { size: [IsInt(), field({ grants: { clerk: false }, default: 1 })] }),
    ],
  ],
  [
    "A330",
    () => [granted({ clerk: ["select"] }, { password: title })],
    () => [granted({ clerk: ["select"] }, { password: [...title, field({ grants: { clerk: false } })] })],
  ],
  ["A331", () => [granted({ public: ["select"] })], () => [granted({ visitor: ["select"] })]],
  [
    "A301",
    () => [entity("Sale", { group: title })],
    () => [entity("Sale", { group: [...title, field({ column: "group_name" })] })],
  ],
  [
    "A302",
    () => [potter(), entity("Piece", { potterId: [IsInt()] })],
    () => [potter(), entity("Piece", { potterId: title, size: [IsInt()] })],
  ],
  [
    "A303",
    () => {
      const p = potter();
      return [p, entity("Piece", { potterId: [to(() => p)] })];
    },
    () => {
      const p = potter();
      return [p, entity("Piece", { potter: [to(() => p)] })];
    },
  ],
  [
    "A303",
    () => {
      const p = potter();
      return [
        p,
        entity("Piece", { a: [to(() => p)], b: [to(() => p)], c: [to(() => p, { column: "cee" })] }),
      ];
    },
    () => {
      const p = potter();
      return [p, entity("Piece", { a: [to(() => p)], b: [to(() => p)], c: [to(() => p)] })];
    },
  ],
  [
    "A304",
    () => [entity("Piece", { price: [IsNumber()] })],
    () => [entity("Piece", { price: [IsNumber({ maxDecimalPlaces: 2 })], weight: [IsNumber()] })],
  ],
  [
    "A305",
    () => {
      const p = potter();
      return [p, entity("Piece", { potter: [to(() => p, { index: false })] })];
    },
    () => {
      const p = potter();
      return [
        p,
        entity("Piece", { potter: [to(() => p, { index: false })] }, { indexes: [["potter", "id"]] }),
      ];
    },
  ],
  [
    "A306",
    () => [entity("Piece", { a: title, b: title }, { indexes: [["a"], ["a", "b"]] })],
    () => [entity("Piece", { a: title, b: title }, { indexes: [["b"], ["a", "b"]] })],
  ],
  [
    "A307",
    () => [entity("Piece", { a: [...title, field({ unique: true, index: true })] })],
    () => [entity("Piece", { a: [...title, field({ unique: true })] })],
  ],
  [
    "A308",
    () => [entity("Piece", { a: [IsString(), field({ unique: true })] })],
    () => [entity("Piece", { a: [...title, field({ unique: true })] })],
  ],
  [
    "A309",
    () => [entity("Piece", { ["wide".repeat(17)]: title })],
    () => [entity("Piece", { ["wide".repeat(10)]: title })],
  ],
  [
    "A310",
    () => {
      const classes: unknown[] = [];
      classes.push(
        entity("Lid", { pot: [to(() => classes[1])] }),
        entity("Pot", { lid: [to(() => classes[0])] }),
      );
      return classes;
    },
    () => {
      const classes: unknown[] = [];
      classes.push(
        entity("Lid", { pot: [to(() => classes[1])] }),
        entity("Pot", { lid: [IsOptional(), to(() => classes[0])] }),
      );
      return classes;
    },
  ],
  [
    "A314",
    () => [potter(), entity("Kiln", { name: title })],
    () => {
      const p = potter();
      return [p, entity("Kiln", { keeper: [to(() => p)] })];
    },
  ],
  [
    "A315",
    () => [entity("Piece", { stage: [IsIn(["raw", "fired"]), field({ default: "glazed" })] })],
    () => [entity("Piece", { stage: [IsIn(["raw", "fired"]), field({ default: "raw" })] })],
  ],
  [
    "A315",
    () => [entity("Piece", { size: [IsInt(), Min(3), field({ default: 2 })] })],
    () => [entity("Piece", { size: [IsInt(), Min(3), field({ default: 3 })] })],
  ],
  [
    "E237",
    () => [entity("Piece", { story: [field({ type: "varchar(70000)" })] })],
    () => [entity("Piece", { story: [IsString(), MaxLength(60_000)] })],
  ],
  [
    "E237",
    () => [entity("Piece", { price: [field({ type: "decimal(70,2)" })] })],
    () => [entity("Piece", { price: [field({ type: "decimal(65,38)" })] })],
  ],
  [
    "E237",
    () => [entity("Piece", { a: title, count: [...[IsInt()], field({ generate: "serial" })] })],
    () => [entity("Piece", { a: title, count: [IsInt()] })],
  ],
  [
    "E230",
    () => [entity("Piece", { a: title }, { unique: [{ fields: ["a"], name: "pk_pieces" }] })],
    () => [entity("Piece", { a: title }, { unique: [{ fields: ["a"], name: "by_a" }] })],
  ],
  [
    "E232",
    () => [entity("Piece", { a: title }, { indexes: [{ fields: ["a"], name: "pieces" }] })],
    () => [entity("Piece", { a: title }, { indexes: [{ fields: ["a"], name: "by_a" }] })],
  ],
  [
    "E232",
    () => [
      entity("Piece", { a: title }, { indexes: [{ fields: ["a"], name: "by_a" }] }),
      entity("Kiln", { a: title }, { indexes: [{ fields: ["a"], name: "by_a" }] }),
    ],
    () => [entity("Piece", { a: title }, { indexes: [{ fields: ["a"], name: "by_a" }] })],
  ],
  [
    "E233",
    () => {
      const p = potter();
      return [p, entity("Master", { since: [IsInt()] }, {}, p)];
    },
    () => [entity("Master", { since: [IsInt()] })],
  ],
  [
    "E233",
    () => {
      const p = potter();
      return [p, entity("Piece", { maker: [Inline(() => p as never) as unknown as Decorator] })];
    },
    () => [entity("Piece", { name: title })],
  ],
  [
    "E228",
    () => {
      const [p, k] = [potter(), entity("Kiln", { code: [Key(), ...title] })];
      return [
        p,
        k,
        entity("Note", { on: [RefersToAny(() => [p, k] as never, { style: "tag" }) as Decorator] }),
      ];
    },
    () => {
      const [p, k] = [potter(), entity("Kiln", { code: [Key(), ...title] })];
      return [p, k, entity("Note", { on: [RefersToAny(() => [p, k] as never) as Decorator] })];
    },
  ],
];

const anyOf = (cls: unknown, options: object) => RefersToAny(() => [cls] as never, options) as Decorator;
const noting = (optional: boolean, options: object) => {
  const p = potter();
  return [p, entity("Note", { on: [...(optional ? [IsOptional()] : []), anyOf(p, options)] })];
};
const NULLED = { onDelete: "set null" };

class Size {}
kind(IsInt())(Size.prototype, "height");

/** Where validate() and the database would not say the same. */
const OF_TRUTH: readonly [code: string, wrong: Fields, right: Fields][] = [
  ["A300", { size: [IsInt(), field({ type: "text" })] }, { size: [IsInt(), field({ type: "bigint" })] }],
  ["A300", { size: [IsInt(), Max(NaN)] }, { size: [IsInt(), Max(9)] }],
  ["A300", { name: [IsString(), Contains("")] }, { name: [IsString(), Contains("x")] }],
  ["A321", { code: [IsString(), field({ type: "varchar(8)" })] }, { code: [IsString(), MaxLength(8)] }],
  [
    "A321",
    { code: [Matches(/^[A-Z]{2,9}$/), field({ type: "varchar(8)" })] },
    { code: [Matches(/^(?:[A-Z]{2}|[0-9]{4,8})$/), field({ type: "varchar(8)" })] },
  ],
  [
    "A321",
    { size: [Min(1), field({ type: "integer" })] },
    { size: [IsInt(), Min(1), field({ type: "integer" })] },
  ],
  [
    "A321",
    { price: [IsNumber(), field({ type: "decimal(9,2)" })] },
    { price: [IsNumber({ maxDecimalPlaces: 2 }), field({ type: "decimal(9,2)" })] },
  ],
  ["A321", { part: [Min(0), field({ type: "double" })] }, { part: [IsNumber(), Min(0)] }],
  ["A321", { stage: [IsIn(["raw", 1])] }, { stage: [IsIn(["raw", "1"])] }],
  ["A321", { key: [IsString(), field({ type: "uuid" })] }, { key: [IsUUID()] }],
  ["A322", { name: [NotEquals("x"), field({ type: "text" })] }, { name: [IsString(), NotEquals("x")] }],
  ["A324", { mail: [IsEmail()] }, { mail: [IsAscii(), MaxLength(80)] }],
  ["A324", { name: [IsString(), MinLength(2, { groups: ["new"] })] }, { name: [IsString(), MinLength(2)] }],
  ["A324", { name: [...title, ValidateIf(() => true), field({ type: "text" })] }, { name: title }],
  [
    "A325",
    { size: [IsInt(), Min(1)] },
    { size: [IsInt(), Min(1), Max(2 ** 31 - 1)], part: [IsInt(), Max(-1), Min(-(2 ** 31))] },
  ],
  ["A326", { size: [Inline(() => Size)] }, { size: [IsDefined(), ValidateNested(), Inline(() => Size)] }],
  [
    "A326",
    { size: [ValidateNested(), Inline(() => Size)] },
    { size: [IsOptional(), ValidateNested(), Inline(() => Size)] },
  ],
];

test.each(OF_TRUTH)("%s: %o is found, and not where all is well", (code, wrong, right) => {
  const found = (fields: Fields) =>
    read([entity("Piece", fields)]).findings.filter(each => each.code === code && each.property !== "id");
  expect(found(wrong)).not.toEqual([]);
  expect(found(right).map(({ what }) => what)).toEqual([]);
});

test("a default that validate() does not wait for is told, unless the property has it from the start", () => {
  const said = (initial: boolean) =>
    read([entity("Piece", { stage: [IsIn(["raw"]), field({ default: "raw" })] })], () => ({
      optional: false,
      nullable: false,
      word: "string",
      initial,
    })).findings.filter(({ code }) => code === "A323");
  expect(said(false)).toMatchObject([{ severity: "note", remedy: expect.stringContaining('stage = "raw"') }]);
  expect(said(true)).toEqual([]);
});

test.each([
  ["arcs, required", false, NULLED, true],
  ["arcs, optional", true, NULLED, false],
  ["tag, optional", true, { ...NULLED, style: "tag" }, true],
])("set to null on delete: %s", (_, optional, options, isWrong) => {
  const codes = read(noting(optional, options)).findings.map(({ code }) => code);
  expect(codes.includes("E228")).toBe(isWrong);
});

test.each(CASES)("%s is found, and not where all is well", (code, wrong, right) => {
  expect(new Set(read(wrong()).findings.map(finding => finding.code))).toContain(code);
  expect(read(right()).findings.map(finding => finding.code)).not.toContain(code);
});

/** What somebody might write who has no compiler at hand; what is wrong with it, and what else is said. */
const MISTAKES: Readonly<Record<string, readonly [unknown, Fields, string, string]>> = {
  "an option that is none": [
    { tabel: "x" },
    {},
    "@Stored: tabel is no option",
    "did you mean table? Valid: table, ",
  ],
  "options that are none": ["pieces", {}, '@Stored is given "pieces"', "as an object"],
  "a name that is none": [{ table: 5 }, {}, "@Stored: table is 5", "a text"],
  "a list that is none": [{ unique: "a" }, {}, '@Stored: unique is "a"', "a list"],
  "an index with a wrong word": [
    { indexes: [{ fields: ["a"], on: ["a"] }] },
    {},
    "@Stored: indexes[0].on is no option",
    "Valid: name, ",
  ],
  "an index without fields": [
    { indexes: [{ name: "x" }] },
    {},
    "@Stored: indexes[0] has no fields",
    "add fields",
  ],
  "a field that is a number": [
    { indexes: [["a", 1]] },
    {},
    "@Stored: indexes[0][1] is 1",
    "an object of field, ",
  ],
  "checks without names": [{ checks: ["{a} > 1"] }, {}, '@Stored: checks[0] is "{a} > 1"', "name, holds"],
  "a check that is no SQL": [{ checks: { x: 1 } }, {}, "@Stored: checks.x is 1", "one for each dialect"],
  "options of no dialect": [
    { options: { engine: "Aria" } },
    {},
    "@Stored: options.engine is no option",
    "mariadb",
  ],
  "a misspelt option": [
    {},
    { b: [...title, odd({ uniqe: true })] },
    "@Field: uniqe is no option",
    "mean unique?",
  ],
  "a flag that is a text": [
    {},
    { b: [...title, odd({ index: "yes" })] },
    '@Field: index is "yes"',
    "true or false",
  ],
  "a type that is a number": [{}, { b: [odd({ type: 7 })] }, "@Field: type is 7", "a text, or one for each"],
  "a default that is an object": [
    {},
    { b: [...title, odd({ default: {} })] },
    "@Field: default is {}",
    "sql(…)",
  ],
  "no options at all": [{}, { b: [...title, Field("b" as never)] }, '@Field is given "b"', "as an object"],
  "a way to count": [
    {},
    { b: [Key({ generate: "sequence" as never })] },
    '@Key: generate is "sequence"',
    '"uuid"',
  ],
  "an option of no dialect": [
    {},
    { b: [...title, odd({ options: { postgress: { storage: "plain" } } })] },
    "@Field: options.postgress is no option",
    "mean postgres?",
  ],
  "an option that a dialect does not have": [
    { options: { mariadb: { engin: "Aria" } } } as never,
    {},
    "@Stored: options.mariadb.engin is no option",
    "mean engine?",
  ],
  "a misspelt action": [
    {},
    { b: [to(() => Thing, { onDelete: "casade" })] },
    '@RefersTo: onDelete is "casade"',
    'one of "restrict", "cascade"',
  ],
  "a class outright": [
    {},
    { b: [to(class Kiln {} as never)] },
    "@RefersTo is given Kiln ",
    "@RefersTo(() => Kiln)",
  ],
  "nothing to refer to": [{}, { b: [to(undefined as never)] }, "@RefersTo is given undefined", "(() => …)"],
  "a moment that is none": [
    {},
    { b: [Stamp("changed" as never) as Decorator] },
    '@Stamp is "changed"',
    '"updated"',
  ],
  "a prefix that is none": [
    {},
    { b: [Inline(() => Size, { prefix: 1 } as never) as unknown as Decorator] },
    "@Inline: prefix is 1",
    "a text",
  ],
  "a mistake in a value object": [
    {},
    { b: [Inline(() => Wrong) as unknown as Decorator], c: [Inline(() => Wrong) as unknown as Decorator] },
    "Wrong.height, @Field: indx is no option",
    "mean index?",
  ],
};

const Thing = entity("Thing", { name: title });
class Wrong {}
kind(IsInt(), odd({ indx: true }))(Wrong.prototype, "height");

test.each(Object.entries(MISTAKES))(
  "%s is told, once, and left out",
  (_, [options, fields, what, remedy]) => {
    const { findings, schema } = read([
      Thing,
      entity("Piece", { a: title, ...fields }, options as StoredOptions),
    ]);
    const errors = findings.filter(({ severity }) => severity === "error");
    expect(errors).toHaveLength(1);
    expect(errors[0]).toMatchObject({ code: "E234", entity: "Piece" });
    expect(errors[0]!.what).toContain(what);
    expect(errors[0]!.remedy).toContain(remedy);
    const pieces = schema.tables.find(({ name }) => name === "pieces");
    expect(pieces?.columns.map(({ name }) => name)).toContain("a");
  },
);

describe("what TypeScript and the database take for granted", () => {
  const plain = { optional: false, nullable: false, word: undefined, initial: false };
  test.each([
    [{ weight: [IsInt()] }, { ...plain, optional: true }, ["A311"]],
    [{ weight: [IsInt()] }, { ...plain, nullable: true }, ["A311"]],
    [{ weight: [IsInt(), field({ default: 1 })] }, { ...plain, optional: true }, []],
    [{ weight: [IsOptional(), IsInt()] }, plain, ["A312"]],
    [{ weight: [IsOptional(), IsInt()] }, { ...plain, nullable: true }, []],
    [{ weight: [IsInt()] }, plain, []],
    [{ weight: [Key()] }, { ...plain, word: "string" }, ["E227"]],
    [{ weight: [Key(), field({ type: "bigint" })] }, { ...plain, word: "string" }, []],
    [{ weight: [Key({ generate: "uuid" })] }, { ...plain, word: "number" }, ["E227"]],
    [{ weight: [Key({ generate: "uuid" })] }, { ...plain, word: "string" }, []],
  ] as [Fields, Declaration, string[]][])("%#", (fields, declared, codes) => {
    const found = read([entity("Piece", fields)], () => declared).findings;
    expect(found.map(({ code }) => code).filter(code => /A31[12]|E227/.test(code))).toEqual(codes);
  });
});

/** Defaults that are no values of their types, and such that are. */
const DEFAULTS: readonly (readonly [type: string, bad: readonly unknown[], good: readonly unknown[]])[] = [
  ["smallint", [32768, -32769, 1.5, "1"], [32767, -32768]],
  ["integer", [2147483648, 0.5], [-2147483648]],
  ["bigint", [2 ** 53], [2 ** 53 - 1]],
  ["decimal(4,2)", [123.5, "1.234", "x", ""], [99.99, "-12.50", "0012.3"]],
  ["varchar(3)", ["four"], ["🏺🏺🏺"]],
  ["date", ["tomorrow", "2026-02-30", "2026-3-4", "", "2026-03-04T00:00:00Z"], ["2024-02-29"]],
  ["time", ["25:00", "noon"], ["17:30", "17:30:00.5"]],
  ["timestamp", ["2026-13-01", "yesterday"], ["2026-03-04", "2026-03-04 05:06"]],
  ["timestamptz", ["2026-03-04T24:61Z"], ["2026-03-04T05:06:07.123Z", "2026-03-04 05:06:07+02"]],
  ["uuid", ["x", "6a1f0c1e"], ["6a1f0c1e-0000-4000-8000-00000000000a"]],
  ["json", ["{", ""], ["{}", "[1]", "null"]],
  ["double", [Infinity, "1"], [1e300]],
  ["boolean", [1, "true"], [false]],
];

test.each(DEFAULTS)("defaults and fills of %s", (type, bad, good) => {
  const codes = (options: FieldOptions) =>
    read([entity("Piece", { a: title, b: [IsOptional(), field({ type: type as "text", ...options })] })])
      .findings.map(({ code }) => code)
      .filter(code => code === "E229");
  for (const value of bad) {
    expect(codes({ default: value as never }), String(value)).toEqual(["E229"]);
    expect(codes({ fill: value as never }), String(value)).toContain("E229");
  }
  for (const value of good) expect(codes({ default: value as never }), String(value)).toEqual([]);
});

test.each([
  [[Key({ generate: "serial" }), IsString()], "A serial key counts in whole numbers, not in text"],
  [[Key({ generate: "uuid" }), IsInt()], "made as a UUID"],
  [[Key({ generate: "uuid" }), field({ type: "integer" })], "made as a UUID"],
])("a key that is made otherwise than it is said: %#", (id, what) => {
  const found = read([entity("Piece", { id, a: title })]).findings.filter(({ code }) => code === "E227");
  expect(found.map(each => each.what).join()).toContain(what);
});

test("a pair that becomes an entity with a date of its own keeps its table and its rows", () => {
  const glaze = entity("Glaze", { name: title });
  const paired = entity("Piece", {
    name: title,
    glazes: [PairedWith(() => glaze as never) as unknown as Decorator],
  });
  const before = read([glaze, paired]).schema;
  const piece = entity("Piece", { name: title });
  const cascade = { onDelete: "cascade" };
  const coat = entity(
    "Coat",
    {
      piece: [Key(), to(() => piece, cascade)],
      glaze: [Key(), to(() => glaze, cascade)],
      appliedOn: [IsOptional(), field({ type: "date" })],
    },
    { table: "pieces_glazes" },
  );
  const after = read([glaze, piece, coat]).schema;
  expect(diff(before, after).map(describeChange)).toEqual([
    "add column pieces_glazes.applied_on",
    "add check ck_pieces_glazes_applied_on on pieces_glazes",
  ]);
});

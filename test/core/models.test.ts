import {
  Contains,
  Equals,
  IsArray,
  IsBoolean,
  IsDate,
  IsDateString,
  IsDecimal,
  IsDivisibleBy,
  IsEmail,
  IsEnum,
  IsIn,
  IsInt,
  IsBIC,
  IsJSON,
  IsLatitude,
  IsNegative,
  IsNotEmpty,
  IsNotIn,
  IsNumber,
  IsOptional,
  IsPositive,
  IsString,
  IsUrl,
  IsUUID,
  Length,
  Matches,
  Max,
  MaxLength,
  Min,
  MinLength,
  NotContains,
  ValidateIf,
} from "class-validator";
import { describe, expect, test } from "vitest";
import { describePart, describeColumn } from "../../src/core/change/words.js";
import { buildSchema } from "../../src/core/model/build-schema.js";
import { describeEntities } from "../../src/core/model/read/entities.js";
import { dialects } from "../../src/core/dialect/registry.js";
import { sqlite } from "../../src/core/dialect/sqlite/index.js";
import {
  columnName,
  constraintName,
  cutName,
  pairTableName,
  referenceColumnName,
  tableName,
  type NamingRules,
} from "../../src/core/schema/naming.js";
import {
  Field,
  Key,
  kind,
  PairedWith,
  ReferredBy,
  RefersTo,
  sql,
  Stamp,
  Stored,
} from "../../src/modelling/index.js";

const SNAKE: NamingRules = { tables: "plural", case: "snake" };

const read = (...classes: unknown[]) => buildSchema(describeEntities(classes), SNAKE, [sqlite]);

describe("the type and the rules of a field follow from class-validator", () => {
  enum Cone {
    low = "06",
    high = "10",
  }
  type Decorator = (prototype: object, property: string) => void;
  const cases: readonly [string, readonly Decorator[], string, string][] = [
    ["IsInt", [IsInt()], "integer, required", "it is a whole number"],
    [
      "IsInt, Max past 32 bits",
      [IsInt(), Max(5_000_000_000)],
      "bigint, required",
      "it <= 5000000000 and it is a whole number",
    ],
    ["IsNumber", [IsNumber(), Min(0), Max(1)], "double, required", "it >= 0 and it <= 1 and it is a number"],
    [
      "IsNumber with places",
      [IsNumber({ maxDecimalPlaces: 2 })],
      "decimal(18,2), required",
      "it with at most 2 decimal places and it is a number",
    ],
    [
      "IsDecimal",
      [IsDecimal({ decimal_digits: "0,3" })],
      "decimal(18,3), required",
      "it with at most 3 decimal places and it is a number",
    ],
    [
      "IsPositive",
      [IsInt(), IsPositive(), IsDivisibleBy(5)],
      "integer, required",
      "it > 0 and it divisible by 5 and it is a whole number",
    ],
    ["IsNegative", [IsInt(), IsNegative()], "integer, required", "it < 0 and it is a whole number"],
    ["IsBoolean", [IsBoolean()], "boolean, required", "it is true or false"],
    ["IsDate", [IsOptional(), IsDate()], "timestamptz, may be null", "it is a moment"],
    ["IsString", [IsString()], "text, required", ""],
    [
      "lengths",
      [IsString(), MinLength(2), MaxLength(9)],
      "varchar(9), required",
      "length of it >= 2 and length of it <= 9",
    ],
    ["Length", [Length(1, 3)], "varchar(3), required", "length of it >= 1 and length of it <= 3"],
    ["IsNotEmpty", [IsString(), IsNotEmpty()], "text, required", "it not in ('')"],
    ["IsEmail", [IsEmail()], "varchar(320), required", "length of it <= 320"],
    ["IsEmail, shorter", [IsEmail(), MaxLength(120)], "varchar(120), required", "length of it <= 120"],
    ["IsEmail, longer", [IsEmail(), MaxLength(400)], "varchar(320), required", "length of it <= 320"],
    ["IsUrl", [IsUrl()], "varchar(2084), required", "length of it <= 2084"],
    ["IsUUID", [IsUUID()], "uuid, required", "it is a uuid of a known version and it is a uuid"],
    ["MaxLength, large", [MaxLength(65_000.5)], "varchar(65000), required", "length of it <= 65000"],
    ["IsBIC", [IsBIC()], "varchar(11), required", "length of it <= 11"],
    ["IsJSON", [IsJSON()], "json, required", "it is a JSON object or array and it is JSON"],
    [
      "an array",
      [IsArray(), IsString({ each: true }), MaxLength(3, { each: true })],
      "json, required",
      "it is a JSON array and it is JSON",
    ],
    ["IsIn texts", [IsIn(["gas", "wood"])], "varchar(32), required", "it in ('gas', 'wood')"],
    ["IsIn numbers", [IsIn([1, 2])], "integer, required", "it in (1, 2)"],
    ["IsEnum", [IsEnum(Cone)], "varchar(32), required", "it in ('06', '10')"],
    [
      "IsNotIn, Equals",
      [IsString(), IsNotIn(["x"]), Equals("y")],
      "text, required",
      "it not in ('x') and it in ('y')",
    ],
    [
      "Contains",
      [Contains("clay"), NotContains("sand")],
      "text, required",
      "it contains 'clay' and it does not contain 'sand'",
    ],
    ["Matches", [Matches(/^[A-Z]$/i)], "text, required", "it matches /^[A-Z]$/i"],
    ["IsLatitude", [IsLatitude()], "double, required", "it >= -90 and it <= 90 and it is a number"],
    [
      "a rule for a group only",
      [IsInt(), Min(1, { groups: ["shop"] })],
      "integer, required",
      "it is a whole number",
    ],
    ["a type of its own", [IsDateString(), Field({ type: "date" })], "date, required", "it is a date"],
    [
      "a kind",
      [kind(IsInt(), Min(0), Field({ type: "bigint", default: 3 }))],
      "bigint, required, default 3",
      "it >= 0 and it is a whole number",
    ],
    [
      "an expression",
      [IsString(), Field({ default: sql("upper('a')") })],
      "text, required, default upper('a')",
      "",
    ],
  ];
  test.each(cases)("%s", (_, decorators, column, rules) => {
    class Thing {}
    kind(...decorators)(Thing.prototype, "it");
    Stored()(Thing);
    const { schema, findings } = read(Thing);
    const table = schema.tables[0]!;
    expect(findings.filter(({ severity }) => severity === "error")).toEqual([]);
    expect(describeColumn(table.columns.at(-1)!)).toBe(column);
    expect(table.checks.map(check => describePart("check", check)).join("")).toBe(rules);
  });

  test("what cannot be told is an error that says what to add", () => {
    class Thing {}
    Min(1)(Thing.prototype, "bound");
    IsDateString()(Thing.prototype, "when");
    kind(
      ValidateIf(() => true),
      IsInt(),
    )(Thing.prototype, "sometimes");
    Stored()(Thing);
    const found = read(Thing).findings.map(({ code, property, remedy }) => [
      code,
      property,
      remedy.split(";")[0],
    ]);
    expect(found).toEqual([
      ["E220", "bound", "add @IsInt() or @IsNumber()"],
      ["E220", "when", expect.stringContaining('"date"')],
      ["E220", "sometimes", expect.stringContaining("@IsString()")],
    ]);
  });
});

describe("a whole model", () => {
  abstract class Tracked {
    @Stamp("updated") updatedAt!: Date;
  }
  @Stored<Kiln>({
    unique: [["name", "site"]],
    indexes: [{ fields: ["site"], where: "{name} <> 'x'" }],
    checks: { odd: "{name} <> {site}" },
  })
  class Kiln extends Tracked {
    @IsString() @MaxLength(9) name!: string;
    @IsString() site!: string;
    @ReferredBy(() => Log, "kiln") logs!: Log[];
    @PairedWith(() => Kiln) twins!: Kiln[];
  }
  @Stored<Log>({ table: "log", note: "By firing" })
  class Log {
    @Key() @RefersTo(() => Kiln, { onDelete: "cascade" }) kiln!: Kiln;
    @Key() @IsInt() part!: number;
    @IsOptional() @RefersTo(() => Log) before?: Log;
    @Field({ computed: "{part} * 2", type: "integer" }) double!: number;
    @Field({ stored: false }) cache!: string;
  }

  test("comes to this schema", () => {
    const { schema, findings } = read(Kiln, Log);
    expect(findings.filter(({ severity }) => severity !== "note")).toEqual([]);
    const lines = schema.tables.flatMap(({ name, key, columns, uniques, indexes, foreignKeys, checks }) => [
      `${name} (${key!.columns.join(", ")})`,
      ...columns.map(column => `  ${column.name}: ${describeColumn(column)}`),
      ...uniques.map(part => `  ${part.name} ${describePart("unique", part)}`),
      ...indexes.map(part => `  ${part.name} ${describePart("index", part)}`),
      ...foreignKeys.map(part => `  ${part.name} ${describePart("foreign key", part)}`),
      ...checks.map(part => `  ${part.name} ${describePart("check", part)}`),
    ]);
    expect(lines).toMatchInlineSnapshot(`
      [
        "kilns (id)",
        "  id: integer, serial",
        "  name: varchar(9), required",
        "  site: text, required",
        "  updated_at: timestamptz, required, stamped when updated",
        "  uq_kilns_name_site (name, site)",
        "  ix_kilns_site (site) where name <> 'x'",
        "  ck_kilns_name length of name <= 9",
        "  ck_kilns_odd name <> site",
        "log (kiln_id, part)",
        "  kiln_id: integer, required",
        "  part: integer, required",
        "  before_kiln_id: integer, may be null",
        "  before_part: integer, may be null",
        "  double: integer, required, computed: part * 2",
        "  ix_log_before_kiln_id_before_part (before_kiln_id, before_part)",
        "  fk_log_kiln_id (kiln_id) → kilns (id), on delete cascade",
        "  fk_log_before_kiln_id_before_part (before_kiln_id, before_part) → log (kiln_id, part), on delete restrict",
        "  ck_log_part part is a whole number",
        "kilns_kilns (kiln_id, twin_id)",
        "  kiln_id: integer, required",
        "  twin_id: integer, required",
        "  ix_kilns_kilns_twin_id (twin_id)",
        "  fk_kilns_kilns_kiln_id (kiln_id) → kilns (id), on delete cascade",
        "  fk_kilns_kilns_twin_id (twin_id) → kilns (id), on delete cascade",
      ]
    `);
  });
});

test("what a dialect in use cannot hold is said", () => {
  @Stored<Pot>({ table: "🏺", indexes: [{ fields: ["name"], unique: true, where: "{name} <> ''" }] })
  class Pot {
    @Matches(/^\p{L}$/u) name!: string;
  }
  const definitions = [{ kind: "enum", name: "x".repeat(64), values: ["a"] }] as const;
  const found = buildSchema(describeEntities([Pot]), SNAKE, Object.values(dialects), {
    definitions,
  }).findings.flatMap(({ code, severity, what }) => (severity === "note" ? [] : [`${code} ${what}`]));
  expect(found).toEqual([
    "A300 ix_🏺_name is not made: MariaDB has no unique indexes over some rows only",
    'E231 The name "🏺" cannot be: MariaDB takes no characters beyond 16 bits in names',
    `E231 The name "${"x".repeat(64)}" cannot be: PostgreSQL takes no more than 63 bytes`,
    "A308 name is unique and of any length: MariaDB keeps a hash of it, in which nothing can be looked up",
    "A300 name matches /^\\p{L}$/u holds in the program only: SQLite has no regular expressions, and GLOB cannot say this one",
    "A300 name matches /^\\p{L}$/u holds in the program only: PostgreSQL has no pattern that is exactly the same: what \\p{L} means differs by version of Unicode",
    "A300 name matches /^\\p{L}$/u holds in the program only: MariaDB has no pattern that is exactly the same: what \\p{L} means differs by version of Unicode",
  ]);
});

test("what a model says of one dialect only comes to that dialect, and what another lacks is said", () => {
  @Stored({
    namespace: "studio",
    key: { name: "the_key", fields: ["nr", "kiln"] },
    unique: [{ fields: ["code"], name: "once", deferrable: "deferred" }],
    indexes: [{ fields: [{ sql: "lower({code})" }, { field: "nr", descending: true }], method: "gin" }],
    checks: [{ name: "own", holds: "{nr} > 0" }],
    fieldChecks: false,
    options: { postgres: { unlogged: "yes" }, mariadb: { engine: "Aria" } },
  })
  class Firing {
    @Key() @IsString() kiln!: string;
    @Key() @IsInt() @Min(1) nr!: number;
    @IsString() @Length(2, 9) @Field({ collation: { sqlite: "NOCASE" } }) code!: string;
    @IsOptional()
    @RefersTo(() => Firing, { fields: ["nr", "code"], to: ["nr", "code"], name: "self" })
    other?: Firing;
  }
  const all = Object.values(dialects);
  const { schema, findings } = buildSchema(describeEntities([Firing]), SNAKE, all);
  const told = findings.filter(({ severity }) => severity !== "note");
  expect(told.map(({ code, what }) => `${code} ${what}`)).toEqual([
    "A300 ix_firings_expression_nr is not made: SQLite has no indexes of the kind gin",
    "A300 ix_firings_expression_nr is not made: MariaDB has no indexes over expressions",
    "A300 once is looked at after each statement: SQLite does not defer it",
    "A300 once is looked at after each statement: MariaDB does not defer it",
    "E227 MariaDB takes no key of any length, and kiln is one",
  ]);
  const held = Object.fromEntries(
    all.map(dialect => [dialect.name, dialect.types.settle(schema).tables[0]!]),
  );
  expect([held["sqlite"]!.name, held["postgres"]!.namespace, held["mariadb"]!.options]).toEqual([
    "studio_firings",
    "studio",
    { mariadb: { engine: "Aria" } },
  ]);
  expect(held["postgres"]!.key).toEqual({ name: "the_key", columns: ["nr", "kiln"] });
  expect(held["sqlite"]!.columns.map(({ collation }) => collation)).toEqual([undefined, undefined, "NOCASE"]);
  expect(held["postgres"]!.checks).toEqual([{ name: "own", rules: [{ kind: "sql", sql: "{nr} > 0" }] }]);
  expect(held["sqlite"]!.foreignKeys[0]).toMatchObject({
    name: "self",
    columns: ["nr", "code"],
    references: { table: "studio_firings", columns: ["nr", "code"] },
  });
});

test("names follow from the models", () => {
  const pascal: NamingRules = { tables: "singular", case: "pascal" };
  const camel: NamingRules = { tables: "plural", case: "camel" };
  expect([tableName("KilnLog", SNAKE), tableName("Glaze", pascal), tableName("ClayBody", camel)]).toEqual([
    "kiln_logs",
    "Glaze",
    "clayBodies",
  ]);
  expect([
    columnName("towerHeight2", SNAKE),
    columnName("HTTPPort", SNAKE),
    columnName("x_y", pascal),
  ]).toEqual(["tower_height2", "http_port", "XY"]);
  expect([referenceColumnName("firedBy", "id", SNAKE), referenceColumnName("potter", "id", camel)]).toEqual([
    "fired_by_id",
    "potterId",
  ]);
  expect([pairTableName("pieces", "glazes", SNAKE), constraintName("uq", "pieces", ["a", "b"])]).toEqual([
    "pieces_glazes",
    "uq_pieces_a_b",
  ]);
  const long = "uq_" + "ä".repeat(60);
  expect(Buffer.byteLength(cutName(long, 63))).toBeLessThanOrEqual(63);
  expect(cutName(long, 63)).not.toBe(cutName(`${long}b`, 63));
  expect([cutName("short", 63), cutName(long, undefined)]).toEqual(["short", long]);
});

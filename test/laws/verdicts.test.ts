import * as rules from "class-validator";
import fc from "fast-check";
import { afterAll, describe, expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import * as mariadb from "../../src/core/dialect/mariadb/expressions.js";
import * as postgres from "../../src/core/dialect/postgres/expressions.js";
import * as sqlite from "../../src/core/dialect/sqlite/expressions.js";
import { blocksFor } from "../../src/core/plan/plan.js";
import { buildSchema } from "../../src/core/model/build-schema.js";
import { describeEntities } from "../../src/core/model/read/entities.js";
import { EMPTY_SCHEMA } from "../../src/core/schema/types.js";
import { kind, Stored } from "../../src/modelling/index.js";
import { embeddedEngine } from "../engines/embedded.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { sqliteEngine } from "../engines/sqlite.js";
import { RUNS, SEED } from "./runs.js";

type Decorator = (prototype: object, property: string) => void;

/** Texts near the edges that rules draw: capitals, spaces at the end, quotes, letters of more than 16 bits. */
const text = fc.oneof(
  fc.constantFrom(
    "",
    " ",
    "clay",
    "Clay",
    "wet clay",
    "sand",
    "SAND",
    "gas",
    "gas ",
    "Gas",
    "a",
    "A",
    "é",
    "it's",
  ),
  fc.constantFrom(
    "🏺🏺",
    "A-1",
    "a-1",
    "A-12",
    "B-",
    "ab12",
    "\\",
    "%",
    "_x",
    "#fff",
    "507f1f77bcf86cd799439011",
  ),
  fc.string({ unit: fc.constantFrom(..."aAbB1 -é🏺'"), maxLength: 11 }),
);
const whole = fc.oneof(fc.integer({ min: -6, max: 6 }), fc.constantFrom(39_999, 40_000, 40_001));
const moment = fc.date({
  min: new Date("2019-12-31T23:59:58Z"),
  max: new Date("2020-01-01T00:00:02Z"),
  noInvalidDate: true,
});
const items = fc.array(fc.integer({ max: 9 }), { maxLength: 5 });

interface Case {
  readonly name: string;
  readonly rules: readonly Decorator[];
  readonly values: fc.Arbitrary<unknown>;
  /** Engines that cannot hold the rule; `check` must say so. */
  readonly notOn?: readonly string[];
  /** Engines that round a number to what its column holds before they look at it. */
  readonly roundedOn?: readonly string[];
  /** The database holds less than the rule: what validate() accepts it must take, and no more is asked. */
  readonly looser?: boolean;
}

const SERVERS = ["PostgreSQL", "embedded PostgreSQL", "MariaDB"];

const CASES: readonly Case[] = [
  { name: "bounds", rules: [rules.IsInt(), rules.Min(1), rules.Max(40_000)], values: whole },
  { name: "signs", rules: [rules.IsInt(), rules.IsPositive(), rules.IsDivisibleBy(3)], values: whole },
  {
    name: "below",
    rules: [rules.IsNumber(), rules.IsNegative()],
    values: fc.constantFrom(-1.5, -0.1, 0, 0.1),
  },
  {
    name: "decimals",
    rules: [rules.IsNumber({ maxDecimalPlaces: 2 }), rules.Max(20)],
    values: fc.integer({ min: 1990, max: 2010 }).map(cents => cents / 100),
  },
  { name: "fractions", rules: [rules.IsInt()], values: fc.constantFrom(-1.5, 1, 1.5, 2), roundedOn: SERVERS },
  {
    name: "thousandths",
    rules: [rules.IsNumber({ maxDecimalPlaces: 2 })],
    values: fc.constantFrom(1.001, 1.01, 1.999),
    roundedOn: SERVERS,
  },
  { name: "lengths", rules: [rules.IsString(), rules.MinLength(2), rules.MaxLength(9)], values: text },
  { name: "length", rules: [rules.Length(1, 5)], values: text },
  { name: "bytes", rules: [rules.IsString(), rules.IsByteLength(2, 6)], values: text },
  { name: "not empty", rules: [rules.IsString(), rules.IsNotEmpty()], values: text },
  { name: "in", rules: [rules.IsIn(["gas", "Clay", "é", "it's", "\\"])], values: text },
  { name: "not in", rules: [rules.IsString(), rules.IsNotIn(["gas", "a", " "])], values: text },
  { name: "equals", rules: [rules.IsString(), rules.Equals("gas")], values: text },
  { name: "not equals", rules: [rules.IsString(), rules.NotEquals("gas")], values: text },
  { name: "numbers in", rules: [rules.IsIn([1, 2, 40_000])], values: whole },
  { name: "contains", rules: [rules.Contains("clay")], values: text },
  { name: "contains not", rules: [rules.IsString(), rules.NotContains("a")], values: text },
  { name: "a pattern", rules: [rules.Matches(/^[A-Z]-[0-9]+$/)], values: text },
  { name: "a caseless pattern", rules: [rules.Matches(/^[a-z]{1,4}$/i)], values: text },
  { name: "a richer pattern", rules: [rules.Matches(/^(a|B1?)+$/)], values: text, notOn: ["SQLite"] },
  { name: "letters", rules: [rules.IsAlpha()], values: text },
  { name: "letters and digits", rules: [rules.IsAlphanumeric()], values: text },
  { name: "a colour", rules: [rules.IsHexColor()], values: text, notOn: ["SQLite"] },
  { name: "an id of 24 digits", rules: [rules.IsMongoId()], values: text },
  {
    name: "small letters",
    rules: [rules.IsLowercase()],
    values: text.filter(value => /^[\x20-\x7e]*$/.test(value)),
  },
  {
    name: "capitals",
    rules: [rules.IsUppercase()],
    values: text.filter(value => /^[\x20-\x7e]*$/.test(value)),
  },
  { name: "a truth", rules: [rules.IsBoolean()], values: fc.boolean() },
  {
    name: "a moment",
    rules: [rules.IsDate(), rules.MinDate(new Date("2020-01-01T00:00:00Z"))],
    values: moment,
  },
  {
    name: "a last moment",
    rules: [rules.IsDate(), rules.MaxDate(new Date("2020-01-01T00:00:00.5Z"))],
    values: moment,
  },
  { name: "a uuid", rules: [rules.IsUUID()], values: fc.oneof(fc.uuid({ version: 4 }), text) },
  {
    name: "JSON",
    rules: [rules.IsJSON()],
    values: fc.constantFrom("{}", '{"a":[1]}', "[]", "1", '"x"', "null", "{", "", "[1,]"),
  },
  { name: "few items", rules: [rules.ArrayNotEmpty(), rules.ArrayMaxSize(3)], values: items },
  { name: "many items", rules: [rules.ArrayMinSize(2)], values: items },
  { name: "an object", rules: [rules.IsObject()], values: fc.constantFrom({}, { a: 1 }, [], [1]) },
  { name: "a latitude", rules: [rules.IsLatitude()], values: fc.constantFrom(-90.5, -90, 0, 12.5, 90, 90.5) },
  {
    name: "an address",
    rules: [rules.IsEmail()],
    values: fc.oneof(fc.emailAddress(), text),
    looser: true,
  },
  { name: "a URL", rules: [rules.IsUrl()], values: fc.oneof(fc.webUrl(), text), looser: true },
];

class Thing {}
for (const [at, each] of CASES.entries()) kind(rules.IsOptional(), ...each.rules)(Thing.prototype, `f${at}`);
Stored()(Thing);

const engines = {
  SQLite: [sqliteEngine(), sqlite],
  PostgreSQL: [await postgresEngine(), postgres],
  "embedded PostgreSQL": [await embeddedEngine(), postgres],
  MariaDB: [await mariadbEngine(), mariadb],
} as const;

describe.each(Object.entries(engines))("on %s", (name, [engine, { literalSql: literal }]) => {
  afterAll(() => engine?.close());

  test.runIf(engine)("validate() and the database give the same verdict", async () => {
    const { run, dialect } = engine!;
    const { schema, findings } = buildSchema(describeEntities([Thing]), { tables: "plural", case: "snake" }, [
      dialect,
    ]);
    const unheld = new Set(findings.filter(({ code }) => code === "A300").map(({ property }) => property));
    const expected = CASES.flatMap(({ notOn }, at) => (notOn?.includes(name) ? [`f${at}`] : []));
    expect([...unheld]).toEqual(expected);
    for (const block of blocksFor(dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)))
      for (const statement of block.statements) await run(statement);
    if (name === "MariaDB") await run("SET time_zone = '+00:00'");
    const write = (value: unknown) => {
      if (value instanceof Date)
        return `'${value
          .toISOString()
          .slice(0, -1)
          .replace("T", name === "SQLite" ? "T" : " ")}${name === "MariaDB" ? "" : "Z"}'`;
      return literal(
        typeof value === "object" ? JSON.stringify(value) : (value as string | number | boolean),
      );
    };
    const verdicts = new Map<string, number>();
    const tried = fc.oneof(
      ...CASES.flatMap((each, at) =>
        each.notOn?.includes(name) || each.roundedOn?.includes(name)
          ? []
          : [each.values.map(value => ({ each, property: `f${at}`, value }))],
      ),
    );
    await fc.assert(
      fc.asyncProperty(tried, async ({ each, property, value }) => {
        const holds = rules.validateSync(Object.assign(new Thing(), { [property]: value })).length === 0;
        const taken = await run(`INSERT INTO things (${property}) VALUES (${write(value)})`).then(
          () => true,
          () => false,
        );
        if (each.looser) expect(taken || !holds, `${each.name}: ${String(value)}`).toBe(true);
        else expect({ rule: each.name, value, taken }).toEqual({ rule: each.name, value, taken: holds });
        verdicts.set(`${each.name} ${holds}`, 1);
      }),
      { seed: SEED, numRuns: RUNS * 10 },
    );
    // Each rule was seen to hold and to be broken, but for the truths and the rounded decimals.
    if (RUNS >= 300) expect(verdicts.size).toBeGreaterThan(2 * CASES.length - 8);
  });
});

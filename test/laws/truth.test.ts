import { afterAll, describe, expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import type { Dialect } from "../../src/core/dialect/shared/dialect.js";
import { differencesOn } from "../../src/core/model/advice/truth.js";
import { buildSchema } from "../../src/core/model/build-schema.js";
import type { Validator } from "../../src/core/model/rules/validator.js";
import { describeEntities } from "../../src/core/model/read/entities.js";
import type { Finding } from "../../src/core/model/read/findings.js";
import { heldBy } from "../../src/core/model/rules/standing.js";
import { DIFFERENCES, DIFFERENCES_OF_RULES, TOLD } from "../../src/core/lower/differences.js";
import { blocksFor } from "../../src/core/plan/plan.js";
import { EMPTY_SCHEMA, type Column } from "../../src/core/schema/types.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { sqliteEngine } from "../engines/sqlite.js";
import { mariadbDriver, postgresDriver, sqliteDriver, type Driver } from "./drivers.js";
import { STRANGERS, VALUES } from "./hostile-values.js";
import { classOf } from "./one-field.js";
import { PATIENCE, SEED } from "./runs.js";
import {
  alone,
  forgetClasses,
  holds,
  isOutside,
  listed,
  nameOf,
  shuffled,
  STANDS,
  type Stand,
} from "./stands.js";
import { say, type Family, type Stated } from "./stated-rules.js";

/** How many values a column is given of its own kind. */
const MOST_VALUES = 80;

/** Whether a value may be what a difference is about. */
type Tells = (value: unknown, column: Column, family: Family) => boolean;

const isText = (value: unknown): value is string => typeof value === "string";
const textWith =
  (pattern: RegExp): Tells =>
  value =>
    pattern.test(isText(value) ? value : (JSON.stringify(value) ?? ""));
const notFinite: Tells = value => typeof value === "number" && !Number.isFinite(value);
const year = (value: unknown) => (value instanceof Date ? value.getUTCFullYear() : Number.NaN);
const hasPlaces = (value: unknown, places: number) =>
  typeof value === "number" && Number(value.toFixed(places)) !== value;

const HALF = /[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]|\\ud[89a-f]/;

const TELLS: Readonly<Record<keyof typeof DIFFERENCES | keyof typeof DIFFERENCES_OF_RULES, Tells>> = {
  "NUL is refused": textWith(/\0/),
  "NUL ends a text": textWith(/\0/),
  "forms are characters": textWith(/[\ufe0e\ufe0f]/),
  "half characters": textWith(HALF),
  "blanks are cut": (value, { type }) =>
    isText(value) &&
    type.kind === "varchar" &&
    [...value].length > type.length &&
    [...value].slice(type.length).join("").trim() === "",
  "blanks are no part": textWith(/\s$/),
  rounded: (value, { type }) => hasPlaces(value, type.kind === "decimal" ? type.scale : 0),
  "single precision": value => typeof value === "number" && Math.fround(value) !== value,
  "NaN is null": value => Number.isNaN(value),
  "NaN is a number": notFinite,
  "texts are read": (value, { type }) =>
    isText(value) &&
    (type.kind === "uuid" ? /^\{?[\da-f-]{32,36}\}?$/i : /\d|nan|infinity|now|today|epoch|allballs/i).test(
      value,
    ),
  "other kinds": (value, column, family) =>
    kindOf(value) !== expectedKind(column) || kindOf(value) !== KIND_OF_FAMILY[family],
  "years from 4713 BC": value => year(value) < -4712,
  years: value => year(value) < 0 || year(value) > 9999,
  epoch: value => value instanceof Date && (value.getTime() < 1 || value.getTime() >= 2 ** 31 * 1000),
  // Tried below, in sessions of their own.
  "null is now": () => false,
  "cut without a word": () => false,
  "null is nothing": () => false,
  "texts without zones": textWith(/[zZ]$|[-+]\d\d:?\d\d$/),
  "escapes of JSON": textWith(new RegExp(`\\\\u0000|${HALF.source}`)),
  "lenient JSON": value => isLooseJson(isText(value) ? value : JSON.stringify(value)),
  "JSON as engines read it": value => isText(value) && isLooseJson(value),
  "what JSON lacks": value =>
    value instanceof Date ||
    ArrayBuffer.isView(value) ||
    Object.values(value ?? {}).some(each => each === undefined || Number.isNaN(each)),
  "days only": value => value instanceof Date,
  days: textWith(/-(?:29|3[01])/),
  "letters of ASCII": textWith(/[^\0-\x7f]/),
  "small fractions": value => typeof value === "number" && Math.abs(value) < 1e-6,
  "large numbers": value => Math.abs(Number(value)) >= 2 ** 53,
  "many digits": value => String(value).replace(/\D/g, "").length > 15 || Math.abs(Number(value)) < 1e-6,
  "kinds of white space": textWith(/\s/),
  "without its colon": textWith(/^\d{4}$/),
  "dates in part": isText,
};

/** What looks like JSON with something in it that engines see in their own ways. */
function isLooseJson(text: string): boolean {
  return /^\s*[[{"]/.test(text) && (HALF.test(text) || /\\u0000|\[{33}|\n|\.\]|\b0\d|'/.test(text));
}

const KIND_OF_FAMILY: Readonly<Record<Family, string>> = {
  text: "strings",
  number: "numbers",
  boolean: "booleans",
  date: "moments",
  json: "JSON",
};

function kindOf(value: unknown): string {
  if (value instanceof Date) return "moments";
  return typeof value === "object" ? "JSON" : `${typeof value}s`;
}

function expectedKind({ type }: Column): string {
  switch (type.kind) {
    case "boolean":
      return "booleans";
    case "json":
      return "JSON";
    case "timestamp":
    case "timestamptz":
    case "date":
      return "moments";
    case "text":
    case "varchar":
    case "char":
    case "uuid":
    case "time":
      return "strings";
    default:
      return "numbers";
  }
}

/** A column as one engine has it, with all that was said of it. */
interface Built {
  readonly stand: Stand;
  readonly column: Column;
  readonly table: string;
  readonly dialect: Dialect;
  readonly findings: readonly Finding[];
  readonly validators: readonly Validator[];
  /** Whether each rule by itself lets a value pass. */
  readonly passes: readonly ((value: unknown) => boolean)[];
}

/** Whether the program alone holds a rule, or a part of it, and a finding says so. */
function isLeft({ column, dialect, findings }: Built, validator: Validator): boolean {
  const { left, rules } = heldBy(column, validator);
  const unheld = left !== undefined || rules.some(rule => dialect.types.cannotHold(rule) !== undefined);
  return unheld && listed(findings, ["A300", "A324"]).length > 0;
}

/** What was told beforehand of a verdict that differs; undefined: nothing was. */
function excuse(built: Built, value: unknown, valid: boolean): string | undefined {
  const { stand, column, dialect, findings, validators, passes } = built;
  const ofType = differencesOn(dialect, column).filter(
    name => (!valid || TOLD.includes(name)) && TELLS[name](value, column, stand.family),
  );
  const ofRules = validators.flatMap(validator => heldBy(column, validator).differs ?? []);
  const found = [...ofType, ...ofRules.filter(name => TELLS[name](value, column, stand.family))];
  const notes = listed(findings, ["A325"]).join("\n");
  const told = found.find(
    name =>
      !valid ||
      notes.includes(
        name in DIFFERENCES ? DIFFERENCES[name as "rounded"] : DIFFERENCES_OF_RULES[name as "large numbers"],
      ),
  );
  if (told !== undefined) return told;
  if (valid) {
    if (listed(findings, ["A300"]).some(what => what.includes("and the column holds"))) return "other kinds";
    const beyond = [...listed(findings, ["A321"]), notes].join("\n");
    if (!beyond.includes("validate() takes")) return undefined;
    return beyond.includes("values of any kind") || isOutside(column, value) ? "no room" : undefined;
  }
  // Those that the database holds let it pass: it is refused for the others' sake alone.
  const held = validators.flatMap((validator, at) => (isLeft(built, validator) ? [] : [passes[at]!]));
  return held.length < validators.length && held.every(pass => pass(value)) ? "left" : undefined;
}

const servers = {
  SQLite: [sqliteEngine(), async () => sqliteDriver()],
  PostgreSQL: [await postgresEngine(), postgresDriver],
  MariaDB: [await mariadbEngine(), mariadbDriver],
} as const;

describe.each(Object.entries(servers))("on a real %s", (name, [engine, connect]) => {
  let driver: Driver | undefined;
  afterAll(async () => {
    await driver?.close();
    await engine?.close();
  });

  test.runIf(engine)(
    "validate() and the database say the same, but where it was told that they do not",
    async () => {
      driver = await connect(engine!.url);
      const seen = new Map<string, number>();
      const wrong: string[] = [];
      let verdicts = 0;
      for (const [at, stand] of STANDS.entries()) {
        const built = await build(stand, at, engine!.dialect, driver).catch((error: unknown) => {
          wrong.push((error as Error).message);
          return undefined;
        });
        if (!built) continue;
        const pool = shuffled(VALUES[stand.family], SEED + at).slice(0, MOST_VALUES);
        await driver.run(driver.begin);
        for (const value of [...pool, ...STRANGERS]) {
          const valid = built.passes.every(pass => pass(value));
          const taken = await driver.take(built.table, "v", stand.family === "json" ? asJson(value) : value);
          verdicts += 1;
          if (valid === (taken === true)) continue;
          const why = excuse(built, value, valid);
          seen.set(why ?? "nothing", (seen.get(why ?? "nothing") ?? 0) + 1);
          if (why === undefined)
            wrong.push(
              `${valid ? "refused" : "taken"}: ${show(value)} by ${nameOf(stand)}${valid ? ` (${String(taken)})` : ""}`,
            );
        }
        await driver.run("ROLLBACK");
        forgetClasses();
      }
      if (process.env["LAW_TELL"])
        process.stdout.write(`${name}: ${verdicts} verdicts, ${JSON.stringify(Object.fromEntries(seen))}\n`);
      expect(wrong).toEqual([]);
      expect(verdicts).toBeGreaterThan(STANDS.length * 20);
      // What is said to differ does, where all of it was tried.
      if (STANDS.length < alone.length) return;
      const said = Object.keys(engine!.dialect.types.differences).filter(each => !OF_SESSIONS.includes(each));
      expect(said.filter(each => !seen.has(each))).toEqual([]);
    },
    PATIENCE,
  );
});

const OF_SESSIONS = ["null is now", "cut without a word", "null is nothing"];

test.runIf(servers.MariaDB[0])(
  "on MariaDB, sessions of an application's own are as it was told",
  async () => {
    const url = (await mariadbEngine())!;
    const driver = await mariadbDriver(url.url);
    const tableOf = async (name: string, rules: readonly Stated[], type: string, required = false) => {
      const thing = classOf(name, rules, type, required);
      const { schema } = buildSchema(describeEntities([thing]), { tables: "plural", case: "snake" }, [
        url.dialect,
      ]);
      for (const { statements } of blocksFor(url.dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)))
        for (const statement of statements) await driver.run(statement);
      return (value: unknown) => driver.take(schema.tables[0]!.name, "v", value);
    };
    const [isDate, isText] = [say("IsDate"), say("IsString")];
    const days = await Promise.all(
      ["date", "timestamp", "timestamptz"].map(type => tableOf(`Day${type}`, [isDate], type)),
    );
    const required = await tableOf("Due", [isDate], "", true);
    const count = await tableOf("Count", [say("IsInt")], "", true);
    const short = await tableOf("Short", [isText, say("MaxLength", 3)], "");
    expect([await required(null), await count(null)]).not.toContain(true);
    expect(await short("clay")).not.toBe(true);
    await driver.run("SET sql_mode = '', explicit_defaults_for_timestamp = OFF");
    expect(await required(null)).not.toBe(true);
    for (const take of days) {
      for (const none of ["0000-00-00", "2026-02-00", "2026-00-10", "no day"])
        expect(await take(none)).not.toBe(true);
      expect([await take("2026-02-28"), await take(null)]).toEqual([true, true]);
    }
    expect(await short("clay")).toBe(true);
    await driver.run("INSERT INTO counts (v) VALUES (7)");
    await driver.run("UPDATE counts SET v = NULL");
    expect(await url.rows("SELECT v FROM counts")).toEqual([{ v: 0 }]);
    await driver.close();
    await url.close();
  },
);

/** As a program writes JSON. */
function asJson(value: unknown): unknown {
  return value === null || value === undefined || typeof value === "string" ? value : JSON.stringify(value);
}

function show(value: unknown): string {
  if (value instanceof Date) return Number.isNaN(value.getTime()) ? "no date" : value.toISOString();
  if (Object.is(value, -0)) return "-0";
  return typeof value === "string" || (typeof value === "object" && value !== null)
    ? JSON.stringify(value)
    : String(value);
}

/** A class of one field, its table made; undefined where a finding says that it cannot be. Whatever else is taken. */
async function build(stand: Stand, at: number, dialect: Dialect, driver: Driver): Promise<Built | undefined> {
  const thing = classOf(`T${at}`, stand.rules, stand.type);
  const { schema, findings, resolver } = buildSchema(
    describeEntities([thing]),
    { tables: "plural", case: "snake" },
    [dialect],
  );
  if (findings.some(({ severity }) => severity === "error")) return undefined;
  const { field, column } = resolver
    .columnsOf(resolver.entities[0]!)
    .find(({ column: { name } }) => name === "v")!;
  try {
    for (const { statements } of blocksFor(dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)))
      for (const statement of statements) await driver.run(statement);
  } catch (error) {
    throw new Error(`${nameOf(stand)} is not taken: ${(error as Error).message}`);
  }
  const passes = stand.rules.map(rule => {
    const one = classOf(`T${at}`, [rule], "");
    return (value: unknown) => holds(one, value);
  });
  return {
    stand,
    column,
    table: schema.tables[0]!.name,
    dialect,
    findings,
    validators: field.validators,
    passes,
  };
}

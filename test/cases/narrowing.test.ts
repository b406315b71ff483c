import { afterAll, describe, expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import { losesNothingOn } from "../../src/core/plan/kept.js";
import { blocksFor, planFor } from "../../src/core/plan/plan.js";
import { probes } from "../../src/core/plan/probes.js";
import { EMPTY_SCHEMA, type Column, type Schema } from "../../src/core/schema/types.js";
import type { Database } from "../../src/database/session/database.js";
import { runProbes } from "../../src/database/count-rows.js";
import { ID, table } from "../core/render-cases.js";
import { allEngines } from "../laws/there-and-back.js";
import { typeOf, typesOn } from "./typed-values.js";

const engines = await allEngines();
/** How many pairs of types in CI; all of them are a hunt's. */
const ALL = process.env["LAW_RUNS"] !== undefined;

function holding(dialect: string, text: string): Schema {
  const held: Column = { name: "held", type: typeOf(dialect, text), nullable: true };
  return { tables: [table("pieces", { columns: [ID, held] })] };
}

/** What a value is worth, whatever type it is in: `7.50` is `7.5`, a date is its first moment. */
function worth(text: string | null): string | null {
  if (text === null) return null;
  const trimmed = text.trimEnd();
  if (/^ *[-+]?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?$/i.test(trimmed)) {
    const [, sign = "", whole = "", fraction = "", power = "0"] =
      /^ *([-+]?)(\d*)\.?(\d*)(?:e([-+]?\d+))?$/i.exec(trimmed) ?? [];
    const shift = Number(power);
    const digits = `${whole}${fraction}`.padEnd(whole.length + shift, "0");
    const at = whole.length + shift;
    const padded = at < 0 ? `${"0".repeat(-at)}${digits}` : digits;
    const point = Math.max(at, 0);
    const left = padded.slice(0, point).replace(/^0+/, "") || "0";
    const right = padded.slice(point).replace(/0+$/, "");
    return `${sign === "-" && (left !== "0" || right !== "") ? "-" : ""}${left}${right && `.${right}`}`;
  }
  const moment = /^(?:(\d{4}-\d\d-\d\d)(?:[ T]|$))?(\d\d:\d\d:\d\d)?(?:\.(\d+))?(?:\+00(?::00)?)?$/.exec(
    trimmed,
  );
  if (moment && trimmed !== "") {
    const [, date = "", time = "00:00:00", fraction = ""] = moment;
    return `${date} ${time}.${fraction.replace(/0+$/, "")}`;
  }
  return text;
}

describe.each(engines)("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());
  const types = typesOn(name);
  const pairs = Object.keys(types).flatMap((from, row) =>
    Object.keys(types).flatMap((to, at) =>
      from !== to && (ALL || (row * 7 + at) % 8 === 0) ? [[from, to] as const] : [],
    ),
  );

  test.runIf(engine && !name.startsWith("embedded"))(
    "a value is counted where it would not come out as it went in, and no other",
    async () => {
      const database = await engine!.open();
      const wrong: string[] = [];
      try {
        for (const [from, to] of pairs) wrong.push(...(await wrongly(database, from, to, types[from] ?? [])));
      } finally {
        await database.close();
      }
      expect(wrong).toEqual([]);
    },
    600_000,
  );

  test.runIf(engine?.dialect.types.refusesLoss)(
    "a value of which nothing is kept is refused, or comes back as it was",
    async () => {
      const database = await engine!.open();
      const told = { back: 0, refused: 0 };
      const { refusesLoss } = database.dialect.types;
      try {
        for (const from of Object.keys(types))
          for (const to of Object.keys(types)) {
            const [a, b] = [holding(database.dialect.name, from), holding(database.dialect.name, to)];
            const [was, now] = [a, b].map(schema => nativeOf(database.dialect.types.settle(schema)));
            if (was === now || !refusesLoss!(was!, now!)) continue;
            for (const value of [...(types[from] ?? []), ...(EXTREMES[from] ?? [])])
              told[await thereAndBack(database, [a, b], value)] += 1;
          }
      } finally {
        await database.close();
      }
      expect(told.back).toBeGreaterThan(told.refused);
      expect(told.refused).toBeGreaterThan(5);
    },
    600_000,
  );

  test.runIf(engine?.dialect.attic.lost)(
    "a value of which the attic keeps nothing comes back as it was, even by a server that cuts what it likes",
    async () => {
      const database = await engine!.open();
      const { attic, types: told, name: dialect } = database.dialect;
      const losesNothing = losesNothingOn(database.dialect);
      let [partly, kept] = [0, 0];
      try {
        // As whoever runs a script by hand may have set it.
        await database.run("SET SESSION sql_mode = ''");
        for (const from of Object.keys(types))
          for (const to of Object.keys(types)) {
            const [a, b] = [holding(dialect, from), holding(dialect, to)];
            const [was, now] = [a, b].map(schema => heldIn(told.settle(schema)));
            if (losesNothing(was!.type, now!.type) || !attic.lost!(was!, now!, "held")) continue;
            partly += 1;
            for (const value of [...(types[from] ?? []), ...(EXTREMES[from] ?? [])])
              kept += await cutAndBack(database, [a, b], value);
          }
      } finally {
        await database.close();
      }
      expect(partly).toBeGreaterThan(5);
      expect(kept).toBeGreaterThan(5);
    },
    600_000,
  );
});

/** A value is turned, the attic keeps what it keeps, and turned back. @returns how many values it kept */
async function cutAndBack(
  database: Database,
  [a, b]: readonly [Schema, Schema],
  value: string,
): Promise<number> {
  const { dialect } = database;
  const run = async (from: Schema, to: Schema, direction?: "forward" | "back") => {
    const keeping = direction && { number: "0001", direction };
    for (const { statements } of blocksFor(dialect, from, diff(from, to), keeping))
      for (const sql of statements) await database.runScripted(sql);
  };
  const shown = () => database.rows("SELECT HEX(held) AS held FROM pieces");
  await database.run("DROP TABLE IF EXISTS pieces");
  await run(EMPTY_SCHEMA, a);
  await database.run(`INSERT INTO pieces (held) VALUES (${dialect.rows.literalSql(value)}), (NULL)`);
  const before = await shown();
  await run(a, b, "forward");
  const [row] = await database.rows("SELECT count(*) AS n FROM emberset_attic_0001_pieces_held");
  await run(b, a, "back");
  expect(await shown(), `${value} by way of ${JSON.stringify(heldIn(b).type)}`).toEqual(before);
  return Number(row?.["n"]);
}

function heldIn({ tables: [pieces] }: Schema): Column {
  return pieces!.columns.find(({ name }) => name === "held")!;
}

/** Values at the ends of types. */
const EXTREMES: Readonly<Record<string, readonly string[]>> = {
  date: ["infinity", "4713-01-01 BC", "9999-12-31"],
  timestamp: ["infinity", "-infinity", "4713-11-24 00:00:00 BC", "294276-12-31 23:59:59.999999"],
  timestamptz: ["infinity", "4713-11-24 00:00:00 BC", "294276-12-31 23:59:59.999999+00"],
  "decimal(6,3)": ["NaN", "999.999"],
  bigint: ["-9223372036854775808"],
  text: ["  ", "a\n", "é".repeat(9)],
};

function nativeOf(schema: Schema): string {
  const { type } = heldIn(schema);
  return type.kind === "native" ? (type.sql["postgres"] ?? "") : "";
}

/** A value is turned, without being asked about, and turned back: it is what it was, unless it was refused. */
async function thereAndBack(
  database: Database,
  [a, b]: readonly [Schema, Schema],
  value: string,
): Promise<"back" | "refused"> {
  const { dialect } = database;
  const run = async (from: Schema, to: Schema) => {
    for (const { statements } of blocksFor(dialect, from, diff(from, to)))
      for (const sql of statements) await database.runScripted(sql);
  };
  const shown = () => database.rows("SELECT held::text AS held, held IS NULL AS none FROM pieces");
  await database.run("DROP TABLE IF EXISTS pieces");
  await run(EMPTY_SCHEMA, a);
  await database.run(`INSERT INTO pieces (held) VALUES (${dialect.rows.literalSql(value)})`);
  const before = await shown();
  if (
    await run(a, b).then(
      () => false,
      () => true,
    )
  )
    return "refused";
  await run(b, a);
  expect(await shown(), `${nativeOf(dialect.types.settle(b))} in between`).toEqual(before);
  return "back";
}

/** Values of one type that are counted though another takes them as they are, or not counted though it does not. */
async function wrongly(
  database: Database,
  from: string,
  to: string,
  values: readonly string[],
): Promise<string[]> {
  const { dialect } = database;
  const [a, b] = [holding(dialect.name, from), holding(dialect.name, to)];
  const changes = diff(a, b);
  const wrong: string[] = [];
  const change = async () => {
    for (const { statements } of blocksFor(dialect, a, changes))
      for (const sql of statements) await database.runScripted(sql);
  };
  const build = async () => {
    await database.run("DROP TABLE IF EXISTS pieces");
    for (const { statements } of blocksFor(dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, a)))
      for (const sql of statements) await database.runScripted(sql);
  };
  await build();
  // Where no row is in the way, nothing is.
  await change().catch((error: unknown) =>
    wrong.push(`${from} → ${to}, no rows: ${(error as Error).message}`),
  );
  for (const value of values) {
    await build();
    const plain = dialect.name === "mariadb" ? value.replace(/\+00$/, "") : value;
    const literal =
      from === "boolean" && dialect.name !== "postgres"
        ? value === "true"
          ? "1"
          : "0"
        : dialect.rows.literalSql(plain);
    await database.run(`INSERT INTO pieces (held) VALUES (${literal})`);
    const shown = async () => {
      const text = dialect.name === "postgres" ? "held::text" : "CAST(held AS CHAR)";
      const [row] = await database.rows(`SELECT ${text} AS held FROM pieces`);
      const shown = row?.["held"] === null ? null : String(row?.["held"]);
      const bytes = /^\\x((?:[0-9a-f]{2})*)$/.exec(shown ?? "");
      return bytes ? Buffer.from(bytes[1] ?? "", "hex").toString() : shown;
    };
    const before = await shown();
    const plan = planFor(dialect, a, changes);
    const counted =
      (
        await runProbes(
          database,
          probes(plan, dialect).filter(({ meaning }) => meaning === "refuses"),
        )
      ).length > 0;
    let after: string | null | undefined;
    let refusal = "";
    try {
      await change();
      after = await shown();
    } catch (error) {
      refusal = (error as Error).message;
    }
    const fits = after !== undefined && sameWorth(before, after, from, to, dialect.name);
    if (fits === counted)
      wrong.push(
        `${from} → ${to}: ${JSON.stringify(before)} ${counted ? "is counted" : "is not counted"}, and becomes ${after === undefined ? `nothing: ${refusal}` : JSON.stringify(after)}`,
      );
  }
  return wrong;
}

function sameWorth(
  before: string | null,
  after: string | null,
  from: string,
  to: string,
  dialect: string,
): boolean {
  const isText = (type: string) => /text|char/.test(type);
  if (isText(from) && isText(to)) return before === after;
  // However it is written.
  // Of a floating number, all that is there is its bits.
  if (from === "double" && to === "real" && dialect !== "sqlite")
    return Math.fround(Number(before)) === Number(before);
  if (to === "interval" && isText(from)) return true;
  if (worth(before) === worth(after)) return true;
  const truth: Readonly<Record<string, string>> = { true: "1", false: "0" };
  const number = (text: string | null) => worth(truth[text ?? ""] ?? text);
  if ([from, to].includes("boolean")) return number(before) === number(after);
  // Written otherwise, it says the same.
  if ([from, to].includes("json"))
    return (before ?? "").replaceAll(" ", "") === (after ?? "").replaceAll(" ", "");
  return false;
}

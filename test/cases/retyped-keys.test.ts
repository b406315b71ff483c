import { afterAll, describe, expect, test } from "vitest";
import { diff, fillKey } from "../../src/core/change/diff.js";
import { probes } from "../../src/core/plan/probes.js";
import { blocksFor, planFor } from "../../src/core/plan/plan.js";
import { equal } from "../../src/core/schema/canonical.js";
import { EMPTY_SCHEMA, type Schema } from "../../src/core/schema/types.js";
import { runProbes } from "../../src/database/count-rows.js";
import type { Database } from "../../src/database/session/database.js";
import { allEngines, described, isAboutRows, runner } from "../laws/there-and-back.js";
import { typeOf, typesOn } from "./typed-values.js";

const engines = await allEngines();
/** How many pairs of types in CI beside those that are worth the same; all of them are a hunt's. */
const ALL = process.env["LAW_RUNS"] !== undefined;
const ALIKE = [
  ["smallint", "integer"],
  ["integer", "decimal(8,2)"],
  ["real", "double"],
  ["varchar(4)", "varchar(9)"],
  ["timestamp", "timestamptz"],
  ["timestamptz", "bigint"],
  ["date", "timestamp"],
];

/** Rows that are told by a column of some type; with notes, or held to a condition. */
function toldBy(
  dialect: string,
  type: string,
  more: "notes" | { readonly not: string; readonly filled: boolean },
): Schema {
  const column = (name: string, its: string, nullable = false) => ({
    ...{ name, type: typeOf(dialect, its), nullable },
  });
  const isOld = more === "notes";
  const filled = typeof more === "object" && more.filled;
  const notes = isOld ? [column("notes", "text", true)] : [];
  const check =
    typeof more === "object"
      ? [{ name: "ck", rules: [{ kind: "sql" as const, sql: `{held} <> ${more.not}` }] }]
      : [];
  return {
    tables: [
      {
        name: "pieces",
        columns: [
          column("held", type),
          ...notes,
          column("n", "integer"),
          column("weight", "integer", isOld || !filled),
        ],
        uniques: [{ name: "uq_held", columns: ["held"] }],
        indexes: [],
        foreignKeys: [],
        checks: check,
      },
    ],
  };
}

describe.each(engines)("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());
  const types = typesOn(name);
  const pairs = Object.keys(types).flatMap((from, row) =>
    Object.keys(types).flatMap((to, at) =>
      from !== to && (ALL || (row * 5 + at) % 16 === 0 || ALIKE.some(each => equal(each, [from, to])))
        ? [[from, to] as const]
        : [],
    ),
  );

  test.runIf(engine && !name.startsWith("embedded"))(
    "what is told by a column whose type changes gets back what was kept of it; and each rule over it can be asked for beforehand",
    async () => {
      const told = { back: 0, refused: 0, none: 0 };
      const wrong: string[] = [];
      for (const [from, to] of pairs)
        for (const filled of [false, true]) {
          await engine!.empty();
          const database = await engine!.open();
          try {
            const values = [types[from]!, types[to]!] as const;
            const [outcome, why] = await thereAndBack(database, { from, to, values, filled });
            told[outcome] += 1;
            if (why !== undefined) wrong.push(`${from} → ${to}${filled ? ", filled" : ""}: ${why}`);
          } finally {
            await database.close();
          }
        }
      expect(wrong).toEqual([]);
      expect(told.back).toBeGreaterThan(pairs.length / 4);
      expect(told.none).toBeLessThan(pairs.length);
    },
    600_000,
  );
});

interface Tried {
  readonly from: string;
  readonly to: string;
  /** Values of either. */
  readonly values: readonly [readonly string[], readonly string[]];
  /** Whether a value is filled in each row, too. */
  readonly filled: boolean;
}

type Outcome = readonly ["back" | "refused" | "none", string?];

async function thereAndBack(
  database: Database,
  { from, to, values: [values, others], filled }: Tried,
): Promise<Outcome> {
  const { dialect } = database;
  const literal = (type: string, value: string) =>
    type === "boolean" && dialect.name !== "postgres"
      ? String(Number(value === "true"))
      : dialect.rows.literalSql(dialect.name === "mariadb" ? value.replace(/\+00$/, "") : value);
  const a = toldBy(dialect.name, from, "notes");
  const b = toldBy(dialect.name, to, { not: literal(to, others.at(-1)!), filled });
  const changes = diff(a, b, {
    fills: new Map([[fillKey("pieces", "weight"), { kind: "value", value: 5 }]]),
  });
  try {
    for (const { statements } of blocksFor(dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, a)))
      for (const statement of statements) await database.runScripted(statement);
  } catch {
    // Not every type can be unique.
    return ["none"];
  }
  for (const [at, value] of values.entries())
    await database
      .run(`INSERT INTO pieces (held, notes, n) VALUES (${literal(from, value)}, 'note ${at}', ${at})`)
      .catch(() => undefined);
  const shown = async () =>
    (
      await database.rows(
        `SELECT ${dialect.name === "postgres" ? "held::text" : "CAST(held AS CHAR)"} AS held, notes, weight FROM pieces ORDER BY n`,
      )
    ).map(({ held, notes, weight }) => [String(held), notes, weight]);
  const before = await shown();
  const way = { a, b, changes };
  try {
    await runProbes(database, probes(planFor(dialect, a, changes), dialect));
  } catch (error) {
    return ["refused", `cannot be asked: ${(error as Error).message}`];
  }
  const { run, scripts } = runner(database, way);
  try {
    await run("forward");
  } catch (error) {
    return isAboutRows(error) ? ["refused"] : ["refused", described(error, scripts.forward.text).message];
  }
  try {
    await run("back");
  } catch (error) {
    return ["refused", `does not go back: ${(error as Error).message}`];
  }
  const after = await shown();
  const lost = before.filter(([, ...kept], at) => !equal(kept, after[at]?.slice(1)));
  return lost.length > 0
    ? ["back", `of ${JSON.stringify(before)} there are ${JSON.stringify(after)}`]
    : ["back"];
}

import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "vitest";
import { dialects } from "../../src/core/dialect/registry.js";
import { DIFFERENCES, DIFFERENCES_OF_RULES, type Difference } from "../../src/core/lower/differences.js";
import { buildSchema } from "../../src/core/model/build-schema.js";
import { describeEntities } from "../../src/core/model/read/entities.js";
import { heldBy, writtenAs } from "../../src/core/model/rules/standing.js";
import { STATED as RULES } from "../../src/core/model/rules/stated.js";
import { MOMENTS, NUMBERS, showDataType, TEXTS, WHOLE_NUMBERS } from "../../src/core/schema/data-type.js";
import type { Column } from "../../src/core/schema/types.js";
import { STATED, TYPES, type Family, type Stated } from "../laws/stated-rules.js";
import { classOf } from "../laws/one-field.js";

const FILE = join(import.meta.dirname, "..", "..", "docs", "model-language.md");
const ALL = Object.values(dialects);
const [BEGIN, END] = ["<!-- rules -->\n", "<!-- end of rules -->"];

/** A rule on the first type that it may stand on, and what each dialect holds of it. */
function rowOf(
  family: Family,
  stated: Stated,
): { readonly rule: string; readonly cells: readonly string[] } | undefined {
  for (const type of TYPES[family]) {
    const { findings, resolver } = buildSchema(
      describeEntities([classOf("Thing", [stated], type)]),
      { tables: "plural", case: "snake" },
      ALL,
    );
    if (findings.some(({ severity }) => severity === "error")) continue;
    const one = resolver.columnsOf(resolver.entities[0]!).at(-1)!;
    const validator = one.field.validators.at(-1)!;
    const held = heldBy(one.column, validator);
    if (held.fault || validator.each) continue;
    const cell = (dialect: (typeof ALL)[number]): string => {
      const reason = held.rules.map(rule => dialect.types.cannotHold(rule)).find(each => each !== undefined);
      if (reason !== undefined) return `the program: ${reason.split(": ").at(-1)!}`;
      if (held.left !== undefined)
        return `the program${held.rules.length > 0 ? ", but for its kind" : ""}: ${held.left}`;
      return held.differs ? `held, but: ${DIFFERENCES_OF_RULES[held.differs]}` : "held";
    };
    return { rule: `\`${writtenAs(validator)}\``, cells: [on(one.column), ...ALL.map(cell)] };
  }
  return undefined;
}

const on = ({ type }: Column) =>
  TEXTS.includes(type.kind) ? "texts" : NUMBERS.includes(type.kind) ? "numbers" : showDataType(type);

/** Alike rows in one, in the order in which the first of each came. */
function rulesTable(): string[] {
  const rows = new Map<string, string[]>();
  const seen = new Set<string>();
  for (const family of Object.keys(STATED) as Family[])
    for (const stated of STATED[family] as readonly Stated[]) {
      const row = rowOf(family, stated);
      if (!row || seen.has(`${row.rule} ${row.cells[0]!}`)) continue;
      seen.add(`${row.rule} ${row.cells[0]!}`);
      const key = row.cells.slice(1).every(cell => cell === row.cells[1])
        ? [row.cells[0]!, row.cells[1]!, "as on SQLite", "as on SQLite"].join(" | ")
        : row.cells.join(" | ");
      rows.set(key, [...(rows.get(key) ?? []), row.rule]);
    }
  const written = new Set([...seen].map(each => each.split("`")[1]));
  const missing = Object.values(RULES).filter(rule => !written.has(rule.written));
  expect(missing.map(({ written: name }) => name)).toEqual([]);
  return [
    "| rules | on | SQLite | PostgreSQL | MariaDB |",
    "| --- | --- | --- | --- | --- |",
    ...[...rows].map(([cells, rules]) => `| ${rules.join(" ")} | ${cells} |`),
  ];
}

const GROUPS = [
  [NUMBERS, "numbers"],
  [WHOLE_NUMBERS, "whole numbers"],
  [TEXTS, "texts"],
  [MOMENTS, "days, times and moments"],
] as const;

function kindsOf(kinds: readonly string[] = []): string {
  let left = [...new Set(kinds)];
  const words: string[] = [];
  for (const [group, word] of GROUPS) {
    if (!group.every(kind => left.includes(kind))) continue;
    left = left.filter(kind => !(group as readonly string[]).includes(kind));
    words.push(word);
  }
  return [...words, ...left].join(", ");
}

function differencesTable(): string[] {
  return [
    "| whatever the rules say | SQLite | PostgreSQL | MariaDB |",
    "| --- | --- | --- | --- |",
    ...Object.entries(DIFFERENCES).map(
      ([name, text]) =>
        `| ${text} | ${ALL.map(({ types }) => kindsOf(types.differences[name as Difference])).join(" | ")} |`,
    ),
  ];
}

test("the model language tells of each rule who holds it, and where not, as the program has it", async () => {
  const before = readFileSync(FILE, "utf8");
  const [head, rest = ""] = before.split(BEGIN);
  const text = [...rulesTable(), "", ...differencesTable()].join("\n");
  const { format } = await import("prettier");
  const table = await format(text, { parser: "markdown", printWidth: 120, proseWrap: "preserve" });
  const after = `${head!}${BEGIN}\n${table}\n${END}${rest.split(END)[1] ?? ""}`;
  // To write it anew: WRITE_DOCS=1 npx vitest run test/docs/rules.test.ts
  if (process.env["WRITE_DOCS"]) writeFileSync(FILE, after);
  expect(readFileSync(FILE, "utf8")).toBe(after);
});

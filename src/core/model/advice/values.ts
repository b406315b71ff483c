import { describeDefault, describeRule } from "../../change/words.js";
import type { Column, Rule, Table } from "../../schema/types.js";
import type { EntityDescription, FieldDescription } from "../read/descriptions.js";
import { entitiesWithTables, type Review } from "./review.js";

/** Advice on values: money as a float, classes that say otherwise than columns, defaults that break their own rules. */
export function adviseOnValues(review: Review): void {
  for (const [entity, table] of entitiesWithTables(review)) {
    unheld(entity, table, review);
    for (const { field, column } of review.resolver.columnsOf(entity)) {
      money(entity, field, column, review);
      declaration(entity, field, column, review);
      brokenDefault(entity, field, column, table, review);
    }
  }
}

/** Columns that a table of some dialect cannot have. */
function unheld(entity: EntityDescription, table: Table, { resolver, dialects, report }: Review): void {
  // Checks say nothing of it, and putting their patterns into words takes long.
  const bare = { ...table, checks: [] };
  for (const { types } of dialects) {
    const [settled] = types.settle({ tables: [bare] }).tables;
    for (const { field, column } of resolver.columnsOf(entity)) {
      const held = settled?.columns[table.columns.findIndex(({ name }) => name === column.name)];
      const reason = settled && held && types.cannotHoldColumn(held, settled);
      if (reason === undefined) continue;
      const remedy = "choose another type, or one for each dialect with @Field({ type: { … } })";
      report("E237", { entity: entity.name, property: field.property }, reason, remedy);
    }
  }
}

const MONEY =
  /(?:price|cost|amount|salary|wage|fee|total|balance|payment|revenue|discount|budget|deposit|refund|money|invoiced|paid|tax)(?:s|es)?$/i;

function money(
  entity: EntityDescription,
  { property }: FieldDescription,
  { type }: Column,
  { report }: Review,
): void {
  if (!["real", "double"].includes(type.kind) || !MONEY.test(property)) return;
  report(
    "A304",
    { entity: entity.name, property },
    `${property} looks like money, and a ${type.kind} cannot hold tenths and hundredths exactly`,
    'count the smallest coin with @IsInt() @Field({ type: "bigint" }), or say @IsNumber({ maxDecimalPlaces: 2 })',
  );
}

/** What the compiler and the database each take for granted. */
function declaration(
  entity: EntityDescription,
  field: FieldDescription,
  column: Column,
  { declared, report }: Review,
): void {
  if (field.within.length > 0) return;
  const found = declared(entity, field.property);
  if (!found) return;
  const where = { entity: entity.name, property: field.property };
  // A large number comes as a text from some drivers.
  const counts = column.identity !== undefined && column.type.kind !== "bigint";
  const made = counts ? "number" : column.default?.kind === "uuid" ? "string" : undefined;
  if (made !== undefined && found.word !== undefined && found.word !== made) {
    report(
      "E227",
      where,
      `${field.property} is a ${found.word} in TypeScript, but the database makes a ${made} of it`,
      `declare it ${field.property}!: ${made}, or say otherwise how it comes about`,
    );
  }
  const mayBeMissing = found.optional || found.nullable;
  const filled = (column.default !== undefined || column.identity) ?? column.stamp ?? column.computed;
  if (mayBeMissing && !column.nullable && !filled) {
    report(
      "A311",
      where,
      `${field.property} may be missing in TypeScript, but the database requires it`,
      `add @IsOptional(), or declare it ${field.property}!: …`,
    );
  } else if (!mayBeMissing && field.optional && column.nullable) {
    report(
      "A312",
      where,
      `${field.property} is always there in TypeScript, but the database may hold null`,
      `declare it ${field.property}?: …, or remove @IsOptional()`,
    );
  }
}

function brokenDefault(
  entity: EntityDescription,
  { property }: FieldDescription,
  { name, default: value }: Column,
  table: Table,
  { report }: Review,
): void {
  if (value?.kind !== "value") return;
  const rules = table.checks.flatMap(check => check.rules);
  const broken = rules.find(rule => "column" in rule && rule.column === name && breaks(rule, value.value));
  if (!broken) return;
  report(
    "A315",
    { entity: entity.name, property },
    `The default ${describeDefault(value)} breaks the field's own rule: ${describeRule(broken)}`,
    "choose a default that keeps to it, or change the rule",
  );
}

/** Whether a value surely breaks a rule. */
function breaks(rule: Rule, value: string | number | boolean): boolean {
  const length = [...String(value)].length;
  switch (rule.kind) {
    case "min":
      return typeof value === "number" && typeof rule.value === "number" && value < rule.value;
    case "max":
      return typeof value === "number" && typeof rule.value === "number" && value > rule.value;
    case "above":
      return typeof value === "number" && value <= rule.value;
    case "below":
      return typeof value === "number" && value >= rule.value;
    case "min length":
      return length < rule.value;
    case "max length":
      return length > rule.value;
    case "in":
      return !rule.values.includes(value);
    case "not in":
      return rule.values.includes(value);
    case "divisible":
      return typeof value === "number" && value % rule.value !== 0;
    case "contains":
      return !String(value).includes(rule.value);
    case "not contains":
      return String(value).includes(rule.value);
    case "pattern":
      return !new RegExp(rule.pattern, rule.flags.replaceAll(/[gy]/g, "")).test(String(value));
    case "whole":
      return typeof value === "number" && !Number.isInteger(value);
    default:
      return false;
  }
}

import { namesThrough } from "../../../change/names.js";
import { addressOf } from "../../../schema/address.js";
import { equal } from "../../../schema/canonical.js";
import type { Column, DomainDefinition, EnumDefinition, TypeDefinition } from "../../../schema/types.js";
import type { RenderPlan } from "../../shared/render-plan.js";
import { literalSql } from "../expressions.js";
import { NAME_LIMIT, quote, quoteTable } from "../names.js";
import { dimensionsOver } from "../types.js";
import { defaultSql } from "./columns.js";
import { resetSequenceSql, sequenceSql } from "./sequences.js";
import { alterTableSql } from "./clauses.js";
import { giveBackSurroundingsSql, holdSurroundingsSql } from "../surroundings.js";

/** A change of what is no object. */
export type TypeChange =
  | { readonly kind: "add definition" | "drop definition"; readonly definition: TypeDefinition }
  | { readonly kind: "alter definition"; readonly before: TypeDefinition; readonly after: TypeDefinition };

/** What is made before all tables, and what goes after them. */
export function definitionSql(change: TypeChange, plan: RenderPlan): string[] {
  switch (change.kind) {
    case "add definition":
      return [createSql(change.definition), ...noteSql(change.definition)];
    case "drop definition":
      return [`DROP ${WORDS[change.definition.kind]} ${quoteTable(addressOf(change.definition))}`];
    case "alter definition":
      return [
        ...alterSql(change.before, change.after, plan),
        ...(change.before.note === change.after.note ? [] : noteSql(change.after, true)),
      ];
    default:
      return change satisfies never;
  }
}

const WORDS = { enum: "TYPE", domain: "DOMAIN", sequence: "SEQUENCE" } as const;

function noteSql(definition: TypeDefinition, reset = false): string[] {
  const { note } = definition;
  if (note === undefined && !reset) return [];
  const text = note === undefined ? "NULL" : literalSql(note);
  return [`COMMENT ON ${WORDS[definition.kind]} ${quoteTable(addressOf(definition))} IS ${text}`];
}

function createSql(definition: TypeDefinition): string {
  const name = quoteTable(addressOf(definition));
  switch (definition.kind) {
    case "enum":
      return `CREATE TYPE ${name} AS ENUM (${definition.values.map(literalSql).join(", ")})`;
    case "domain":
      return [
        `CREATE DOMAIN ${name} AS ${definition.type}`,
        definition.collation && `COLLATE ${quote(definition.collation)}`,
        definition.default !== undefined && `DEFAULT ${definition.default}`,
        !definition.nullable && "NOT NULL",
        ...definition.checks.map(check => `CONSTRAINT ${quote(check.name)} CHECK (${check.sql})`),
      ]
        .filter(Boolean)
        .join(" ");
    case "sequence": {
      const { settings = {} } = definition;
      const type = settings["sequence type"];
      return `CREATE SEQUENCE ${name}${type ? ` AS ${type}` : ""}${sequenceSql(settings)}`;
    }
    default:
      return definition satisfies never;
  }
}

function alterSql(before: TypeDefinition, after: TypeDefinition, plan: RenderPlan): string[] {
  if (before.kind === "enum" && after.kind === "enum") return alterEnumSql(before, after, plan);
  if (before.kind === "domain" && after.kind === "domain") return alterDomainSql(before, after, plan);
  if (after.kind !== "sequence") return [];
  const { settings = {} } = after;
  const type = settings["sequence type"] ?? "bigint";
  return [`ALTER SEQUENCE ${quoteTable(addressOf(after))} ${resetSequenceSql(settings, type)}`];
}

/**
 * Values can be added in place (https://www.postgresql.org/docs/15/sql-altertype.html), but not used before the
 * transaction ends. Otherwise the type is made anew and its columns are turned over to it.
 */
function alterEnumSql(before: EnumDefinition, after: EnumDefinition, plan: RenderPlan): string[] {
  if (isMadeAnew(before, after, plan)) return makeAnewSql(after, plan, dimensions => `text${dimensions}`);
  return addedValues(before, after).map(value => addValueSql(value, before, after));
}

function addedValues(before: EnumDefinition, after: EnumDefinition): string[] {
  return after.values.filter(value => !before.values.includes(value));
}

/** Whether a type cannot be changed where it stands. */
export function isMadeAnew(
  before: TypeDefinition,
  after: TypeDefinition,
  plan: Pick<RenderPlan, "changes">,
): boolean {
  if (before.kind === "domain" && after.kind === "domain")
    return before.type !== after.type || before.collation !== after.collation;
  if (before.kind !== "enum" || after.kind !== "enum") return false;
  const kept = after.values.filter(value => before.values.includes(value));
  const isOrdered = kept.every((value, at) => value === before.values[at]);
  return kept.length !== before.values.length || !isOrdered || isUsed(addedValues(before, after), plan);
}

/** Whether anything else in a plan speaks of some values. */
function isUsed(values: readonly string[], { changes }: Pick<RenderPlan, "changes">): boolean {
  const rest = JSON.stringify(changes.filter(({ kind }) => kind !== "alter definition"));
  return values.some(value => rest.includes(JSON.stringify(literalSql(value)).slice(1, -1)));
}

function addValueSql(value: string, before: EnumDefinition, after: EnumDefinition): string {
  const previous = after.values[after.values.indexOf(value) - 1];
  const beside =
    previous === undefined ? `BEFORE ${literalSql(before.values[0] ?? "")}` : `AFTER ${literalSql(previous)}`;
  const behind = before.values.length === 0 ? "" : ` ${beside}`;
  return `ALTER TYPE ${quoteTable(addressOf(after))} ADD VALUE ${literalSql(value)}${behind}`;
}

function alterDomainSql(before: DomainDefinition, after: DomainDefinition, plan: RenderPlan): string[] {
  if (isMadeAnew(before, after, plan))
    return makeAnewSql(after, plan, dimensions => `${before.type}${dimensions}`);
  const missing = (from: DomainDefinition, others: DomainDefinition) =>
    from.checks.filter(check => !others.checks.some(each => equal(each, check)));
  return [
    ...missing(before, after).map(check => `DROP CONSTRAINT ${quote(check.name)}`),
    ...(before.default === after.default
      ? []
      : [after.default === undefined ? "DROP DEFAULT" : `SET DEFAULT ${after.default}`]),
    ...(before.nullable === after.nullable ? [] : [after.nullable ? "DROP NOT NULL" : "SET NOT NULL"]),
    ...missing(after, before).map(check => `ADD CONSTRAINT ${quote(check.name)} CHECK (${check.sql})`),
  ].map(clause => `ALTER DOMAIN ${quoteTable(addressOf(after))} ${clause}`);
}

/**
 * A type under its name beside the old one, which goes once all columns are turned over.
 * @param by the type by way of which values are turned, for an array of some dimensions
 */
function makeAnewSql(
  after: EnumDefinition | DomainDefinition,
  plan: RenderPlan,
  by: (dimensions: string) => string,
): string[] {
  const away = `${after.name.slice(0, NAME_LIMIT - 4)}_old`;
  const word = WORDS[after.kind];
  const name = quoteTable(addressOf(after));
  const held = "emberset.held_type";
  return [
    holdSurroundingsSql([{ kind: "type", before: name, after: name, same: true }], held),
    `ALTER ${word} ${quoteTable(addressOf(after))} RENAME TO ${quote(away)}`,
    createSql(after),
    ...noteSql(after),
    ...turnOverSql(after, plan, by),
    giveBackSurroundingsSql(held),
    `DROP ${word} ${quoteTable(addressOf({ ...after, name: away }))}`,
  ];
}

/** Columns of a type that has been made anew, in the tables that stay. */
function turnOverSql(
  type: TypeDefinition,
  { before, changes }: RenderPlan,
  by: (dimensions: string) => string,
): string[] {
  const names = namesThrough(changes);
  const gone = new Set(
    changes.flatMap(change => {
      if (change.kind === "drop table") return [addressOf(change.table)];
      return change.kind === "drop column" ? [JSON.stringify([change.table, change.column.name])] : [];
    }),
  );
  return before.tables.flatMap(table => {
    const start = addressOf(table);
    if (gone.has(start)) return [];
    return table.columns.flatMap(column => {
      const dimensions = dimensionsOver(column, [type]);
      if (dimensions === undefined || gone.has(JSON.stringify([start, column.name]))) return [];
      const target = `${quoteTable(addressOf(type))}${dimensions}`;
      return turnColumnSql(names.after(start), names.after(start, column.name), column, {
        target,
        by: by(dimensions),
      });
    });
  });
}

function turnColumnSql(
  table: string,
  name: string,
  column: Column,
  { target, by }: { readonly target: string; readonly by: string },
): string[] {
  const alter = `ALTER COLUMN ${quote(name)}`;
  const value = column.default && defaultSql(column);
  return [
    ...(value ? [alterTableSql(table, `${alter} DROP DEFAULT`)] : []),
    alterTableSql(table, `${alter} TYPE ${target} USING ${quote(name)}::${by}::${target}`),
    ...(value ? [alterTableSql(table, `${alter} SET DEFAULT ${value}`)] : []),
  ];
}

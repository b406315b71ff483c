import { addressOf } from "../schema/address.js";
import { equal } from "../schema/canonical.js";
import { showDataType } from "../schema/data-type.js";
import { verbsOf } from "../schema/grants.js";
import { handlePart, isObject } from "../schema/types.js";
import type {
  Column,
  Default,
  Definition,
  ForeignKey,
  Grant,
  Index,
  PartKind,
  Parts,
  Rule,
  SqlText,
} from "../schema/types.js";
import { fillPlaceholders } from "../sql/placeholders.js";
import { columnsOfPart } from "../schema/lookups.js";
import { differenceOfTexts, linesOf } from "./text-difference.js";
import type { AlterColumn, Change } from "./types.js";

/** A change in a few words: `add column pieces.weight`. */
export function describeChange(change: Change): string {
  switch (change.kind) {
    case "add table":
    case "drop table":
      return `${change.kind} ${addressOf(change.table)}`;
    case "add definition":
    case "drop definition": {
      return `${change.kind.split(" ")[0]} ${nameDefinition(change.definition)}`;
    }
    case "alter definition":
      return `alter ${nameDefinition(change.after)}`;
    case "rename table":
      return `rename table ${change.from} to ${change.to}`;
    case "alter table":
      return `alter table ${change.table}`;
    case "add column":
    case "drop column":
      return `${change.kind} ${change.table}.${change.column.name}`;
    case "rename column":
      return `rename column ${change.table}.${change.from} to ${change.to}`;
    case "alter column":
      return `alter column ${change.table}.${change.before.name}`;
    case "add part":
    case "drop part": {
      const verb = change.kind === "add part" ? "add" : "drop";
      return `${verb} ${change.what} ${change.value.name || describePart(change.what, change.value)} on ${change.table}`;
    }
    case "alter part":
      return `alter ${change.what} ${change.before.name} on ${change.table}`;
    case "rename part":
      return `rename ${change.what} ${change.from} to ${change.to} on ${change.table}`;
    default:
      return change satisfies never;
  }
}

/** The same within its table: `add column weight`. */
export function describeWithin(change: Change): string {
  switch (change.kind) {
    case "add column":
    case "drop column":
      return `${change.kind} ${change.column.name}`;
    case "rename column":
      return `rename column ${change.from} to ${change.to}`;
    case "alter column":
      return `alter column ${change.before.name}`;
    case "add part":
    case "drop part":
    case "alter part":
    case "rename part":
      return describeChange(change).replace(` on ${change.table}`, "");
    case "alter table":
      return "alter the table";
    default:
      return describeChange(change);
  }
}

/** What a change comes to, only what differs: `+ 'sold'`, `on delete restrict → cascade`. */
export function describeDifference(change: Change): string {
  if (change.kind !== "alter part") return describeDetail(change);
  if (change.what === "check") return differenceOfRules(change.before.rules, change.after.rules);
  const [was, now] = [describePart(change.what, change.before), describePart(change.what, change.after)];
  if (change.what !== "foreign key") return `${was} → ${now}`;
  const [before, after] = [was.split(", on "), now.split(", on ")];
  const lost = before.filter(word => !after.includes(word));
  const gained = after.filter(word => !before.includes(word));
  const said = (words: readonly string[]) =>
    words.map((word, at) => (at === 0 && word.startsWith("(") ? word : `on ${word}`)).join(", ") || "nothing";
  return `${said(lost)} → ${said(gained)}`;
}

/** Rules that go and come; of a list, its values. */
function differenceOfRules(before: readonly Rule[], after: readonly Rule[]): string {
  const gone = before.filter(rule => !after.some(other => equal(rule, other)));
  const come = after.filter(rule => !before.some(other => equal(rule, other)));
  const [lost] = gone;
  const [gained] = come;
  if (
    gone.length === 1 &&
    come.length === 1 &&
    lost?.kind === "in" &&
    gained?.kind === "in" &&
    lost.column === gained.column
  ) {
    const say = (sign: string, values: readonly unknown[], others: readonly unknown[]) =>
      values
        .filter(value => !others.includes(value))
        .map(value => `${sign} ${typeof value === "string" ? `'${value}'` : String(value)}`);
    return `${lost.column}: ${[...say("−", lost.values, gained.values), ...say("+", gained.values, lost.values)].join(", ") || "in another order"}`;
  }
  return [
    ...gone.map(rule => `− ${describeRule(rule)}`),
    ...come.map(rule => `+ ${describeRule(rule)}`),
  ].join(", ");
}

/** A change with its detail, as the heading over its statements. */
export function titleOf(change: Change): string {
  const detail = describeDetail(change);
  if (detail === "") return describeChange(change);
  return `${describeChange(change)} ${detail.startsWith("(") ? detail : `(${detail})`}`;
}

/** What a change adds to its few words: `varchar(120), required`. Empty when there is nothing to add. */
export function describeDetail(change: Change): string {
  switch (change.kind) {
    case "add table":
    case "drop table": {
      const { columns, foreignKeys } = change.table;
      const references = foreignKeys.map(({ references }) => references.table);
      const refers = references.length > 0 ? `, refers to ${[...new Set(references)].join(", ")}` : "";
      return `${columns.length} column${columns.length === 1 ? "" : "s"}${refers}`;
    }
    case "add definition":
    case "drop definition":
      return describeDefinition(change.definition);
    case "alter definition":
      return isObject(change.before) && isObject(change.after)
        ? differenceOfTexts(change.before.sql, change.after.sql)
        : `${describeDefinition(change.before)} → ${describeDefinition(change.after)}`;
    case "add column":
      return (
        describeColumn(change.column) + (change.fill ? `, old rows get ${describeDefault(change.fill)}` : "")
      );
    case "drop column":
      return describeColumn(change.column);
    case "alter column":
      return describeColumnDifference(change);
    case "alter table": {
      const { before, after } = change;
      return [
        ...(after.note === before.note ? [] : [describeNote(after.note)]),
        ...(equal(after.options, before.options) ? [] : ["its options"]),
        ...describeGrants(before.grants, after.grants),
      ].join("; ");
    }
    case "add part":
    case "drop part":
      return describePart(change.what, change.value);
    case "alter part":
      return `${describePart(change.what, change.before)} → ${describePart(change.what, change.after)}`;
    default:
      return "";
  }
}

/** `enum stage` · `trigger count_pieces on pieces` */
export function nameDefinition(definition: Definition): string {
  const on = isObject(definition) && definition.on !== undefined ? ` on ${definition.on}` : "";
  return `${definition.kind} ${addressOf(definition)}${on}`;
}

/** `'greenware', 'bisque'` · `text, may be null` */
function describeDefinition(definition: Definition): string {
  if (isObject(definition)) {
    if (typeof definition.sql !== "string") return Object.keys(definition.sql).join(", ");
    const lines = linesOf(definition.sql).length;
    return lines === 1 ? definition.sql : `${lines} lines`;
  }
  switch (definition.kind) {
    case "enum":
      return definition.values.map(value => `'${value}'`).join(", ");
    case "domain":
      return [
        definition.type,
        definition.nullable ? "may be null" : "required",
        definition.default && `default ${definition.default}`,
        ...definition.checks.map(({ sql }) => sql),
      ]
        .filter(Boolean)
        .join(", ");
    case "sequence":
      return Object.entries(definition.settings ?? {})
        .map(([name, value]) => `${name} ${value}`)
        .join(", ");
    default:
      return definition satisfies never;
  }
}

/** A change and its detail in one line: `drop column pieces.glaze: varchar(9), may be null`. */
export function sayChange(change: Change): string {
  return [describeChange(change), describeDetail(change)].filter(Boolean).join(": ");
}

/** `varchar(120), required, default 'x'` */
export function describeColumn(column: Column): string {
  return [
    showDataType(column.type),
    column.identity ?? (column.nullable ? "may be null" : "required"),
    column.default && `default ${describeDefault(column.default)}`,
    column.computed && `computed: ${showSql(column.computed.sql)}`,
    column.stamp && `stamped when ${column.stamp}`,
    column.collation && `collation ${showSql(column.collation)}`,
  ]
    .filter(word => word !== undefined)
    .join(", ");
}

function describeColumnDifference({ before, after, fill, convert }: AlterColumn): string {
  const [was, now] = [describeColumn(before).split(", "), describeColumn(after).split(", ")];
  const lost = was.filter(word => !now.includes(word));
  const gained = now.filter(word => !was.includes(word));
  const note = before.note === after.note ? [] : [describeNote(after.note)];
  const grants = describeGrants(before.grants, after.grants);
  const filled = fill && !after.nullable ? [`null in old rows becomes ${describeDefault(fill)}`] : [];
  const difference =
    lost.length + gained.length > 0
      ? [`${lost.join(", ") || "nothing"} → ${gained.join(", ") || "nothing"}`]
      : [];
  const converted = convert === undefined ? [] : [`old values become ${showSql(convert)}`];
  return [...difference, ...note, ...grants, ...converted, ...filled].join("; ");
}

/** `visitor: + select, − update` */
function describeGrants(before: readonly Grant[] | undefined, after: readonly Grant[] | undefined): string[] {
  const roles = [...(before ?? []), ...(after ?? [])].map(({ role }) => role);
  return [...new Set(roles)].sort().flatMap(role => {
    const [had, has] = [verbsOf(before, role), verbsOf(after, role)];
    const words = [
      ...has.filter(verb => !had.includes(verb)).map(verb => `+ ${verb}`),
      ...had.filter(verb => !has.includes(verb)).map(verb => `− ${verb}`),
    ];
    return words.length > 0 ? [`${role}: ${words.join(", ")}`] : [];
  });
}

function describeNote(note: string | undefined): string {
  return note === undefined ? "no note" : `note "${note}"`;
}

/** A default as SQL's readers know it: `'raw'`, `12.5`, `a new uuid`. */
export function describeDefault(value: Default): string {
  switch (value.kind) {
    case "value":
      return typeof value.value === "string" ? `'${value.value.replaceAll("'", "''")}'` : String(value.value);
    case "uuid":
      return "a new uuid";
    case "sql":
      return showSql(value.sql);
    default:
      return value satisfies never;
  }
}

/** SQL as people read it: placeholders as names, quoted only where a name needs it. */
export function showSql(sql: SqlText): string {
  const show = (text: string) =>
    fillPlaceholders(text, name => (/^[\p{L}_][\p{L}\p{N}_]*$/u.test(name) ? name : `"${name}"`));
  return typeof sql === "string" ? show(sql) : [...new Set(Object.values(sql).map(show))].join(" | ");
}

/** `(potter_id) → potters (id), on delete restrict` */
export function describePart(kind: PartKind, part: Parts[PartKind]): string {
  return handlePart(kind, part, {
    key: key => `(${columnsOfPart("key", key).join(", ")})`,
    unique: unique => `(${columnsOfPart("unique", unique).join(", ")})`,
    index: describeIndex,
    "foreign key": describeForeignKey,
    check: ({ rules }) => rules.map(describeRule).join(" and "),
  });
}

function describeIndex(index: Index): string {
  const parts = index.parts.map(part => {
    const what = "column" in part ? part.column : showSql(part.sql);
    return part.descending ? `${what} desc` : what;
  });
  const where = index.where === undefined ? "" : ` where ${showSql(index.where)}`;
  return `${index.unique ? "unique " : ""}(${parts.join(", ")})${where}`;
}

/** `(potter_id) → potters (id), on delete restrict` */
export function describeForeignKey({
  columns,
  references,
  onDelete,
  onUpdate,
  deferrable,
}: ForeignKey): string {
  return [
    `(${columns.join(", ")}) → ${references.table} (${references.columns.join(", ")})`,
    onDelete !== "no action" && `on delete ${onDelete}`,
    onUpdate !== "no action" && `on update ${onUpdate}`,
    deferrable && `deferrable, initially ${deferrable}`,
  ]
    .filter(Boolean)
    .join(", ");
}

const KINDS_OF_VALUE = {
  boolean: "true or false",
  json: "JSON",
  whole: "a whole number",
  number: "a number",
  date: "a date",
  time: "a time",
  moment: "a moment",
  uuid: "a uuid",
  array: "a JSON array",
  object: "a JSON object",
  "filled object": "a JSON object that is not empty",
  structure: "a JSON object or array",
  "lower case": "in small letters",
  "upper case": "in capitals",
} as const;

/** A rule in words close to SQL: `weight >= 1`. */
export function describeRule(rule: Rule): string {
  const literal = (value: unknown) => (typeof value === "string" ? `'${value}'` : String(value));
  switch (rule.kind) {
    case "min":
      return `${rule.column} >= ${literal(rule.value)}`;
    case "max":
      return `${rule.column} <= ${literal(rule.value)}`;
    case "above":
      return `${rule.column} > ${rule.value}`;
    case "below":
      return `${rule.column} < ${rule.value}`;
    case "min length":
      return `length of ${rule.column} >= ${rule.value}`;
    case "max length":
      return `length of ${rule.column} <= ${rule.value}`;
    case "in":
      if (rule.values.length === 0) return `${rule.column} is null`;
      return `${rule.column} in (${rule.values.map(literal).join(", ")})`;
    case "not in":
      return `${rule.column} not in (${rule.values.map(literal).join(", ")})`;
    case "uuid version":
      return `${rule.column} is a uuid of ${rule.values.length === 10 ? "a known version" : `version ${rule.values.join(" or ")}`}`;
    case "divisible":
      return `${rule.column} divisible by ${rule.value}`;
    case "contains":
      return `${rule.column} contains ${literal(rule.value)}`;
    case "not contains":
      return `${rule.column} does not contain ${literal(rule.value)}`;
    case "pattern":
      return `${rule.column} matches /${shortened(rule.pattern)}/${rule.flags}`;
    case "min bytes":
      return `bytes of ${rule.column} >= ${rule.value}`;
    case "max bytes":
      return `bytes of ${rule.column} <= ${rule.value}`;
    case "min items":
      return `items of ${rule.column} >= ${rule.value}`;
    case "max items":
      return `items of ${rule.column} <= ${rule.value}`;
    case "decimal places":
      return `${rule.column} with at most ${rule.value} decimal place${rule.value === 1 ? "" : "s"}`;
    case "boolean":
    case "json":
    case "whole":
    case "number":
    case "date":
    case "time":
    case "moment":
    case "uuid":
    case "array":
    case "object":
    case "structure":
    case "filled object":
    case "lower case":
    case "upper case":
      return `${rule.column} is ${KINDS_OF_VALUE[rule.kind]}`;
    case "one of":
      return `${rule.optional ? "at most" : "exactly"} one of ${rule.columns.join(", ")}`;
    case "together":
      return `${rule.columns.join(", ")} all or none`;
    case "only with":
      return `${rule.column} only with ${rule.other}`;
    case "sql":
      return showSql(rule.sql);
    default:
      return rule satisfies never;
  }
}

/** Patterns of class-validator's own go on for lines. */
const LONG_PATTERN = 80;

function shortened(pattern: string): string {
  return pattern.length > LONG_PATTERN ? `${pattern.slice(0, LONG_PATTERN)}…` : pattern;
}

/** Whether two columns differ in anything but their notes. */
export function differsBeyondNote(before: Column, after: Column): boolean {
  const { note: _, ...was } = before;
  const { note: __, ...now } = after;
  return !equal(was, now);
}

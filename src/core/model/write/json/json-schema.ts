import { describeRule } from "../../../change/words.js";
import { DIFFERENCES_OF_RULES } from "../../../lower/differences.js";
import { addressOf } from "../../../schema/address.js";
import { equal } from "../../../schema/canonical.js";
import { TEXTS } from "../../../schema/data-type.js";
import { columnsOfRule } from "../../../schema/rules.js";
import type { Column, DataType, Rule, Schema, Table } from "../../../schema/types.js";
import type { ColumnResolver } from "../../read/column-resolver.js";
import type { FieldDescription } from "../../read/descriptions.js";
import { heldBy, letsBeMissing, rulesOf, writtenAs } from "../../rules/standing.js";
import { STATED } from "../../rules/stated.js";
import { FORMATS, keywordsOfRule, keywordsOfType, orNull, together, type JsonSchema } from "./keywords.js";

/** The objects of a schema by their names, in its order. */
export type JsonObjects = Readonly<Record<string, JsonSchema>>;

/** A value of an object. */
interface Part {
  /** The property, and the ones that it stands in before it. */
  readonly path: readonly string[];
  readonly column: Column;
  /** What the program has of it, which may be a text that stands for the column's type. */
  readonly type: DataType;
  readonly rules: readonly Rule[];
  /** What no rule of the schema says of it. */
  readonly left: readonly string[];
  readonly format?: string;
  readonly required: boolean;
  readonly nullable: boolean;
  /** What it stands in, the outermost first. */
  readonly within: readonly { readonly optional: boolean }[];
  /** The object it refers to. */
  readonly refers?: string;
}

/** The document that holds them: https://json-schema.org/draft/2020-12/json-schema-core */
export function writeJsonSchema(objects: JsonObjects, title: string): string {
  return text({ $schema: "https://json-schema.org/draft/2020-12/schema", title, $defs: objects });
}

/** The same as the components of an interface that is described elsewhere: https://spec.openapis.org/oas/v3.1.1 */
export function writeOpenApi(objects: JsonObjects, title: string): string {
  const info = { title, version: "0" };
  return text({ openapi: "3.1.1", info, paths: {}, components: { schemas: objects } });
}

function text(document: unknown): string {
  return `${JSON.stringify(document, null, 2)}\n`;
}

/** Objects as the program has them: what `validate()` says of one, they say of its JSON, but for what `$comment` tells. */
export function objectsOfModels(resolver: ColumnResolver, { tables }: Schema): JsonObjects {
  const names = namesOf(
    resolver.entities,
    ({ name }) => name,
    entity => resolver.address(entity),
  );
  const byAddress = new Map(resolver.entities.map(entity => [resolver.address(entity), names.get(entity)!]));
  return Object.fromEntries(
    resolver.entities.map(entity => {
      const table = tables.find(each => addressOf(each) === resolver.address(entity))!;
      const parts = resolver
        .columnsOf(entity)
        .filter(({ field }) => field.facts.refersTo?.options.computedBy === undefined)
        .map(({ field, column }, _, all) => partOfField(field, column, table, byAddress, all));
      return [names.get(entity)!, objectOf(table, parts)];
    }),
  );
}

/** Rows, by the names of their columns: where nothing is known of the classes. */
export function objectsOfRows({ tables }: Schema): JsonObjects {
  const names = namesOf(tables, ({ name }) => name, addressOf);
  const byAddress = new Map(tables.map(table => [addressOf(table), names.get(table)!]));
  return Object.fromEntries(
    tables.map(table => {
      const rules = table.checks.flatMap(check => check.rules);
      const parts = table.columns.map((column): Part => ({
        path: [column.name],
        column,
        type: column.type,
        rules: rules.filter(rule => isAbout(rule, column.name)),
        left: [],
        required: !column.nullable && !comesByItself(column),
        nullable: column.nullable,
        within: [],
        ...referring(table, column.name, byAddress),
      }));
      return [names.get(table)!, objectOf(table, parts)];
    }),
  );
}

/** Those of one name by their addresses; no name says where it is found: https://spec.openapis.org/oas/v3.1.1#components-object */
function namesOf<T>(
  items: readonly T[],
  nameOf: (item: T) => string,
  address: (item: T) => string,
): Map<T, string> {
  const isAlone = (name: string) => items.filter(item => nameOf(item) === name).length === 1;
  const taken = new Set<string>();
  return new Map(
    items.map(item => {
      const name = (isAlone(nameOf(item)) ? nameOf(item) : address(item)).replace(/[^A-Za-z0-9._-]/g, "_");
      let free = name;
      for (let count = 2; taken.has(free); count += 1) free = `${name}_${count}`;
      taken.add(free);
      return [item, free];
    }),
  );
}

function isAbout(rule: Rule, column: string): boolean {
  const columns = columnsOfRule(rule);
  return columns.length === 1 && columns[0] === column;
}

/** Whether the database gives it a value where none is sent. */
function comesByItself({ default: value, identity, stamp, computed }: Column): boolean {
  return value !== undefined || identity !== undefined || stamp !== undefined || computed !== undefined;
}

function referring(table: Table, column: string, names: ReadonlyMap<string, string>): { refers?: string } {
  const found = table.foreignKeys.find(({ columns }) => columns.includes(column));
  const name = found && names.get(found.references.table);
  return name === undefined ? {} : { refers: name };
}

function partOfField(
  field: FieldDescription,
  column: Column,
  table: Table,
  names: ReadonlyMap<string, string>,
  all: readonly { readonly field: FieldDescription; readonly column: Column }[],
): Part {
  const { property, validators, aside, facts, optional, within } = field;
  const path = property.split(".").slice(-within.length - 1);
  const isOneOfSeveral = all.filter(each => each.field === field).length > 1;
  // A text may stand for a value of another type.
  const isText = validators.some(
    ({ name, each }) => !each && Object.hasOwn(STATED, name) && STATED[name]!.about === "texts",
  );
  const type: DataType = isText && !TEXTS.includes(column.type.kind) ? { kind: "text" } : column.type;
  const typed = { ...column, type };
  const isForced = !optional && validators.some(validator => !letsBeMissing(validator));
  // A part of what may be missing has a column that may be null; what may be missing of itself is told by its own whole.
  const isPart = within.at(-1)?.kind === "inline";
  const nullable = isPart ? !within.at(-1)!.required : column.nullable;
  return {
    path: isOneOfSeveral ? [...path, column.name] : path,
    column,
    type,
    rules: [
      ...rulesOf(typed, facts.refersTo ? [] : validators.filter(({ name }) => !Object.hasOwn(LISTS, name))),
      // Whatever the column has room for.
      ...validators.flatMap(each => {
        const listed = Object.hasOwn(LISTS, each.name) ? LISTS[each.name] : undefined;
        return listed ? rulesOf({ ...column, type: listed }, [each]) : [];
      }),
    ],
    left: [
      ...validators.flatMap(each => {
        const { left, differs } = heldBy(typed, each);
        if (left !== undefined) return [`@${writtenAs(each)}`];
        return differs === undefined ? [] : [`@${writtenAs(each)}: ${DIFFERENCES_OF_RULES[differs]}`];
      }),
      ...aside.map(({ written, reason }) => `@${written} (${reason})`),
    ],
    ...formatOf(validators),
    required: isForced || (!nullable && !comesByItself(column)),
    nullable,
    within,
    ...referring(table, column.name, names),
  };
}

const ANY: DataType = { kind: "native", sql: {} };
const TEXT: DataType = { kind: "text" };

/** Rules that name values, and the values of which types they may name. */
const LISTS: Readonly<Record<string, DataType>> = {
  isIn: ANY,
  isNotIn: ANY,
  isEnum: ANY,
  equals: ANY,
  notEquals: ANY,
  isEmpty: TEXT,
  isNotEmpty: TEXT,
};

function formatOf(validators: FieldDescription["validators"]): { format?: string } {
  const format = validators.flatMap(({ name, each }) =>
    !each && Object.hasOwn(FORMATS, name) ? [FORMATS[name]!] : [],
  )[0];
  return format === undefined ? {} : { format };
}

/** An object while its parts are put together. */
class Growing {
  private readonly properties = new Map<string, Growing | JsonSchema>();
  private readonly required = new Set<string>();

  constructor(private readonly isOptional: boolean) {}

  /** The object that a property is. */
  inner(name: string, isOptional: boolean): Growing {
    const known = this.properties.get(name);
    if (known instanceof Growing) return known;
    const inner = new Growing(isOptional);
    this.put(name, inner, !isOptional);
    return inner;
  }

  put(name: string, part: Growing | JsonSchema, required: boolean): void {
    this.properties.set(name, part);
    if (required) this.required.add(name);
  }

  written(): JsonSchema {
    return {
      type: this.isOptional ? ["object", "null"] : "object",
      properties: Object.fromEntries(
        [...this.properties].map(([name, part]) => [name, part instanceof Growing ? part.written() : part]),
      ),
      ...(this.required.size > 0 && { required: [...this.required] }),
    };
  }
}

function objectOf(table: Table, parts: readonly Part[]): JsonSchema {
  const root = new Growing(false);
  const byColumn = new Map(parts.map(part => [part.column.name, part]));
  for (const part of parts) {
    const holder = part.path
      .slice(0, -1)
      .reduce((at, name, depth) => at.inner(name, part.within[depth]?.optional ?? !part.required), root);
    holder.put(part.path.at(-1)!, schemaOf(part), part.required);
  }
  const several = table.checks
    .flatMap(({ rules }) => rules)
    .filter(rule => columnsOfRule(rule).length !== 1 && !isSaidByObject(rule, byColumn));
  const held = several.map(rule => acrossKeywords(rule, byColumn));
  const left = several.filter((_, at) => held[at] === undefined).map(describeRule);
  const whole = together([root.written(), ...held.filter(each => each !== undefined)]);
  return {
    ...(table.note !== undefined && { description: table.note }),
    ...whole,
    ...comment(left),
  };
}

function schemaOf({ column, type, rules, left, format, refers, nullable }: Part): JsonSchema {
  const keywords = rules.map(rule => keywordsOfRule(rule, type));
  const unsaid = [...left, ...rules.filter((_, at) => keywords[at] === undefined).map(describeRule)];
  const own = together([
    ...(format === undefined ? [] : [{ format }]),
    keywordsOfType(type),
    ...keywords.filter(each => each !== undefined),
  ]);
  const described = [
    ...(column.note === undefined ? [] : [column.note]),
    ...(refers === undefined ? [] : [`Refers to ${refers}`]),
  ];
  const { default: value, identity, stamp, computed } = column;
  return {
    ...(described.length > 0 && { description: described.join(". ") }),
    ...(nullable ? orNull(own) : own),
    ...(value?.kind === "value" && { default: value.value }),
    ...((identity ?? stamp ?? computed) !== undefined && { readOnly: true }),
    ...comment(unsaid),
  };
}

function comment(left: readonly string[]): JsonSchema {
  return left.length === 0 ? {} : { $comment: `Not said here: ${[...new Set(left)].join("; ")}` };
}

/** That all parts of a value object are there or none is: where it is there, it must have them. */
function isSaidByObject(rule: Rule, parts: ReadonlyMap<string, Part>): boolean {
  if (rule.kind !== "together") return false;
  const found = rule.columns.map(column => parts.get(column));
  const holder = found[0]?.path.slice(0, -1);
  return found.every(part => part?.required && part.path.length > 1 && equal(part.path.slice(0, -1), holder));
}

/** What holds a rule about several values; undefined where no keyword does. */
function acrossKeywords(rule: Rule, parts: ReadonlyMap<string, Part>): JsonSchema | undefined {
  if (columnsOfRule(rule).some(column => !parts.has(column))) return undefined;
  const set = columnsOfRule(rule).map(column => isSet(parts.get(column)!.path));
  const none = { not: { anyOf: set } };
  switch (rule.kind) {
    case "one of":
      return { oneOf: rule.optional ? [...set, none] : set };
    case "together":
      return { anyOf: [{ allOf: set }, none] };
    case "only with":
      return { if: set[0], then: set[1] };
    default:
      return undefined;
  }
}

/** That a value is there, and not null. */
function isSet([first, ...others]: readonly string[]): JsonSchema {
  const inner = others.length === 0 ? { not: { type: "null" } } : { type: "object", ...isSet(others) };
  return { required: [first], properties: { [first!]: inner } };
}

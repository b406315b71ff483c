import { equal } from "../../schema/canonical.js";
import { showDataType } from "../../schema/data-type.js";
import { columnName, constraintName } from "../../schema/naming.js";
import type { Check, Column, DataType, Rule, SqlText } from "../../schema/types.js";
import type { Validator } from "../rules/validator.js";
import { codeOf, type CodeValue } from "./code.js";
import { declared, validatorsFor, VALIDATORS, type Decorator, type FieldType } from "./field-code.js";
import type { StatedChecks } from "./stated-checks.js";
import { fieldGrants, isFieldUnique } from "./stored-options.js";
import { settledAlone, type Writing } from "./writing.js";

/** A property for a column, with its decorators. */
export function fieldCode(column: Column, writing: Writing, checks: StatedChecks): string {
  const facts = factsOf(column, writing, checks);
  const options = fieldOptions(facts, writing, checks);
  const decorators: Decorator[] = [
    ...keyDecorators(facts, writing),
    ...validatorDecorators(facts, writing),
    ...(codeOf(options) === "{}" ? [] : [writing.decorator("Field", options)]),
  ];
  const { check, validators, type } = facts;
  const ts = check && isListed(validators) ? unionOf(check.rules) : type.ts;
  const property = writing.property(column.name);
  return declared(decorators, `${property}${column.nullable ? "?" : "!"}: ${column.stamp ? "Date" : ts};`);
}

/** What is asked of a column more than once. */
interface FieldFacts {
  readonly column: Column;
  readonly type: FieldType;
  /** The check that its rules are, and the validators that say it. */
  readonly check: Check | undefined;
  readonly validators: readonly Validator[];
  readonly inKey: boolean;
  readonly generate: Generate;
  /** A key that counts by itself and needs no word. */
  readonly bare: boolean;
  /** Whether its values come by themselves. */
  readonly counted: boolean;
}

function factsOf(column: Column, writing: Writing, { byField }: StatedChecks): FieldFacts {
  const check = byField.get(column.name);
  const type = check ? typeBeside(check.rules, column, writing) : writing.typeOf(column);
  const inKey = writing.table.key?.columns.includes(column.name) ?? false;
  const generate = generateOf(column, inKey);
  return {
    column,
    type,
    check,
    validators: check ? validatorsFor(check.rules) : [],
    inKey,
    generate,
    bare: inKey && generate.bare && type.type === undefined,
    counted: column.identity !== undefined || (column.default?.kind === "uuid" && inKey),
  };
}

/** A decimal is a text in the program, but for one that rules compare with numbers. */
function typeBeside(rules: readonly Rule[], column: Column, writing: Writing): FieldType {
  const type = writing.typeOf(column);
  return column.type.kind === "decimal" && rules.some(({ kind }) => COMPARING.has(kind))
    ? { ...type, ts: "number", validators: [["IsNumber"]] }
    : type;
}

const COMPARING: ReadonlySet<Rule["kind"]> = new Set(["min", "max", "above", "below"]);

/** What counts up a column, as its decorators say it; `bare`: a key that needs no word. */
interface Generate {
  readonly key?: { readonly generate: string };
  readonly field?: string;
  readonly bare: boolean;
}

function generateOf({ identity, default: value, type }: Column, inKey: boolean): Generate {
  if (value?.kind === "uuid" && inKey) return { key: { generate: "uuid" }, bare: false };
  if (identity === "serial" && type.kind === "integer") return { field: "serial", bare: true };
  if (identity) return { key: { generate: identity }, field: identity, bare: false };
  return { bare: false };
}

function keyDecorators({ column, inKey, generate }: FieldFacts, writing: Writing): Decorator[] {
  const options = column.nullable ? { ...generate.key, nullable: true } : generate.key;
  return [
    ...(inKey ? [writing.decorator("Key", options)] : []),
    ...(column.stamp ? [writing.decorator("Stamp", column.stamp)] : []),
  ];
}

function validatorDecorators(facts: FieldFacts, writing: Writing): Decorator[] {
  const { column, type, validators, counted, bare } = facts;
  const isLimited = type.validators.some(([name]) => name === "MaxLength") && !isShorter(validators, type);
  return [
    ...(column.nullable ? [writing.validator("IsOptional")] : []),
    ...(counted || bare || column.stamp
      ? []
      : type.validators
          .filter(([name]) => !isNeedless(facts, name))
          .map(([name, ...values]) => writing.validator(name, ...values))),
    ...validators
      .filter(({ name }) => name !== "maxLength" || !isLimited)
      .map(({ name, constraints }) =>
        writing.validator(VALIDATORS[name] ?? name, ...(constraints as CodeValue[])),
      ),
  ];
}

function isListed(validators: readonly Validator[]): boolean {
  return validators.some(({ name }) => name === "isIn");
}

/** Whether a list of values, or a shorter length, makes a validator of the type needless. */
function isNeedless({ validators, type }: FieldFacts, name: string): boolean {
  if (isListed(validators)) return /^(?:IsString|MaxLength)$/.test(name);
  return name === "MaxLength" && isShorter(validators, type);
}

/** Whether rules allow another length than the type that a validator tells. */
function isShorter(validators: readonly Validator[], type: FieldType): boolean {
  const [, own] = type.validators.find(([name]) => name === "MaxLength") ?? [];
  const stated = validators.find(({ name }) => name === "maxLength")?.constraints[0];
  return own !== undefined && stated !== undefined && stated !== own;
}

function unionOf(rules: readonly Rule[]): string {
  const list = rules.find(rule => rule.kind === "in");
  return list?.kind === "in" ? list.values.map(value => JSON.stringify(value)).join(" | ") : "string";
}

function fieldOptions(facts: FieldFacts, writing: Writing, checks: StatedChecks): Record<string, CodeValue> {
  const { column, check, inKey, generate } = facts;
  const property = writing.property(column.name);
  return {
    type: typeOption(facts),
    column: columnName(property, writing.options.naming) === column.name ? undefined : column.name,
    unique: uniqueOption(column, writing),
    default: defaultOption(column, inKey, writing),
    computed: computedOption(column, writing),
    generate: inKey ? undefined : generate.field,
    collation: writing.ownText(column.collation),
    check: checkOption(column, check, writing, checks),
    note: column.note,
    grants: fieldGrants(column, writing.table),
    options: column.options,
  };
}

/** What the type is called, where no validator tells it. */
function typeOption({ column, type, validators, bare, counted }: FieldFacts): CodeValue {
  if (column.stamp && equal(column.type, { kind: "timestamptz" })) return undefined;
  if (counted && column.type.kind === (column.identity ? "integer" : "uuid")) return undefined;
  if (type.type !== undefined) return type.type;
  const isUntold = isListed(validators) || isShorter(validators, type) || (counted && !bare);
  return isUntold ? statedType(column.type) : undefined;
}

function statedType(type: DataType): CodeValue {
  return type.kind === "native" ? type.sql : showDataType(type);
}

/** Whether a unique constraint of the one column is said on its field. */
export function uniqueOption({ name }: Column, writing: Writing): true | undefined {
  const { uniques } = writing.table;
  return uniques.some(unique => unique.columns[0] === name && isFieldUnique(unique, writing)) || undefined;
}

/** A default as `@Field` says it; a key that is a uuid says that otherwise. */
export function defaultOption({ default: value }: Column, inKey: boolean, writing: Writing): CodeValue {
  if (!value || (value.kind === "uuid" && inKey)) return undefined;
  if (value.kind === "value") return value.value;
  if (value.kind === "uuid") return writing.sqlCode(uuidSql(writing));
  return value.sql === "NULL" ? null : writing.sqlCode(value.sql);
}

function uuidSql({ options }: Writing): SqlText {
  const column: Column = { name: "id", type: { kind: "uuid" }, nullable: false, default: { kind: "uuid" } };
  const settled = settledAlone(options.dialect, { columns: [column] })?.columns[0]?.default;
  return settled?.kind === "sql" ? settled.sql : "";
}

function computedOption({ computed }: Column, writing: Writing): CodeValue {
  if (!computed) return undefined;
  return computed.stored ? writing.text(computed.sql) : { from: writing.text(computed.sql), keep: false };
}

function checkOption(
  { name }: Column,
  check: Check | undefined,
  writing: Writing,
  { unchecked, none }: StatedChecks,
): CodeValue {
  if (check) return writing.nameOption(check.name, constraintName("ck", writing.table.name, [name]));
  return unchecked.has(name) && !none ? false : undefined;
}

import type { DefaultValue, FieldOptions, KeyOptions, SqlExpression } from "../../../modelling/facts.js";
import { equal } from "../../schema/canonical.js";
import { parseDataType, showDataType, TYPE_WORDS } from "../../schema/data-type.js";
import { misfit } from "../../schema/fits.js";
import type { Column, DataType, Default, SqlText } from "../../schema/types.js";
import type { FieldDescription } from "./descriptions.js";
import { inferType } from "./infer-type.js";
import { isStored, whereOf, type OneField } from "./resolving.js";

/** The column of a field that refers to nothing; undefined, and reported, where its type cannot be told. */
export function plainColumn(one: OneField): Column | undefined {
  const { field, resolving } = one;
  const { facts } = field;
  const options = facts.field ?? {};
  const generate = generationOf(one);
  const type = typeOf(one, generate);
  if (!type) return undefined;
  reportKey(one, generate, type);
  reportLacks(one, generate);
  const value = defaultOf(one, type, options.default, "default");
  const computed = computedOf(one);
  return {
    name: resolving.columnName(field),
    type,
    nullable: field.optional && (!facts.key || isNullableKey(field)),
    ...(isGenerated(generate) && { identity: generate }),
    ...(generate === "uuid" && { default: { kind: "uuid" } as const }),
    ...(value && { default: value }),
    ...(computed && { computed }),
    ...(options.collation !== undefined && { collation: options.collation }),
    ...(options.options && { options: options.options }),
    ...(facts.stamp && { stamp: facts.stamp }),
    ...(options.note !== undefined && { note: options.note }),
  };
}

/**
 * How a field gets its values. A key about which nothing is said counts; so does one that is a key by itself and of
 * which nothing is said but how large its whole numbers are.
 */
function generationOf({ entity, field: { facts, validators } }: OneField): KeyOptions["generate"] {
  if (!facts.key) return facts.field?.generate;
  if (facts.key.generate) return facts.key.generate;
  const { type } = facts.field ?? {};
  const alone = entity.fields.filter(field => isStored(field) && field.facts.key).length === 1;
  const counts = type === undefined || (alone && WHOLE.includes(type as string));
  return validators.length === 0 && counts ? "serial" : "none";
}

const WHOLE: readonly string[] = ["smallint", "integer", "bigint"];

function isGenerated(generate: KeyOptions["generate"]): generate is "serial" | "always" | "rowid" {
  return generate === "serial" || generate === "always" || generate === "rowid";
}

/** SQLite alone lets a key hold null: https://sqlite.org/lang_createtable.html#the_primary_key */
function isNullableKey({ facts, optional }: FieldDescription): boolean {
  return optional && facts.key?.nullable === true;
}

function reportKey(one: OneField, generate: KeyOptions["generate"], { kind }: DataType): void {
  const { report } = one.resolving;
  const { facts, optional } = one.field;
  if (facts.key && optional && !isNullableKey(one.field)) {
    report("E227", whereOf(one), "A key may not be optional", "remove @IsOptional()");
  }
  const said = saidType(one);
  if (isGenerated(generate) && ![...WHOLE, "native"].includes(said ?? kind)) {
    report(
      "E227",
      whereOf(one),
      `A serial key counts in whole numbers, not in ${said ?? kind}`,
      'leave the type and the rules out, or say @Field({ type: "bigint" })',
    );
  }
  if (generate === "uuid" && !["uuid", "text", "varchar", "char", "native"].includes(said ?? kind)) {
    report(
      "E227",
      whereOf(one),
      `A key that is made as a UUID is a text of hexadecimal digits, not ${said ?? kind}`,
      'leave the type and the rules out, or say generate: "serial" for whole numbers',
    );
  }
}

/** What a rule says of a key's type, beside what makes it. */
function saidType({ field }: OneField): DataType["kind"] | undefined {
  if (field.facts.field?.type !== undefined) return undefined;
  const inferred = inferType(field);
  return "type" in inferred ? inferred.type.kind : undefined;
}

/** Ways to get values that a dialect in use does not have. */
function reportLacks(one: OneField, generate: KeyOptions["generate"]): void {
  const { facts } = one.field;
  const { dialects, report } = one.resolving;
  const virtual = facts.field?.computed !== undefined && computedOf(one)?.stored === false;
  for (const { types } of dialects) {
    const { countingBesideKey, countingUnindexed, countingAlways, virtual: noVirtual } = types.lacks;
    const uncounted = countingBesideKey ?? (isIndexed(one) ? undefined : countingUnindexed);
    if (isGenerated(generate) && !facts.key && uncounted)
      report("E237", whereOf(one), uncounted, "make it the key, or let the program give its values");
    else if (generate === "always" && countingAlways)
      report(
        "A300",
        whereOf(one),
        `"always" is held as "serial": ${countingAlways}`,
        "nothing need be done; the program should give none",
      );
    if (virtual && noVirtual) report("E237", whereOf(one), noVirtual, "say keep: true");
  }
}

/** Whether an index or a unique constraint begins with a field. */
function isIndexed({ entity, field: { facts, property } }: OneField): boolean {
  const { unique = [], indexes = [] } = entity.options;
  const lists = [...unique, ...indexes].map(each => ("fields" in each ? each.fields : each));
  const begins = lists.some(([first]) =>
    typeof first === "object" && first !== null
      ? "field" in first && first.field === property
      : first === property,
  );
  return Boolean(facts.field?.unique ?? facts.field?.index) || begins;
}

function computedOf({ entity, field, resolving }: OneField): Column["computed"] {
  const { computed } = field.facts.field ?? {};
  if (computed === undefined) return undefined;
  const { from, keep } = isWhole(computed) ? computed : { from: computed, keep: true };
  return { sql: resolving.placed(entity, field, from), stored: keep };
}

function isWhole(
  computed: NonNullable<FieldOptions["computed"]>,
): computed is Exclude<typeof computed, SqlText> {
  return typeof computed === "object" && "from" in computed && "keep" in computed;
}

/** The type a field declares, or that follows from what it is. */
function typeOf(one: OneField, generate: KeyOptions["generate"]): DataType | undefined {
  const { facts } = one.field;
  const declared = facts.field?.type;
  if (typeof declared === "object") return nativeType(declared, one);
  if (declared !== undefined) return declaredType(declared, one);
  if (facts.stamp) return { kind: "timestamptz" };
  if (isGenerated(generate)) return { kind: "integer" };
  if (generate === "uuid") return { kind: "uuid" };
  return facts.sameAsKeys ? commonKeyType(one, facts.sameAsKeys) : inferredType(one);
}

function nativeType(declared: Readonly<Record<string, string>>, one: OneField): DataType {
  const { dialects, report } = one.resolving;
  const missing = dialects.filter(({ name }) => declared[name] === undefined).map(({ name }) => name);
  if (missing.length > 0) {
    report(
      "E226",
      whereOf(one),
      `The native type names none for ${missing.join(", ")}`,
      "name a type for each dialect of the config",
    );
  }
  return { kind: "native", sql: declared };
}

function declaredType(declared: string, one: OneField): DataType | undefined {
  const type = parseDataType(declared);
  if (!type) {
    const what = `"${String(declared)}" is not a type`;
    one.resolving.report("E226", whereOf(one), what, `write one of ${TYPE_WORDS}`);
  }
  return type;
}

function inferredType(one: OneField): DataType | undefined {
  const { entity, field, resolving } = one;
  const inferred = inferType(field);
  if ("type" in inferred) return inferred.type;
  // What would have told it may be what is wrong.
  if (entity.faults.some(({ property }) => property === field.property)) return undefined;
  resolving.report(
    "E220",
    whereOf(one),
    `The type of ${entity.name}.${field.property} cannot be told`,
    `${inferred.missing}; if it is not a column, say @Field({ stored: false })`,
  );
  return undefined;
}

/** The type of a column that may hold the key of any of several entities. */
function commonKeyType(
  one: OneField,
  classes: NonNullable<FieldDescription["facts"]["sameAsKeys"]>,
): DataType | undefined {
  const { resolving } = one;
  const targets = classes().flatMap(cls => {
    const entity = resolving.entityOf(cls);
    return entity ? [{ name: entity.name, key: resolving.keyColumns(entity) }] : [];
  });
  const [first] = targets;
  const type = first?.key[0]?.type;
  const isCommon = ({ key: [column, ...others] }: { key: readonly Column[] }) =>
    column !== undefined && others.length === 0 && equal(column.type, type);
  if (type && targets.every(isCommon)) return type;
  const found = targets.map(
    ({ name, key }) => `${name} (${key.map(column => showDataType(column.type)).join(", ")})`,
  );
  if (found.length > 0)
    resolving.report(
      "E228",
      whereOf(one),
      `A reference by tag needs keys of one column and one type; there are ${found.join(", ")}`,
      'give them keys of one type, or say style: "arcs"',
    );
  return undefined;
}

/** A default or a fill as data; undefined, and reported, where it does not fit the type. */
export function defaultOf(
  one: OneField,
  type: DataType,
  value: DefaultValue | undefined,
  what: "default" | "fill",
): Default | undefined {
  if (value === undefined) return undefined;
  if (value === null) return { kind: "sql", sql: "NULL" };
  const { entity, field, resolving } = one;
  if (isSql(value)) return { kind: "sql", sql: resolving.placed(entity, field, value.sql) };
  const wrong = misfit(value, type);
  if (wrong === undefined) return { kind: "value", value };
  const received = `The ${what} ${JSON.stringify(value)} is no value of ${showDataType(type)}`;
  resolving.report("E229", whereOf(one), received, `${wrong}, or sql("…") for an expression`);
  return undefined;
}

function isSql(value: DefaultValue): value is SqlExpression {
  return typeof value === "object";
}

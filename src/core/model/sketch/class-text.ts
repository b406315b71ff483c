import pluralize from "pluralize";
import { Code, codeOf, propertyFor, type CodeValue } from "../write/code.js";
import { declared, fieldTypeOf, type Decorator } from "../write/field-code.js";
import { showDataType } from "../../schema/data-type.js";
import type { DataType } from "../../schema/types.js";
import type { SketchField } from "./phrase.js";

/** One line of a class, and what it needs to be imported. */
export interface SketchLine {
  readonly property: string;
  readonly text: string;
  /** Names by the module they come from: `class-validator`, `emberset`, or the class of an entity. */
  readonly validators: readonly string[];
  readonly decorators: readonly string[];
  readonly entities: readonly string[];
}

/** What a field comes to; undefined for a key that comes by itself. */
export function fieldLine(
  field: SketchField,
  nameOfEntity: (name: string) => string,
): SketchLine | undefined {
  if (field.refersTo) return referenceLine(field, nameOfEntity);
  const property = propertyFor(field.name, new Set());
  if (property === "id" && !field.unique && isCounted(field)) return undefined;
  const moment = stampOf(field);
  if (moment !== undefined) {
    return line(property, [], [{ name: "Stamp", values: [moment] }], `${property}!: Date;`);
  }
  return plainLine(field, property);
}

/** `id`, `id integer`, `id serial primary key`: what an entity has without a word. */
function isCounted({ type, default: value }: SketchField): boolean {
  return value === undefined && (type === undefined || ["smallint", "integer"].includes(type.kind));
}

/** `created_at timestamptz`, or a moment whose default is now. */
function stampOf({ name, type, default: value, nullable }: SketchField): "created" | "updated" | undefined {
  if (nullable || (type && !["timestamp", "timestamptz"].includes(type.kind))) return undefined;
  const word = /^(created|updated|modified|changed)(?:_?at|_?on)?$/i.exec(name)?.[1]?.toLowerCase();
  if (word !== undefined) return word === "created" ? "created" : "updated";
  const now = value && "sql" in value && /^(?:now\(\)|current_timestamp)$/i.test(value.sql);
  return type && now ? "created" : undefined;
}

function plainLine(field: SketchField, property: string): SketchLine {
  const { values, nullable, key, serial, note } = field;
  const type: DataType =
    field.type ?? (serial ? { kind: "integer" } : values ? typeOfValues(values) : { kind: "text" });
  const known = typeInCode(type, serial || field.type !== undefined);
  const validators: Decorator[] = [
    ...(nullable ? [{ name: "IsOptional", values: [] }] : []),
    ...(values
      ? [{ name: "IsIn", values: [values] }]
      : (serial ? [] : known.validators).map(([name, ...rest]) => ({ name, values: rest }))),
    ...(boundsOf(field) ?? []),
  ];
  const options: Record<string, CodeValue> = {
    type: values ? typeOfList(field.type) : known.type,
    unique: field.unique && !key ? true : undefined,
    index: field.index ? true : undefined,
    default: defaultOf(field),
    generate: serial && !key ? "serial" : undefined,
    note,
  };
  const decorators: Decorator[] = [
    ...(key ? [{ name: "Key", values: type.kind === "uuid" ? [{ generate: "uuid" }] : [] }] : []),
    ...(codeOf(options) === "{}" ? [] : [{ name: "Field", values: [options] }]),
  ];
  const made = key && type.kind === "uuid";
  const ts = values ? values.map(value => JSON.stringify(value)).join(" | ") : known.ts;
  const all = made ? decorators.map(each => (each.name === "Field" ? withoutType(each) : each)) : decorators;
  const text = line(
    property,
    made ? [] : validators,
    all.filter(({ values: given, name }) => name !== "Field" || codeOf(given[0]!) !== "{}"),
    `${property}${nullable ? "?" : "!"}: ${ts};`,
  );
  return text;
}

/** Bounds that class-validator has a word for: `weight > 0`, `weight between 1 and 5`. Undefined for other checks. */
export function boundsOf({ name, check }: SketchField): Decorator[] | undefined {
  if (check === undefined) return undefined;
  const number = "(-?\\d+(?:\\.\\d+)?)";
  const literal = name.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");
  const bare = check.replace(new RegExp(`^(?:"${literal}"|${literal}\\b)\\s*`, "i"), "").trim();
  const found = (pattern: string) => new RegExp(`^${pattern}$`, "i").exec(bare)?.slice(1).map(Number);
  const [least, most] = found(`between ${number} and ${number}`) ?? [];
  if (least !== undefined && most !== undefined)
    return [
      { name: "Min", values: [least] },
      { name: "Max", values: [most] },
    ];
  const above = found(`>\\s*${number}`)?.[0];
  if (above === 0) return [{ name: "IsPositive", values: [] }];
  const min = found(`>=\\s*${number}`)?.[0];
  if (min !== undefined) return [{ name: "Min", values: [min] }];
  const max = found(`<=\\s*${number}`)?.[0];
  return max === undefined ? undefined : [{ name: "Max", values: [max] }];
}

function withoutType({ name, values }: Decorator): Decorator {
  const [first] = values;
  const options = typeof first === "object" && first !== null ? Object.entries(first) : [];
  return { name, values: [Object.fromEntries(options.filter(([option]) => option !== "type"))] };
}

/** How people sketch money: with decimal places, as a number. */
function typeInCode(type: DataType, stated: boolean): ReturnType<typeof fieldTypeOf> {
  if (type.kind === "decimal") {
    const validators = [["IsNumber", { maxDecimalPlaces: type.scale }]] as const;
    const usual = type.precision === 18 && type.scale > 0;
    return { ts: "number", validators, rules: [], ...(!usual && { type: showDataType(type) }) };
  }
  if (type.kind === "date" || type.kind === "timestamp")
    return { ts: "Date", validators: [], rules: [], type: type.kind };
  return fieldTypeOf(stated ? type : { kind: "text" });
}

function typeOfValues(values: readonly (string | number)[]): DataType {
  return values.every(value => typeof value === "number")
    ? { kind: "integer" }
    : { kind: "varchar", length: 32 };
}

/** A list says its type; a length of the developer's own is kept. */
function typeOfList(type: DataType | undefined): CodeValue {
  return type && !["text", "integer"].includes(type.kind) ? showDataType(type) : undefined;
}

function defaultOf({ default: value }: SketchField): CodeValue {
  if (!value) return undefined;
  return "sql" in value ? new Code(`sql(${JSON.stringify(value.sql)})`) : value.value;
}

function referenceLine(field: SketchField, nameOfEntity: (name: string) => string): SketchLine {
  const { refersTo, nullable, unique, key, note } = field;
  const entity = nameOfEntity(refersTo!.name);
  const property = referenceProperty(field.name, entity);
  const { onDelete, onUpdate } = refersTo!;
  const options: Record<string, CodeValue> = {
    onDelete: onDelete === "restrict" ? undefined : onDelete,
    onUpdate: onUpdate === "no action" ? undefined : onUpdate,
  };
  const more: Record<string, CodeValue> = { unique: unique ? true : undefined, note };
  const decorators: Decorator[] = [
    ...(key ? [{ name: "Key", values: [] }] : []),
    {
      name: "RefersTo",
      values: [new Code(`() => ${entity}`), ...(codeOf(options) === "{}" ? [] : [options])],
    },
    ...(codeOf(more) === "{}" ? [] : [{ name: "Field", values: [more] }]),
  ];
  const made = line(
    property,
    nullable ? [{ name: "IsOptional", values: [] }] : [],
    decorators,
    `${property}${nullable ? "?" : "!"}: ${entity};`,
  );
  return { ...made, entities: [entity] };
}

/** `potter_id` and `potterId` refer through `potter`. */
export function referenceProperty(name: string, entity: string): string {
  const stem = name.replace(/(?:_id|_ID|Id|ID|_uuid)$/, "");
  return propertyFor(stem === "" ? entity : stem, new Set());
}

/** The other end, in the class referred to. */
export function otherEndLine(
  from: string,
  field: SketchField,
  entity: string,
  taken: ReadonlySet<string>,
): SketchLine {
  const property = referenceProperty(field.name, entity);
  const called = field.unique ? from : pluralize(from);
  const plain = propertyFor(called, new Set());
  const name = taken.has(plain) ? propertyFor(`${called} by ${property}`, taken) : plain;
  const decorator = { name: "ReferredBy", values: [new Code(`() => ${from}`), property] };
  const made = line(
    name,
    [],
    [decorator],
    field.unique ? `${name}?: ${from} | null;` : `${name}!: ${from}[];`,
  );
  return { ...made, entities: [from] };
}

function line(
  property: string,
  validators: readonly Decorator[],
  decorators: readonly Decorator[],
  declaration: string,
): SketchLine {
  const usesSql = decorators.some(({ values }) => values.some(value => /\bsql\("/.test(codeOf(value))));
  return {
    property,
    text: declared([...validators, ...decorators], declaration),
    validators: validators.map(({ name }) => name),
    decorators: [...decorators.map(({ name }) => name), ...(usesSql ? ["sql"] : [])],
    entities: [],
  };
}

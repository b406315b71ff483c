import { messageOf } from "../../errors.js";
import { closest, distance } from "fastest-levenshtein";
import type { PropertyFacts, StoredOptions, Verb } from "../../../modelling/facts.js";
import { dialects } from "../../dialect/registry.js";
import type { Dialect } from "../../dialect/shared/dialect.js";

/** An option of a decorator that is none, or not of its form. Models run without a compiler that would have said so. */
export interface OptionFault {
  readonly entity: string;
  readonly property?: string;
  readonly what: string;
  readonly remedy: string;
}

type Fault = Pick<OptionFault, "what" | "remedy">;

/** What is wrong with a value that stands at a path such as `@Stored: indexes[0].fields`. */
type Shape = (value: unknown, path: string) => readonly Fault[];

type Shapes = Readonly<Record<string, Shape>>;

const NONE: readonly Fault[] = [];

function is(words: string, fits: (value: unknown) => boolean): Shape {
  return (value, path) =>
    fits(value) ? NONE : [{ what: `${path} is ${show(value)}`, remedy: `give it ${words}` }];
}

function oneOf(...values: readonly (string | boolean)[]): Shape {
  const words = values.map(show);
  const known = new Set<unknown>(values);
  return is(words.length < 3 ? words.join(" or ") : `one of ${words.join(", ")}`, value => known.has(value));
}

function list(item: Shape): Shape {
  const whole = is("a list", Array.isArray);
  return (value, path) =>
    Array.isArray(value) ? value.flatMap((each, at) => item(each, `${path}[${at}]`)) : whole(value, path);
}

function object(shapes: Shapes, ...required: readonly string[]): Shape {
  return objectOr("", shapes, ...required);
}

/** @param words what else may stand in its place, in front of it */
function objectOr(words: string, shapes: Shapes, ...required: readonly string[]): Shape {
  const whole = is(`${words}an object of ${Object.keys(shapes).join(", ")}`, isRecord);
  return (value, path) => {
    if (!isRecord(value)) return whole(value, path);
    const missing = required.filter(name => value[name] === undefined);
    return [
      ...Object.entries(value).flatMap(([name, inner]) => faultsOfOption(name, inner, shapes, `${path}.`)),
      ...missing.map(name => ({ what: `${path} has no ${name}`, remedy: `add ${name}` })),
    ];
  };
}

/** The second where the value passes, else the first. */
function either(usual: Shape, passes: (value: unknown) => boolean, other: Shape): Shape {
  return (value, path) => (passes(value) ? other : usual)(value, path);
}

const isText = (value: unknown) => typeof value === "string";
const isTextByDialect = (value: unknown) => isRecord(value) && Object.values(value).every(isText);

const TEXT = is("a text", isText);
const TEXTS = list(TEXT);
const FLAG = oneOf(true, false);
const BY_DIALECT = is(
  'a text, or one for each dialect: { sqlite: "…" }',
  value => isText(value) || isTextByDialect(value),
);
const VALUE = is(
  "a text, a number, true, false, null, or sql(…)",
  value =>
    value === null ||
    ["string", "number", "boolean"].includes(typeof value) ||
    (isRecord(value) && (isText(value["sql"]) || isTextByDialect(value["sql"]))),
);
/** `{ mariadb: { engine: "Aria" } }` */
function optionsOf(what: keyof Dialect["types"]["options"]): Shape {
  const byDialect = Object.values(dialects).map(({ name, types }) => {
    const names = types.options[what].map(each => [each, TEXT] as const);
    return [name, object(Object.fromEntries(names))] as const;
  });
  return object(Object.fromEntries(byDialect));
}
const ACTION = oneOf("restrict", "cascade", "set null", "set default", "no action");
const DEFERRABLE = oneOf("immediate", "deferred");
const PARTS = { name: TEXT, include: TEXTS, options: optionsOf("part") };
const UNIQUE = { ...PARTS, fields: TEXTS, deferrable: DEFERRABLE };
const TERM = object({
  field: TEXT,
  sql: BY_DIALECT,
  descending: FLAG,
  collation: BY_DIALECT,
  nulls: oneOf("first", "last"),
  operatorClass: TEXT,
  length: is("a number", value => typeof value === "number"),
});
const TERMS = list(either(TERM, isText, TEXT));
const INDEX = {
  ...PARTS,
  fields: TERMS,
  unique: FLAG,
  where: BY_DIALECT,
  method: TEXT,
};

const verbs = (...words: readonly Verb[]) => list(oneOf(...words));
/** `{ visitor: ["select"] }` @param value of one role */
const grants =
  (value: Shape): Shape =>
  (given, path) =>
    isRecord(given)
      ? Object.entries(given).flatMap(([role, own]) => value(own, `${path}.${role}`))
      : is('an object of verbs by role: { visitor: ["select"] }', isRecord)(given, path);

const STORED: Shapes = {
  table: TEXT,
  namespace: TEXT,
  note: TEXT,
  was: TEXT,
  key: either(objectOr("false, or ", UNIQUE), value => value === false, FLAG),
  unique: list(either(object(UNIQUE, "fields"), Array.isArray, TEXTS)),
  indexes: list(either(object(INDEX, "fields"), Array.isArray, TERMS)),
  checks: either(
    (value, path) =>
      isRecord(value)
        ? Object.entries(value).flatMap(([name, text]) => BY_DIALECT(text, `${path}.${name}`))
        : is("an object of SQL by name, or a list", isRecord)(value, path),
    Array.isArray,
    list(object({ name: TEXT, holds: BY_DIALECT, field: TEXT, options: optionsOf("part") }, "name", "holds")),
  ),
  fieldChecks: FLAG,
  keysFirst: FLAG,
  unnamed: FLAG,
  grants: grants(verbs("select", "insert", "update", "delete")),
  rows: (value, path) =>
    isRecord(value)
      ? Object.entries(value).flatMap(([role, text]) => BY_DIALECT(text, `${path}.${role}`))
      : is("an object of conditions by role: { visitor: \"{stage} = 'sold'\" }", isRecord)(value, path),
  options: optionsOf("table"),
} satisfies Record<keyof StoredOptions, Shape>;

const FIELD = {
  type: BY_DIALECT,
  column: TEXT,
  unique: FLAG,
  index: FLAG,
  default: VALUE,
  note: TEXT,
  was: TEXT,
  fill: VALUE,
  convert: BY_DIALECT,
  convertBack: BY_DIALECT,
  computed: either(
    BY_DIALECT,
    value => isRecord(value) && "from" in value,
    object({ from: BY_DIALECT, keep: FLAG }, "keep"),
  ),
  generate: oneOf("serial", "always"),
  collation: BY_DIALECT,
  check: either(TEXT, value => value === false, FLAG),
  grants: grants(either(verbs("select", "insert", "update"), value => value === false, FLAG)),
  options: optionsOf("column"),
  stored: FLAG,
} satisfies Record<keyof NonNullable<PropertyFacts["field"]>, Shape>;

const KEY = {
  generate: oneOf("serial", "always", "rowid", "uuid", "none"),
  nullable: FLAG,
} satisfies Record<keyof NonNullable<PropertyFacts["key"]>, Shape>;

const REFERS_TO = {
  onDelete: ACTION,
  onUpdate: ACTION,
  column: either(TEXT, Array.isArray, TEXTS),
  index: FLAG,
  fields: TEXTS,
  to: TEXTS,
  name: TEXT,
  deferrable: DEFERRABLE,
  options: optionsOf("part"),
} satisfies Record<keyof NonNullable<PropertyFacts["refersTo"]>["options"], Shape>;

const REFERS_TO_ANY = {
  style: oneOf("arcs", "tag"),
  onDelete: oneOf("restrict", "cascade", "set null", "no action"),
  index: FLAG,
} satisfies Record<keyof NonNullable<PropertyFacts["refersToAny"]>["options"], Shape>;

const PAIRED_WITH = { table: TEXT, onDelete: ACTION } satisfies Record<
  keyof NonNullable<PropertyFacts["pairedWith"]>["options"],
  Shape
>;

const INLINE = { prefix: TEXT } satisfies Record<
  keyof NonNullable<PropertyFacts["inline"]>["options"],
  Shape
>;

/** The options of an entity that are what they must be; of the others, what is wrong. */
export function checkStored(options: StoredOptions, entity: string, faults: OptionFault[]): StoredOptions {
  return sound(options, STORED, "@Stored", fault => faults.push({ entity, ...fault })) as StoredOptions;
}

/** What was said of a property, as far as it can be meant; of the rest, what is wrong. */
export function checkProperty(
  facts: PropertyFacts,
  where: { readonly entity: string; readonly property: string },
  faults: OptionFault[],
): PropertyFacts {
  const add = (fault: Fault) => void faults.push({ ...where, ...fault });
  const checked: PropertyFacts = { ...facts };
  const wrong = new Set<string>();
  if (facts.key) checked.key = sound(facts.key, KEY, "@Key", add);
  if (facts.field) checked.field = sound(facts.field, FIELD, "@Field", add);
  if (facts.stamp && report(oneOf("created", "updated")(facts.stamp, "@Stamp"), add)) wrong.add("stamp");
  for (const [name, decorator, shapes] of LINKS) {
    const link = facts[name];
    if (!link) continue;
    const faults =
      "targets" in link ? laterClasses(link.targets, decorator) : laterClass(link.target, decorator);
    if (report(faults, add)) wrong.add(name);
    else if ("options" in link)
      Object.assign(checked, { [name]: { ...link, options: sound(link.options, shapes, decorator, add) } });
  }
  return Object.fromEntries(Object.entries(checked).filter(([name]) => !wrong.has(name)));
}

const LINKS = [
  ["refersTo", "@RefersTo", REFERS_TO],
  ["referredBy", "@ReferredBy", {}],
  ["pairedWith", "@PairedWith", PAIRED_WITH],
  ["refersToAny", "@RefersToAny", REFERS_TO_ANY],
  ["inline", "@Inline", INLINE],
] as const;

/** The same of several. */
function laterClasses(targets: unknown, decorator: string): readonly Fault[] {
  const faults = laterClass(targets, decorator);
  if (faults.length > 0) return faults;
  const given = (targets as () => unknown)();
  if (Array.isArray(given) && given.every(each => typeof each === "function")) return NONE;
  const what = `${decorator} is given ${show(given)} where a list of entities is meant`;
  return [{ what, remedy: `write ${decorator}(() => [Potter, Kiln])` }];
}

/** A class that is named outright may not be there yet when the decorator runs. */
function laterClass(target: unknown, decorator: string): readonly Fault[] {
  if (typeof target === "function" && !/^class\b/.test(Function.prototype.toString.call(target))) {
    try {
      (target as () => unknown)();
      return NONE;
    } catch (error) {
      const what = `${decorator}: its function fails: ${messageOf(error)}`;
      return [{ what, remedy: "let it give the class, and do nothing else" }];
    }
  }
  const name = typeof target === "function" ? target.name : show(target);
  const remedy = `write ${decorator}(() => ${typeof target === "function" ? name : "…"})`;
  return [{ what: `${decorator} is given ${name} where a function that gives it is meant`, remedy }];
}

function report(faults: readonly Fault[], add: (fault: Fault) => void): boolean {
  faults.forEach(add);
  return faults.length > 0;
}

/** Options without those that are none or not of their form. */
function sound<T extends object>(
  options: T,
  shapes: Shapes,
  decorator: string,
  add: (fault: Fault) => void,
): T {
  if (!isRecord(options)) {
    add({
      what: `${decorator} is given ${show(options)}`,
      remedy: "give it its options as an object, or nothing",
    });
    return {} as T;
  }
  const entries = Object.entries(options).filter(
    ([name, value]) => !report(faultsOfOption(name, value, shapes, `${decorator}: `), add),
  );
  return entries.length === Object.keys(options).length ? options : (Object.fromEntries(entries) as T);
}

function faultsOfOption(name: string, value: unknown, shapes: Shapes, path: string): readonly Fault[] {
  if (value === undefined) return NONE;
  const shape = Object.hasOwn(shapes, name) ? shapes[name] : undefined;
  if (shape) return shape(value, `${path}${name}`);
  const valid = Object.keys(shapes);
  const near = valid.length > 0 ? closest(name, valid) : "";
  const isNear = distance(name, near) <= Math.max(2, near.length / 3);
  const remedy = `${isNear ? `did you mean ${near}? ` : ""}Valid: ${valid.join(", ")}`;
  return [{ what: `${path}${name} is no option`, remedy }];
}

function isRecord(value: unknown): value is Record<string, unknown> {
  return typeof value === "object" && value !== null && !Array.isArray(value);
}

function asWritten(value: unknown): string {
  if (typeof value === "bigint") return `${value}n`;
  try {
    return (
      JSON.stringify(value, (_, each: unknown) => (typeof each === "bigint" ? `${each}n` : each)) ??
      String(value)
    );
  } catch {
    return "something that cannot be written down";
  }
}

function show(value: unknown): string {
  const text = typeof value === "function" ? `the function ${value.name}` : asWritten(value);
  return text.length > 60 ? `${text.slice(0, 59)}…` : text;
}

/** What the decorators record about a class, before anything is made of it. */

/** Any class, abstract or not, whose instances are T. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any -- a class is accepted whatever its constructor takes
export type Class<T = object> = abstract new (...args: any[]) => T;

/** One value, or one for each dialect where they differ. */
export type PerDialect<T> = Readonly<Record<string, T>>;

/** SQL in which `{name}` outside of a string literal stands for a quoted column. */
export type CheckText = string | PerDialect<string>;

/** SQL written by the developer where a plain value would be taken literally: `default: sql("lower('A')")`. */
export interface SqlExpression {
  readonly sql: CheckText;
}

/** Marks a text as SQL rather than as a value. */
export function sql(text: CheckText): SqlExpression {
  return { sql: text };
}

export type DefaultValue = string | number | boolean | SqlExpression;

/** Portable SQL types without sizes. */
export type PlainTypeName =
  | "boolean"
  | "smallint"
  | "integer"
  | "bigint"
  | "real"
  | "double"
  | "text"
  | "date"
  | "time"
  | "timestamp"
  | "timestamptz"
  | "uuid"
  | "json"
  | "bytes";

/** Portable SQL types; some carry their sizes: `varchar(80)`, `decimal(10,2)`. */
export type TypeName =
  PlainTypeName | `char(${number})` | `varchar(${number})` | `decimal(${number},${number})`;

/** What the database does with referring rows when the row they refer to is deleted, or its key changes. */
export type Action = "restrict" | "cascade" | "set null" | "set default" | "no action";

type FieldName<T> = Extract<keyof T, string>;

export interface IndexOptions<Name extends string = string> {
  readonly fields: readonly Name[];
  readonly unique?: boolean;
  /** Only rows for which this holds are indexed; `{field}` stands for the quoted column. */
  readonly where?: CheckText;
  readonly name?: string;
}

export interface StoredOptions<T = unknown> {
  /** @default the class name, spelled as the project's naming says */
  readonly table?: string;
  readonly note?: string;
  /** The table's earlier name: the next draft renames instead of dropping and adding. */
  readonly was?: string;
  readonly unique?: readonly (readonly (unknown extends T ? string : FieldName<T>)[])[];
  readonly indexes?: readonly (
    | readonly (unknown extends T ? string : FieldName<T>)[]
    | IndexOptions<unknown extends T ? string : FieldName<T>>
  )[];
  /** By name; in the text `{field}` stands for the quoted column. */
  readonly checks?: Readonly<Record<string, CheckText>>;
}

export interface KeyOptions {
  /**
   * "serial": a whole number counted up by the database; "uuid": made by the database; "none": the program gives it.
   * @default "serial" for a key with no validators, "none" otherwise
   */
  readonly generate?: "serial" | "uuid" | "none";
}

export interface FieldOptions {
  /** A portable type, or a native one per dialect. @default told from class-validator's decorators */
  readonly type?: TypeName | PerDialect<string>;
  /** @default the property's name, spelled as the project's naming says */
  readonly column?: string;
  readonly unique?: boolean;
  readonly index?: boolean;
  readonly default?: DefaultValue;
  readonly note?: string;
  /** The column's earlier name: the next draft renames instead of dropping and adding. */
  readonly was?: string;
  /** The value rows that exist get when this field arrives and is required. */
  readonly fill?: DefaultValue;
  /** An expression over other fields, kept up to date by the database. */
  readonly computed?: CheckText;
  /** false: a property of the class, not a column. @default true */
  readonly stored?: boolean;
}

export interface RefersToOptions {
  /** @default "restrict": nothing disappears unless the model says so */
  readonly onDelete?: Action;
  /** @default "no action" */
  readonly onUpdate?: Action;
  /** The reference column's name; one for each key column where the key has several. @default `<property>_<key column>` */
  readonly column?: string | readonly string[];
  /** Whether the reference column gets an index. @default true */
  readonly index?: boolean;
}

export interface PairedWithOptions {
  /** The pair table's name. @default `<owner table>_<other table>` */
  readonly table?: string;
  /** What happens to a pair when either of its rows is deleted. @default "cascade" */
  readonly onDelete?: Action;
}

export interface ReferenceFacts {
  readonly target: () => Class;
  readonly options: RefersToOptions;
}

/** Everything our decorators said about one property. */
export interface PropertyFacts {
  key?: KeyOptions;
  field?: FieldOptions;
  refersTo?: ReferenceFacts;
  referredBy?: { readonly target: () => Class; readonly field: string };
  pairedWith?: { readonly target: () => Class; readonly options: PairedWithOptions };
  stamp?: "created" | "updated";
}

/** Everything our decorators said about one class, without its base classes. */
export interface ClassFacts {
  stored?: StoredOptions;
  readonly properties: Map<string, PropertyFacts>;
}

/**
 * One store for the whole process, however many copies of this module are loaded: a project's own copy and the
 * program's must see the same facts.
 */
const storeKey = Symbol.for("emberset.facts");

function store(): Map<unknown, ClassFacts> {
  const holder = globalThis as { [storeKey]?: Map<unknown, ClassFacts> };
  return (holder[storeKey] ??= new Map());
}

/** The facts recorded for a class; undefined when no decorator of ours was used on it. */
export function factsOf(cls: unknown): ClassFacts | undefined {
  return store().get(cls);
}

/** The facts of a class, made on first use. */
export function recordClass(cls: unknown): ClassFacts {
  const known = store().get(cls);
  if (known) return known;
  const facts: ClassFacts = { properties: new Map() };
  store().set(cls, facts);
  return facts;
}

/** The facts of a property, made on first use. */
export function recordProperty(prototype: object, property: string): PropertyFacts {
  const { properties } = recordClass(prototype.constructor);
  const known = properties.get(property);
  if (known) return known;
  const facts: PropertyFacts = {};
  properties.set(property, facts);
  return facts;
}

/** Every class marked as an entity so far, in the order their files ran. */
export function storedClasses(): unknown[] {
  return [...store()].flatMap(([cls, { stored }]) => (stored ? [cls] : []));
}

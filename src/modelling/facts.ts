/** What the decorators record about a class, before anything is made of it. */

/** Any class, abstract or not, whose instances are T. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any -- a class is accepted whatever its constructor takes
export type Class<T = object> = abstract new (...args: any[]) => T;

/** One value, or one for each dialect where they differ. */
export type PerDialect<T> = Readonly<Record<string, T>>;

/** SQL in which `{name}` outside of a string literal stands for a quoted column. */
export type SqlText = string | PerDialect<string>;

/** SQL written by the developer where a plain value would be taken literally: `default: sql("lower('A')")`. */
export interface SqlExpression {
  readonly sql: SqlText;
}

/** Marks a text as SQL rather than as a value. */
export function sql(text: SqlText): SqlExpression {
  return { sql: text };
}

/** null: the column says that its default is null, which is so anyway. */
export type DefaultValue = string | number | boolean | null | SqlExpression;

/** What only one dialect knows of a thing, in its own words: `{ mariadb: { engine: "Aria" } }`. */
export type Options = PerDialect<Readonly<Record<string, string>>>;

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

/** A property, or one of a value object's: `size.height`. */
type FieldName<T> = Extract<keyof T, string> | `${Extract<keyof T, string>}.${string}`;

/** One thing an index is over: a field, or an expression in which `{field}` stands for the quoted column. */
export type IndexTerm<Name extends string = string> = (
  { readonly field: Name } | { readonly sql: SqlText }
) & {
  readonly descending?: boolean;
  readonly collation?: string | PerDialect<string>;
  /** Where nulls stand, when not where the engine puts them by itself. */
  readonly nulls?: "first" | "last";
  readonly operatorClass?: string;
  /** How many characters are indexed. @default all */
  readonly length?: number;
};

export interface IndexOptions<Name extends string = string> {
  readonly fields: readonly (Name | IndexTerm<Name>)[];
  readonly unique?: boolean;
  /** Only rows for which this holds are indexed; `{field}` stands for the quoted column. */
  readonly where?: SqlText;
  readonly name?: string;
  /** Anything but the usual ordered tree: `gin`, `hash`, `fulltext` … */
  readonly method?: string;
  /** Fields that the index carries along. */
  readonly include?: readonly Name[];
  readonly options?: Options;
}

export interface UniqueOptions<Name extends string = string> {
  readonly fields: readonly Name[];
  readonly name?: string;
  readonly include?: readonly Name[];
  /** Looked at when the transaction ends, or each statement. */
  readonly deferrable?: "immediate" | "deferred";
  readonly options?: Options;
}

export interface CheckOptions {
  /** The constraint's whole name; "": none, where the dialect lets it have none. */
  readonly name: string;
  readonly holds: SqlText;
  /** The field whose column it is stated with, on MariaDB. */
  readonly field?: string;
  readonly options?: Options;
}

/** What may be done with rows, in SQL's own words. */
export type Verb = "select" | "insert" | "update" | "delete";

/** What roles may do, by their names, which the config has among `roles`; an empty list: nothing. */
export type Grants = Readonly<Record<string, readonly Verb[]>>;

export interface StoredOptions<T = unknown> {
  /** @default the class name, spelled as the project's naming says */
  readonly table?: string;
  /** Where the table stands among others; on dialects without namespaces it becomes part of the name. */
  readonly namespace?: string;
  readonly note?: string;
  /** The table's earlier name: the next draft renames instead of dropping and adding. */
  readonly was?: string;
  /** How the primary key is called and ordered, where that is unusual; false: the table has none. */
  readonly key?: false | Partial<UniqueOptions<unknown extends T ? string : FieldName<T>>>;
  readonly unique?: readonly (
    | readonly (unknown extends T ? string : FieldName<T>)[]
    | UniqueOptions<unknown extends T ? string : FieldName<T>>
  )[];
  readonly indexes?: readonly (
    | IndexOptions<unknown extends T ? string : FieldName<T>>["fields"]
    | IndexOptions<unknown extends T ? string : FieldName<T>>
  )[];
  /** By name, which becomes the constraint's with `ck_` and the table before it; in the text `{field}` stands for the quoted column. */
  readonly checks?: Readonly<Record<string, SqlText>> | readonly CheckOptions[];
  /** Whether the database holds the rules of the fields. @default true */
  readonly fieldChecks?: boolean;
  /** Whether columns of the key stand before the others. @default true */
  readonly keysFirst?: boolean;
  /** true: constraints have no names, where the dialect lets them have none. @default false */
  readonly unnamed?: boolean;
  /** What roles may do with it: of a role that stands here, the config's own `grants` are not asked. */
  readonly grants?: Grants;
  /**
   * Which rows a role sees, writes and deletes, as a condition: `{ visitor: "{stage} = 'on sale'" }`. Roles with grants and
   * none see all; other roles see what they saw before. PostgreSQL holds them to it. @default all rows
   */
  readonly rows?: Readonly<Record<string, SqlText>>;
  readonly options?: Options;
}

export interface KeyOptions {
  /**
   * "serial": a whole number counted up by the database; "always": the same, and no other may be given; "rowid": as
   * serial, but SQLite may give the number of a row that is gone again; "uuid": made by the database; "none": the
   * program gives it.
   * @default "serial" for a key with no validators, "none" otherwise
   */
  readonly generate?: "serial" | "always" | "rowid" | "uuid" | "none";
  /** true: with @IsOptional(), the key may hold null, as SQLite alone allows. @default false */
  readonly nullable?: boolean;
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
  /**
   * SQL that makes a value of this type out of the one before, when the type changes: `{field}` stands for a column as
   * it was. @default the engine's own rules
   */
  readonly convert?: SqlText;
  /** The other way round, for going back; rows that were not touched since get their old value from the attic. */
  readonly convertBack?: SqlText;
  /** An expression over other fields, kept up to date by the database; `keep: false`: worked out when it is read. */
  readonly computed?: SqlText | { readonly from: SqlText; readonly keep: boolean };
  /** A column outside of the key that counts up. */
  readonly generate?: "serial" | "always";
  /** How texts are compared, in the dialect's own word. */
  readonly collation?: string | PerDialect<string>;
  /** The name of the constraint that holds this field's rules, "" for none; false: the database does not hold them. */
  readonly check?: string | false;
  /** What roles may do with this field, in place of what they may with the others; false: nothing. */
  readonly grants?: Readonly<Record<string, readonly Exclude<Verb, "delete">[] | false>>;
  readonly options?: Options;
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
  /** Fields that are the reference, instead of columns of its own. */
  readonly fields?: readonly string[];
  /** Fields of the target that are referred to, instead of its key. */
  readonly to?: readonly string[];
  readonly name?: string;
  /** Looked at when the transaction ends, or each statement. */
  readonly deferrable?: "immediate" | "deferred";
  readonly options?: Options;
}

export interface PairedWithOptions {
  /** The pair table's name. @default `<owner table>_<other table>` */
  readonly table?: string;
  /** What happens to a pair when either of its rows is deleted. @default "cascade" */
  readonly onDelete?: Action;
}

export interface RefersToAnyOptions {
  /**
   * "arcs": one reference column for each entity, exactly one of them set. "tag": the entity's name and its key, and
   * beside them one computed reference for each entity, which holds them to it.
   * @default "arcs"
   */
  readonly style?: "arcs" | "tag";
  /** @default "restrict" */
  readonly onDelete?: Exclude<Action, "set default">;
  /** Whether the reference columns get indexes. @default true */
  readonly index?: boolean;
}

export interface InlineOptions {
  /** What the columns' names begin with; "": nothing. @default the property's name */
  readonly prefix?: string;
}

export interface ReferenceFacts {
  readonly target: () => Class;
  readonly options: RefersToOptions;
}

interface DefinitionFacts {
  readonly name: string;
  readonly namespace?: string;
  readonly note?: string;
}

/** A type (PostgreSQL) or a sequence (MariaDB, too) that stands by itself, beside the tables. SQL in it is the engine's own. */
export type Definition = EnumDefinition | DomainDefinition | SequenceDefinition;

export interface EnumDefinition extends DefinitionFacts {
  readonly kind: "enum";
  readonly values: readonly string[];
}

export interface DomainDefinition extends DefinitionFacts {
  readonly kind: "domain";
  readonly type: string;
  readonly nullable: boolean;
  readonly default?: string;
  readonly collation?: string;
  readonly checks: readonly { readonly name: string; readonly sql: string }[];
}

export interface SequenceDefinition extends DefinitionFacts {
  readonly kind: "sequence";
  /** `type`, `start`, `increment`, `minimum`, `maximum`, `cache`, `cycle`: those that are not as usual. */
  readonly settings?: Readonly<Record<string, string>>;
}

/** Everything our decorators said about one property. */
export interface PropertyFacts {
  key?: KeyOptions;
  field?: FieldOptions;
  refersTo?: ReferenceFacts;
  referredBy?: { readonly target: () => Class; readonly field: string };
  pairedWith?: { readonly target: () => Class; readonly options: PairedWithOptions };
  refersToAny?: { readonly targets: () => readonly Class[]; readonly options: RefersToAnyOptions };
  inline?: { readonly target: () => Class; readonly options: InlineOptions };
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

const definitionsKey = Symbol.for("emberset.definitions");

/** The definitions made so far, in the order their files ran. */
export function recordedDefinitions(): Definition[] {
  const holder = globalThis as { [definitionsKey]?: Definition[] };
  return (holder[definitionsKey] ??= []);
}

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
  if (typeof property !== "string") throw new TypeError("a property called by a symbol cannot be stored");
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

import type { ObjectKind } from "../sql/object-head.js";
import type {
  Action,
  Definition as TypeDefinition,
  Options,
  PerDialect,
  PlainTypeName,
  SqlText,
  Verb,
} from "../../modelling/facts.js";

export type {
  Action,
  DomainDefinition,
  EnumDefinition,
  Options,
  PerDialect,
  PlainTypeName,
  SequenceDefinition,
  /** In the schema, `{column}` outside of string literals and quoted names stands for the quoted column. */
  SqlText,
} from "../../modelling/facts.js";

/**
 * A schema as plain, read-only data. The same types hold it in portable words (as the models and the migrations
 * say it) and settled (as one dialect holds it: native types, defaults and checks as SQL).
 */
export interface Schema {
  readonly tables: readonly Table[];
  /** What stands beside the tables: types, which only PostgreSQL has, sequences, which SQLite has not, and objects. */
  readonly definitions?: readonly Definition[];
}

export type { TypeDefinition };

export type Definition = TypeDefinition | ObjectDefinition;

/** A view, routine, trigger or event, as SQL of the developer's own; a policy comes of what models say of rows. */
export interface ObjectDefinition {
  readonly kind: ObjectKind;
  readonly name: string;
  readonly namespace?: string;
  /** The address of the table or view that a trigger or a policy stands on. */
  readonly on?: string;
  /**
   * The statement that makes it, and behind it those that go with it (an index of a materialized view, a note, a
   * grant), with a semicolon between them. Settled, a text. Functions of one name are one object.
   */
  readonly sql: SqlText;
}

const OBJECT_KINDS: ReadonlySet<string> = new Set<ObjectKind>([
  "view",
  "materialized view",
  "function",
  "procedure",
  "trigger",
  "event",
  "policy",
]);

/** Whether a definition is SQL of the developer's own. */
export function isObject(definition: Definition): definition is ObjectDefinition {
  return OBJECT_KINDS.has(definition.kind);
}

/**
 * A schema that was found without the objects that none of some others has: those are somebody else's.
 * @param isOwn of those all the same
 */
export function withoutStrangers(
  found: Schema,
  known: readonly Schema[],
  isOwn: (object: ObjectDefinition) => boolean = () => false,
): Schema {
  if (!found.definitions?.some(isObject)) return found;
  const keys = new Set(known.flatMap(({ definitions = [] }) => definitions.map(definitionKey)));
  const { definitions, ...rest } = found;
  const own = definitions.filter(each => !isObject(each) || keys.has(definitionKey(each)) || isOwn(each));
  return { ...rest, ...(own.length > 0 && { definitions: own }) };
}

/** What tells definitions apart. */
export function definitionKey(definition: Definition): string {
  const { kind, namespace, name } = definition;
  const on = isObject(definition) && definition.on !== undefined ? [definition.on] : [];
  return JSON.stringify([kind, namespace ?? null, name, ...on]);
}

export interface Table {
  readonly name: string;
  readonly namespace?: string;
  readonly columns: readonly Column[];
  readonly key?: Key;
  readonly uniques: readonly Unique[];
  readonly indexes: readonly Index[];
  readonly foreignKeys: readonly ForeignKey[];
  readonly checks: readonly Check[];
  readonly note?: string;
  readonly options?: Options;
  /** What roles may do with all of its rows, every column of them. */
  readonly grants?: readonly Grant[];
}

export interface Column {
  readonly name: string;
  readonly type: DataType;
  readonly nullable: boolean;
  readonly default?: Default;
  /**
   * "serial": counted up by the database where no value is given. "always": counted up, and no value may be given.
   * "rowid": as serial, but SQLite may give the number of a row that is gone to a new one.
   */
  readonly identity?: "serial" | "always" | "rowid";
  readonly computed?: { readonly sql: SqlText; readonly stored: boolean };
  readonly stamp?: "created" | "updated";
  /** One dialect's own word each; settled, a text. */
  readonly collation?: SqlText;
  readonly note?: string;
  readonly options?: Options;
  /** What roles may do with it, beside what the table grants. */
  readonly grants?: readonly Grant[];
}

/** What a role may do with the rows of a table, or with one column of them. */
export interface Grant {
  readonly role: string;
  /** In the order: select, insert, update, delete. */
  readonly verbs: readonly Verb[];
}

export type DataType =
  | { readonly kind: PlainTypeName }
  | { readonly kind: "char" | "varchar"; readonly length: number }
  | { readonly kind: "decimal"; readonly precision: number; readonly scale: number }
  | { readonly kind: "native"; readonly sql: PerDialect<string> };

export type Default =
  | { readonly kind: "value"; readonly value: string | number | boolean }
  | { readonly kind: "uuid" }
  | { readonly kind: "sql"; readonly sql: SqlText };

export interface Key {
  /** "": the engine lets it have none, or gives it one. */
  readonly name: string;
  readonly columns: readonly string[];
  readonly deferrable?: Deferrable;
  /** Further columns that its index carries along. */
  readonly include?: readonly string[];
  readonly options?: Options;
}

export type Unique = Key;

export type Deferrable = "immediate" | "deferred";

export interface Index {
  readonly name: string;
  readonly parts: readonly IndexPart[];
  readonly unique?: boolean;
  readonly where?: SqlText;
  /** Anything but the usual ordered tree: `gin`, `hash`, `fulltext` … */
  readonly method?: string;
  /** Further columns that it carries along. */
  readonly include?: readonly string[];
  readonly options?: Options;
}

export type IndexPart = ({ readonly column: string } | { readonly sql: SqlText }) & {
  readonly descending?: boolean;
  readonly collation?: SqlText;
  /** Where nulls stand, when not where the engine puts them by itself. */
  readonly nulls?: "first" | "last";
  readonly operatorClass?: string;
  /** How many characters of the column are indexed; absent: all. */
  readonly length?: number;
};

export interface ForeignKey {
  readonly name: string;
  readonly columns: readonly string[];
  /** `table` is the address of the table referred to. */
  readonly references: { readonly table: string; readonly columns: readonly string[] };
  readonly onDelete: Action;
  readonly onUpdate: Action;
  readonly deferrable?: Deferrable;
  readonly options?: Options;
}

/** One constraint; it holds when every rule does. */
export interface Check {
  readonly name: string;
  readonly rules: readonly Rule[];
  /** The column it is stated with and named after, where an engine tells that from a check of the table. */
  readonly column?: string;
  readonly options?: Options;
}

export const TYPE_RULE_KINDS = [
  "boolean",
  "json",
  "whole",
  "number",
  "date",
  "time",
  "moment",
  "uuid",
] as const;

export type TypeRuleKind = (typeof TYPE_RULE_KINDS)[number];

/** A rule kept as data until a dialect settles it into SQL. */
export type Rule =
  | { readonly kind: "min" | "max"; readonly column: string; readonly value: number | string }
  | { readonly kind: "above" | "below"; readonly column: string; readonly value: number }
  | {
      /** Characters of a text, bytes of it, items of a JSON array. */
      readonly kind:
        | "min length"
        | "max length"
        | "min bytes"
        | "max bytes"
        | "min items"
        | "max items"
        | "decimal places";
      readonly column: string;
      readonly value: number;
    }
  | {
      readonly kind: "in" | "not in";
      readonly column: string;
      readonly values: readonly (string | number | boolean)[];
    }
  | { readonly kind: "divisible"; readonly column: string; readonly value: number }
  | { readonly kind: "contains" | "not contains"; readonly column: string; readonly value: string }
  | { readonly kind: "pattern"; readonly column: string; readonly pattern: string; readonly flags: string }
  /** What a value is; where a dialect's types hold that by themselves, it needs no check. */
  | { readonly kind: TypeRuleKind; readonly column: string }
  | {
      readonly kind: "array" | "object" | "filled object" | "structure" | "lower case" | "upper case";
      readonly column: string;
    }
  /** By the names of RFC 9562: a digit, "nil" or "max". */
  | { readonly kind: "uuid version"; readonly column: string; readonly values: readonly string[] }
  /** Exactly one is set; `optional`: or none. */
  | { readonly kind: "one of"; readonly columns: readonly string[]; readonly optional: boolean }
  /** All are set, or none. */
  | { readonly kind: "together"; readonly columns: readonly string[] }
  /** Set only while the other is. */
  | { readonly kind: "only with"; readonly column: string; readonly other: string }
  | { readonly kind: "sql"; readonly sql: SqlText };

/** The parts of a table that have a name of their own, by the word used for them. */
export interface Parts {
  readonly key: Key;
  readonly unique: Unique;
  readonly index: Index;
  readonly "foreign key": ForeignKey;
  readonly check: Check;
}

export type PartKind = keyof Parts;

export const PART_KINDS = [
  "key",
  "unique",
  "index",
  "foreign key",
  "check",
] as const satisfies readonly PartKind[];

/** One handler for each kind of part, or for some of them. */
export type PartHandlers<R, K extends PartKind = PartKind> = { readonly [P in K]: (part: Parts[P]) => R };

/** What the handler of its kind makes of a part. */
export function handlePart<K extends PartKind, R>(
  kind: K,
  part: Parts[NoInfer<K>],
  handlers: PartHandlers<R, NoInfer<K>>,
): R {
  return handlers[kind](part);
}

const PARTS_OF: { readonly [P in PartKind]: (table: Table) => readonly Parts[P][] } = {
  key: ({ key }) => (key ? [key] : []),
  unique: ({ uniques }) => uniques,
  index: ({ indexes }) => indexes,
  "foreign key": ({ foreignKeys }) => foreignKeys,
  check: ({ checks }) => checks,
};

const WITH_PARTS: { readonly [P in PartKind]: (table: Table, parts: readonly Parts[P][]) => Table } = {
  key: ({ key: _, ...rest }, [key]) => (key ? { ...rest, key } : rest),
  unique: (table, uniques) => ({ ...table, uniques }),
  index: (table, indexes) => ({ ...table, indexes }),
  "foreign key": (table, foreignKeys) => ({ ...table, foreignKeys }),
  check: (table, checks) => ({ ...table, checks }),
};

/** The parts of one kind that a table has; its key is a list of none or one. */
export function partsOf<K extends PartKind>(table: Table, kind: K): readonly Parts[K][] {
  return PARTS_OF[kind](table);
}

/** The table with its parts of one kind replaced. */
export function withParts<K extends PartKind>(table: Table, kind: K, parts: readonly Parts[K][]): Table {
  return WITH_PARTS[kind](table, parts);
}

export const EMPTY_SCHEMA: Schema = { tables: [] };

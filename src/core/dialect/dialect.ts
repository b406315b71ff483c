import type { Change } from "../change/types.js";
import type { Column, DataType, Index, PartKind, Rule, Schema, Table } from "../schema/types.js";
import type { Attic, AtticSyntax } from "./attic.js";
import type { TokenRules } from "./tokens.js";

/** One kind of database: everything the rest of the program asks about it. */
export interface Dialect {
  readonly name: string;
  /** As its makers write it. */
  readonly title: string;
  readonly tokens: TokenRules;
  /** A name as SQL quotes it. */
  readonly quote: (name: string) => string;
  /** A value as SQL writes it. */
  readonly literal: (value: string | number | boolean) => string;
  /** What follows `INSERT INTO t` for a row of which nothing is said. */
  readonly emptyRow: string;
  /** Where values are cut or rounded without a word when a column changes its type; absent: never. */
  readonly cuts?: CutSyntax;
  /** How rows are copied as they are. */
  readonly copying: CopySyntax;
  /** The usual driver, and what it gives for a type in TypeScript where that is not what the type says. */
  readonly driver: { readonly name: string; readonly types: Partial<Record<DataType["kind"], string>> };
  /** What comes of texts and bytes of any length in a key, and in a unique constraint, where that is not as elsewhere. */
  readonly ofAnyLength?: { readonly key: string; readonly unique: string };
  /** Bytes as SQL writes them, from hexadecimal digits. */
  readonly bytesLiteral: (digits: string) => string;
  /** The schema as this dialect holds it: native types, defaults and checks as SQL, names within its limit. */
  readonly settle: (schema: Schema) => Schema;
  /** The inverse, as far as portable words say the same: `settle(raise(p)) = p`. */
  readonly raise: (schema: Schema) => Schema;
  /** A schema read from a database as it may have been sent, where the engine is known to spell that so. */
  readonly unspell: (schema: Schema) => Schema;
  /** Names of what hangs on tables and comes from the schema: a rebuild may take it along without putting it back. */
  readonly attachments: (schema: Schema) => string[];
  /** The statements that carry out changes. */
  readonly render: (plan: RenderPlan) => Block[];
  readonly attic: AtticSyntax;
  /** The queries that read its catalog: always as many, whatever the number of tables. */
  readonly catalogQueries: readonly string[];
  /** A query for tables that surely have no rows, name and namespace, where planning to count them takes long. */
  readonly emptyTables?: string;
  /** An aggregate: all pairs of two columns as one JSON text. Row by row, a driver may take longer than the database. */
  readonly jsonPairs: (first: string, second: string) => string;
  /** What the rows of its catalog say, a list for each query. */
  readonly readCatalog: (results: readonly (readonly CatalogRow[])[]) => Catalog;
  /** What somebody who runs a script by hand must know, a line each. */
  readonly scriptNotes: (blocks: readonly Block[]) => string[];
  /** Whether the engine gives expressions back in its own spelling rather than as they were sent. */
  readonly respells: boolean;
  /** Whether the order in which a table's constraints were made can be seen. */
  readonly keepsOrder: boolean;
  /** Whether a script that fails leaves nothing behind. */
  readonly transactional: boolean;
  /** Why this dialect cannot hold a rule; undefined when it can. */
  readonly cannotHold: (rule: Rule) => string | undefined;
  /** Why this dialect cannot hold a name. */
  readonly cannotHoldName: (name: string) => string | undefined;
  /** Of which kinds of parts names are told apart across tables, and whether from names of tables too. */
  readonly sharedNames: { readonly kinds: readonly PartKind[]; readonly tables: boolean };
  /** Words that are names only in quotes, in small letters. */
  readonly reserved: ReadonlySet<string>;
  /** How long a name may be, in bytes; longer ones are cut. Absent: any length. */
  readonly nameLimit?: number;
  /** The same of an index. */
  readonly cannotHoldIndex: (index: Index) => string | undefined;
}

/** What a dialect says of values that another type cuts. */
export interface CutSyntax {
  /** A floating value as one whose digits can be compared. */
  readonly exact: (value: string) => string;
  /** Its word for floating numbers of single precision. */
  readonly single: string;
  /** How many digits its moments and times have behind the seconds by themselves. */
  readonly fraction: number;
  /** What a value of such a type is cast to for fewer of them: `timestamp` and 3 → `timestamp(3)`. */
  readonly withFraction: (name: string, digits: number) => string;
  /** A condition that holds where a text is taken for a whole number though it only begins like one; absent: it is refused. */
  readonly notWhole?: (value: string) => string;
}

/** What a dialect says of copying rows from one database to another. */
export interface CopySyntax {
  /** A column in a SELECT, so that a literal of what the driver gives is its value again. */
  readonly exactly: (column: Column) => string;
  /** What stands before VALUES, so that columns that count take the values that are given. */
  readonly overriding: string;
  /** Statements between which references are not checked; absent: they must go, and come back. */
  readonly unchecked?: { readonly start: string; readonly end: string };
  /** Statements behind the rows of a table: what counts goes on behind them. */
  readonly after: (table: Table) => string[];
}

/** Settled schemas before and after, and the changes between them in the order they are to be made. */
export interface RenderPlan {
  readonly before: Schema;
  readonly after: Schema;
  readonly changes: readonly Change[];
  /** What is put into the attic, or taken out of it; absent: nothing. */
  readonly attic?: Attic;
}

/** Statements that belong together, under a heading. */
export interface Block {
  readonly title: string;
  /** What the heading stands for, when it is more than one change. */
  readonly details?: readonly string[];
  /** Without semicolons. */
  readonly statements: readonly string[];
}

/** A row of a catalog query, column values by name. */
export type CatalogRow = Readonly<Record<string, unknown>>;

export interface Catalog {
  readonly schema: Schema;
  /** What is there but not modelled: never touched. */
  readonly leftAlone: readonly LeftAlone[];
}

export interface LeftAlone {
  readonly kind: string;
  readonly name: string;
  /** The address of the table it belongs to, if any. */
  readonly table?: string;
}

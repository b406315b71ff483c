import type { ExplainSyntax } from "./explain.js";
import type { TypeWords } from "../../change/widening.js";
import type { TokenRules } from "../../sql/tokens.js";
import type {
  Column,
  DataType,
  Definition,
  Index,
  ObjectDefinition,
  PartKind,
  Rule,
  Schema,
  Table,
} from "../../schema/types.js";
import type { Difference } from "../../lower/differences.js";
import type { AtticSyntax } from "./attic.js";
import type { Retype } from "./retyping.js";
import type { StepSyntax } from "./steps.js";
import type { Cost } from "./costs.js";
import type { Block, Hindrance, RenderPlan, SecondColumn } from "./render-plan.js";

/** One kind of database: everything the rest of the program asks about it, in groups by who asks. */
export interface Dialect {
  readonly name: string;
  /** As its makers write it. */
  readonly title: string;
  /** Whether its databases are on a server, told by a URL; else each is a file. */
  readonly onServer: boolean;
  /** The option of a URL by which its driver takes a socket's path; absent: no server. */
  readonly socketOption?: string;
  /** How its SQL is cut into tokens. */
  readonly tokens: TokenRules;
  readonly names: DialectNames;
  readonly types: DialectTypes;
  readonly render: DialectRender;
  readonly attic: AtticSyntax;
  /** Roles of its servers; absent: it has none. */
  readonly roles?: RoleSyntax;
  readonly catalog: DialectCatalog;
  readonly rows: DialectRows;
}

/** Roles, which belong to a server and not to a database. */
interface RoleSyntax {
  /** A query for all there are, by `name`. */
  readonly all: string;
  /** A query for which role, `role`, has all that another, `has`, has. */
  readonly memberships: string;
  /** What makes one that nobody can log in as. */
  readonly createSql: (role: string) => string;
  /** What gives one all that another has. */
  readonly inheritSql: (role: string, from: string) => string;
  /** Which rows of a table a role sees. Absent: whoever sees one sees all. */
  readonly rows?: RowSyntax;
}

/** Policies, as objects of their own, by which roles see some rows of a table. */
interface RowSyntax {
  readonly sql: (rows: RowsOfRole) => { readonly name: string; readonly sql: string };
  /**
   * What all policies of a table come to: of each role the condition, with columns in placeholders; undefined where they
   * are not such as `sql` makes.
   */
  readonly read: (
    table: Table,
    policies: readonly ObjectDefinition[],
  ) => ReadonlyMap<string, string> | undefined;
}

/** Which rows of a table a role sees. */
export interface RowsOfRole {
  readonly table: string;
  /** Absent: everybody who is none of those, who sees what was seen before. */
  readonly role?: string;
  /** With columns in its placeholders. */
  readonly condition: string;
  /** All roles of which it is said what they see. */
  readonly roles: readonly string[];
}

/** What things may be called. */
interface DialectNames {
  /** A name as SQL quotes it. */
  readonly quote: (name: string) => string;
  /** Words that are names only in quotes, in small letters. */
  readonly reserved: ReadonlySet<string>;
  /** How long a name may be, in bytes; longer ones are cut. Absent: any length. */
  readonly limit?: number;
  /** Why a name cannot be held; undefined when it can. */
  readonly cannotHold: (name: string) => string | undefined;
  /** Of which kinds of parts names are told apart across tables, and whether from names of tables too. */
  readonly shared: { readonly kinds: readonly PartKind[]; readonly tables: boolean };
}

/** How schemas, types and rules are held. */
interface DialectTypes {
  /** The schema as this dialect holds it: native types, defaults and checks as SQL, names within its limit. */
  readonly settle: (schema: Schema) => Schema;
  /** The inverse, as far as portable words say the same: `settle(raise(p)) = p`. */
  readonly raise: (schema: Schema) => Schema;
  /** A schema read from a database as it may have been sent, where the engine is known to spell that so. */
  readonly unspell: (schema: Schema) => Schema;
  /** A native type in portable words, as far as they say the same. */
  readonly words: (text: string) => TypeWords;
  /** Whether every value of one native type is a value of the other, and comes out of it as it went in. */
  readonly widens: (before: string, after: string) => boolean;
  /**
   * Whether a value of one native type is refused rather than made something else, where it is none of the other, and all
   * that are taken come back as they were by the engine's own rules. Absent: of none that widens does not tell of.
   */
  readonly refusesLoss?: (before: string, after: string) => boolean;
  /** What becomes of a value when its column changes its type. */
  readonly retype: Retype;
  /** A condition that holds of a value that is in the way when its column begins to count. Absent: none is. */
  readonly unfitToCount?: (value: string) => string;
  /** How values are asked for of a column whose type some definitions make; undefined: it is another. Absent: none are made. */
  readonly definedType?: (column: Column, definitions: readonly Definition[]) => DefinedType | undefined;
  /** What of objects there can be, how statements begin that go with one (its notes, its grants), and whether they stand in namespaces. */
  readonly objects: {
    readonly kinds: readonly ObjectDefinition["kind"][];
    readonly alongside?: RegExp;
    readonly namespaces: boolean;
  };
  /** What may be said in `options` of a table, of a column, and of a key, a constraint or an index. */
  readonly options: Readonly<Record<"table" | "column" | "part", readonly string[]>>;
  /** Whether a type that says how long a text, or how large a number, may be holds it to that. */
  readonly holdsSizes: boolean;
  /** What comes of texts and bytes of any length in a key, and in a unique constraint, where that is not as elsewhere. */
  readonly ofAnyLength?: { readonly key: string; readonly unique: string };
  /** What of a column's ways to get its values this dialect does not have. */
  readonly lacks: {
    /** Counting in a column that is no key. */
    readonly countingBesideKey?: string;
    /** The same, where no index begins with it either. */
    readonly countingUnindexed?: string;
    /** Counting that lets nobody give a value. */
    readonly countingAlways?: string;
    /** Columns that are worked out when they are read. */
    readonly virtual?: string;
  };
  /** Where columns of a type, whatever their rules, and the program see values otherwise. */
  readonly differences: Readonly<Partial<Record<Difference, readonly DataType["kind"][]>>>;
  /** Why a table, settled, cannot have a column of its; undefined when it can. */
  readonly cannotHoldColumn: (column: Column, table: Table) => string | undefined;
  /** Why this dialect cannot hold a rule; undefined when it can. */
  readonly cannotHold: (rule: Rule) => string | undefined;
  /** The same of an index. */
  readonly cannotHoldIndex: (index: Index) => string | undefined;
}

/** A type that a migration has made, as it is asked for. */
export interface DefinedType {
  /** A value, or each of an array's, as a text, which knows the type's values of before and after. */
  readonly asText: (value: string) => string;
  /** A condition that holds where a value, or one of an array's, is among some literals. */
  readonly holdsOneOf: (value: string, literals: readonly string[]) => string;
}

/** What a server does one way or another, by how the database was made. */
export interface Depending {
  /** Asks how it was. */
  readonly query: string;
  /** The plan as it is there. */
  readonly asThere: (plan: RenderPlan, rows: readonly CatalogRow[]) => RenderPlan;
}

/** Scripts. */
interface DialectRender {
  /** The statements that carry out changes. */
  readonly blocks: (plan: RenderPlan) => Block[];
  /** What of it takes as long as a table has rows, a statement each. @param blocks those of the plan */
  readonly costs: (plan: RenderPlan, blocks: readonly Block[]) => readonly Cost[];
  /** What of a plan depends on how a database was made, which no migration says. Absent: nothing does. */
  readonly depending?: Depending;
  /** What somebody who runs a script by hand must know, a line each. */
  readonly scriptNotes: (blocks: readonly Block[]) => string[];
  /** Names of what hangs on tables and comes from the schema: a rebuild may take it along without putting it back. */
  readonly managedObjectNames: (schema: Schema) => string[];
  /** Drops a view that somebody else has made, and views upon it. */
  readonly dropView: (kind: string, address: string) => string;
  /** Of an engine that commits each statement by itself, how those of a script are told. Absent: a script is one transaction. */
  readonly steps?: StepSyntax;
  /** How a plan is carried out while others write. Absent: there is one writer only. */
  readonly online?: OnlineRender;
}

/** Plans that are carried out step by step while others write. */
interface OnlineRender {
  /** What of a plan cannot be done so; none: all of it can. */
  readonly hindrances: (plan: RenderPlan) => readonly Hindrance[];
  /** The columns that change by way of a second one. Absent: none does. */
  readonly seconds?: (plan: RenderPlan) => readonly SecondColumn[];
  /** Statements that take away what a run that stopped may leave behind, and no schema tells. */
  readonly tidy: (plan: RenderPlan) => readonly string[];
  /** The table and the column, quoted, of an update that gives a value to all rows that have none; undefined: it is none such. */
  readonly fills: (sql: string) => { readonly table: string; readonly column: string } | undefined;
  readonly steps: StepSyntax;
}

/** What a database says of itself. */
interface DialectCatalog {
  /** The queries that read it: always as many, whatever the number of tables. */
  readonly queries: readonly string[];
  /** One more, where the rows of those say that there is something to ask for. Absent: there never is. */
  readonly further?: (results: readonly (readonly CatalogRow[])[]) => string | undefined;
  /** What their rows say, a list for each query. */
  readonly read: (results: readonly (readonly CatalogRow[])[]) => Catalog;
  /** A query that gives a row where the database holds anything that a table could be in the way of. */
  readonly anyTable: string;
  /** A query for tables that surely have no rows, name and namespace, where planning to count them takes long. */
  readonly emptyTables?: string;
  /** A query for about how many `rows` each table has, where the engine keeps that, and how many `bytes`. Absent: they are counted. */
  readonly sizes?: string;
  /** Whether the engine gives expressions back in its own spelling rather than as they were sent. */
  readonly respells: boolean;
  /** Whether the order in which a table's constraints were made can be seen. */
  readonly keepsOrder: boolean;
}

/** Values and rows: written, read and copied. */
export interface DialectRows {
  /** A value as SQL writes it. */
  readonly literalSql: (value: string | number | boolean) => string;
  /** Bytes as SQL writes them, from hexadecimal digits. */
  readonly bytesLiteral: (digits: string) => string;
  /** What stands behind SELECT where nearly as many groups as rows come out. Absent: nothing need be said. */
  readonly manyGroups?: string;
  /** The first rows of a query of which few come out, or none, so that all is read for them. Absent: `LIMIT` says it. */
  readonly fewOf?: (sql: string, most: number) => string;
  /** How long all that a row, called t, holds is as text, by its columns, quoted. */
  readonly lengthSql: (columns: readonly string[]) => string;
  /** What follows `INSERT INTO t` for a row of which nothing is said. */
  readonly emptyRow: string;
  /** What follows an `INSERT` of a row for one column of it to take the place of that of a row there is, of the same key. */
  readonly orReplace: (key: string, column: string) => string;
  /** A statement after which a session holds references; absent: it does. */
  readonly checked?: string;
  /**
   * A count, `n`, that a value may make the engine refuse rather than answer, in two statements: the second gives it.
   * Where it is refused, the rows of a table, called t, are counted of which a condition holds or is refused; without
   * one, it is 0. Absent: nothing makes the engine refuse.
   */
  readonly countGuarded?: (count: string, oneByOne?: RowCondition) => GuardedCount;
  /** An aggregate: all pairs of two columns as one JSON text. Row by row, a driver may take longer than the database. */
  readonly jsonPairs: (first: string, second: string) => string;
  /** A statement that takes all rows out of a table. */
  readonly emptySql: (table: string) => string;
  readonly explain: ExplainSyntax;
  /** How rows are copied as they are. */
  readonly copying: CopySyntax;
  /** The usual driver, and what it gives for a type in TypeScript where that is not what the type says. */
  readonly driver: { readonly name: string; readonly types: Partial<Record<DataType["kind"], string>> };
}

/** A condition on the rows of a table, called t. */
export interface RowCondition {
  readonly table: string;
  readonly condition: string;
  /** What is to be seen of the first few of them, as SQL. */
  readonly shown?: readonly string[];
}

/** Two statements of one session; neither changes anything. */
export interface GuardedCount {
  readonly before: string;
  /** Gives the count, `n`, and as `seen`, JSON, what is to be seen of the first few rows, where they were looked at one by one. */
  readonly sql: string;
}

/** What a dialect says of copying rows from one database to another. */
interface CopySyntax {
  /** A column in a SELECT, so that a literal of what the driver gives is its value again. */
  readonly exactly: (column: Column) => string;
  /** What stands before VALUES or SELECT, so that columns that count take the values that are given. */
  readonly overriding: string;
  /** Statements between which references are not checked; absent: they must go, and come back. */
  readonly unchecked?: { readonly start: string; readonly end: string };
  /** Statements behind the rows of a table: what counts goes on behind them. */
  readonly after: (table: Table) => string[];
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

/**
 * Every failure the program can report, in one catalogue: a stable code, the exit status it leads to, and its words
 * (what happened, the value received, what is valid, how to repair). They speak of things: how a thing is done on the
 * command line, cli/words says. docs/errors.md lists the same codes; a code that is retired is never given to another
 * failure.
 */

import type { Direction } from "./direction.js";

/** 2: the input is wrong. 3: stopped for safety, nothing changed. 4: the database refused or failed. 70: our fault. */
type ExitStatus = 2 | 3 | 4 | 70;

export interface Words {
  /** What happened, as a sentence without its full stop. */
  readonly what: string;
  readonly received?: string;
  readonly valid?: string;
  readonly repair?: string;
  /** Further lines, such as one for each finding. */
  readonly details?: readonly string[];
  readonly file?: string;
  /** From 1. */
  readonly line?: number;
}

/** A failure with everything a person or a program needs to know of it. */
export class Problem extends Error {
  /** Migrations that ran, or were undone, before it happened: they stay so. */
  ran: readonly string[] = [];

  constructor(
    readonly code: string,
    readonly exit: ExitStatus,
    readonly words: Words,
    /** What the words were made of; what speaks of options words it for the command line: src/cli/words. */
    readonly values: unknown,
    cause?: unknown,
  ) {
    super(words.what, cause === undefined ? undefined : { cause });
    this.name = "Problem";
  }
}

export interface CatalogueEntry<V> {
  (values: V, cause?: unknown): Problem;
  readonly code: string;
  readonly exit: ExitStatus;
}

function define<V>(code: string, exit: ExitStatus, word: (values: V) => Words): CatalogueEntry<V> {
  return Object.assign((values: V, cause?: unknown) => new Problem(code, exit, word(values), values, cause), {
    code,
    exit,
  });
}

interface InFile {
  readonly file: string;
  readonly line?: number;
}

/** Each migration is a whole: those that ran before one was refused stay. */
const soFar = (before: readonly string[]) =>
  before.length === 0 ? "nothing was changed" : `${before.join(", ")} ran before it and stay`;

/** A migration, or what is done at once. */
const doer = ({ migration }: { readonly migration?: string }) =>
  migration === undefined ? "This" : `Migration ${migration}`;

const location = ({ file, line }: InFile) => ({ file, ...(line !== undefined && { line }) });

/** Usage, config and the project's folder. */
const project = {
  usage: define("E100", 2, (v: { what: string; command?: string }) => ({
    what: v.what,
  })),
  noConfig: define("E101", 2, (v: { folder: string }) => ({
    what: "No emberset.config.ts here or in any folder above",
    received: v.folder,
    repair: "make a project here, or name the folder of one",
  })),
  unreadableConfig: define("E102", 2, (v: InFile & { reason: string }) => ({
    what: `The config cannot be read: ${v.reason}`,
    repair: "correct the file; it must compile as TypeScript and export its project as default",
    ...location(v),
  })),
  wrongConfig: define("E103", 2, (v: InFile & { faults: readonly string[] }) => ({
    what:
      v.faults.length === 1
        ? "A setting in the config is wrong"
        : `${v.faults.length} settings in the config are wrong`,
    details: v.faults,
    repair: "correct the file; docs/guide.md lists every setting",
    ...location(v),
  })),
  unknownTarget: define("E104", 2, (v: { name: string; known: readonly string[] }) => ({
    what: "There is no such target",
    received: v.name,
    valid: v.known.join(", "),
    repair: "name one of these, or add it to the config",
  })),
  fileExists: define("E105", 2, (v: { file: string }) => ({
    what: "A project is here already, and init never writes over a file",
    file: v.file,
    repair: "choose another folder, or remove the file first",
  })),
  unknownPoint: define("E106", 2, (v: { point: string; numbers: string }) => ({
    what: "There is no such point to compare",
    received: v.point,
    valid: `models, history, empty, target:NAME, or a migration's number${v.numbers && ` (${v.numbers})`}`,
  })),
  unknownTable: define("E107", 2, (v: { table: string; known: readonly string[] }) => ({
    what: "There is no such table in the database",
    received: v.table,
    valid: v.known.length > 0 ? v.known.join(", ") : "the database has no tables yet",
  })),
  unknownMigration: define("E108", 2, (v: { number: string; valid: string }) => ({
    what: "There is no such migration",
    received: v.number,
    valid: v.valid,
  })),
  nothingToAmend: define("E109", 2, (v: { folder: string }) => ({
    what: "There is no migration to amend yet",
    received: v.folder,
    repair: "draft the first one",
  })),
  wrongRename: define("E110", 2, (v: { rename: string; reason: string }) => ({
    what: `A rename cannot be meant: ${v.reason}`,
    received: v.rename,
    valid: "old_table=new_table, or table.old_column=table.new_column",
  })),
  notEmpty: define("E111", 2, (v: { migrations: number; models: readonly string[] }) => ({
    what:
      v.migrations > 0
        ? "There are migrations already, and adopt begins a history"
        : "There are models already, and adopt never writes over one",
    details: v.models,
    repair:
      v.migrations > 0
        ? "take in what the database has beyond the migrations as drift"
        : "move them away, adopt, and take over by hand what they said",
  })),
  nothingToAdopt: define("E112", 2, (v: { target: string; label: string; drift: boolean }) => ({
    what: v.drift ? "There is no drift to take in" : "The database has no tables to adopt",
    received: `${v.target}: ${v.label}`,
    repair: v.drift ? "nothing needs to be done" : "name another target, or begin with models and a draft",
  })),
  hiddenModels: define("E113", 2, (v: { files: readonly string[]; patterns: readonly string[] }) => ({
    what: "The models would not be found where adopt writes them",
    details: v.files,
    received: `models: ${JSON.stringify(v.patterns)}`,
    repair: 'say models: ["models/**/*.ts"] in the config, so that folders for namespaces are read too',
  })),
  wrongPhrase: define("E114", 2, (v: { phrase: string; at: number; what: string; valid: string }) => ({
    what: v.what,
    details: [v.phrase, `${" ".repeat(v.at)}^`],
    valid: v.valid,
    repair: 'write the phrase as a column of a CREATE TABLE: "title varchar(80) unique"; nothing was written',
  })),
  wrongOutline: define("E115", 2, (v: { file: string; faults: readonly string[] }) => ({
    what: "The outline cannot be read; nothing was written",
    file: v.file,
    details: v.faults,
    repair:
      "correct these rows: the columns are table, field, type, refers to, note, with a heading for each",
  })),
  unknownEntity: define("E116", 2, (v: { name: string; known: readonly string[] }) => ({
    what: "There is no such entity to refer to; nothing was written",
    received: v.name,
    valid: v.known.length > 0 ? v.known.join(", ") : "no entity yet",
    repair: "sketch it first, or put both into one outline",
  })),
  wrongEntityName: define("E117", 2, (v: { name: string }) => ({
    what: "This cannot be the name of an entity",
    received: v.name,
    valid: "a class name such as Piece or KilnLog",
  })),
  wrongFill: define("E118", 2, (v: { fill: string; reason: string }) => ({
    what: `A value for rows that exist cannot be meant: ${v.reason}`,
    received: v.fill,
    valid: "table.column=value, the value one of the column's type",
    repair: 'an expression belongs into the model: @Field({ fill: sql("…") })',
  })),
  brokenOff: define("E119", 3, () => ({
    what: "The question was broken off; nothing was written",
    repair: "answer it, or say it beforehand",
  })),
  otherDialect: define("E120", 2, (v: { source: string; target: string; dialect: string }) => ({
    what: `The rows of target ${v.source} cannot be rehearsed with on ${v.target}, which is a database of another kind`,
    received: v.source,
    valid: `a target on ${v.dialect}`,
    repair: "name no target: the scratch database is then made beside the one that the rows come from",
  })),
  builtUpon: define("E121", 3, (v: { migration: string; newest: string }) => ({
    what: `What migration ${v.migration} really does cannot be written down: others build on what it records; nothing was changed`,
    received: v.migration,
    valid: `the newest: ${v.newest}`,
    repair:
      "correct its script, so that it does what is recorded; and add what else is wanted in a new migration",
  })),
  noUrl: define("E122", 2, (v: { dialect: string }) => ({
    what: "A target on a server needs the URL of its database; nothing was written",
    received: v.dialect,
    valid: `${v.dialect}://user@host/database`,
  })),
  noAccess: define("E123", 2, (v: { file: string; reason: string }) => ({
    what: `A file or folder cannot be used: ${v.reason}`,
    file: v.file,
    repair: "see that it is what its place needs, and that you may read and write there; then run again",
  })),
  unsetUrl: define("E124", 2, (v: { target: string; variables: readonly string[] }) => ({
    what: `Target ${v.target} has no URL here`,
    ...(v.variables.length > 0 && { received: `not set: ${v.variables.join(", ")}` }),
    repair: "set the variable, in the environment or in .env beside the config; or name another target",
  })),
  brokenOffByLoading: define("E125", 2, () => ({
    what: "The command was broken off before its end",
    repair:
      "see what the config or a model file does where it is loaded: it waits for what never comes, or ends the process",
  })),
  stoppedByCaller: define("E126", 3, (v: { target: string }) => ({
    what: `Stopped on target ${v.target}, as was asked for: what was not at its end there is undone, or goes on with the next run`,
    repair: "see what is there; the same again does the rest",
  })),
  manyDatabases: define("E127", 2, (v: { target: string; databases: readonly string[] }) => ({
    what: `Target ${v.target} is many databases, and this is done on one`,
    valid: `${v.databases.slice(0, 5).join(", ")}${v.databases.length > 5 ? `, … (${v.databases.length} of them)` : ""}`,
    repair: "name one of these",
  })),
  wrongList: define("E128", 2, (v: { target: string; reason: string }) => ({
    what: `It cannot be told which databases target ${v.target} is: ${v.reason}`,
    repair: "correct its `files` or `urls` in the config, or what its query asks",
  })),
  oneDatabase: define("E129", 2, (v: { target: string }) => ({
    what: `Target ${v.target} is one database: there is none that it could differ from`,
    repair: "name a target that is many",
  })),
  unknownChart: define("E130", 2, (v: { file: string; endings: readonly string[] }) => ({
    what: "It cannot be told from its ending what kind of chart the file is to be",
    received: v.file,
    valid: v.endings.join(", "),
    repair: "name a file with one of these endings",
  })),
  notInChart: define("E131", 2, (v: { name: string; known: readonly string[] }) => ({
    what: "There is no such table in the chart",
    received: v.name,
    valid: `${v.known.slice(0, 12).join(", ")}${v.known.length > 12 ? `, … (${v.known.length} of them)` : ""}`,
    repair: "name tables or their classes with blanks between them, or the beginning of some with a *",
  })),
  emptyChart: define("E132", 2, (v: { point: string }) => ({
    what: `There is nothing to draw: ${v.point} has no tables`,
    repair: "write a model first, or name another version of the schema",
  })),
  noSchemaToFill: define("E133", 3, (v: { target: string; reason: string }) => ({
    what: `The tables of target ${v.target} are not as the migrations here say, so no rows are put into them: ${v.reason}`,
    repair: "run what is pending first, or see how the database differs",
  })),
  wrongRows: define("E134", 2, (v: { details: readonly string[]; more: number }) => ({
    what: "Some rows in the files are none that the tables take, so none was put in",
    details: [...v.details, ...(v.more > 0 ? [`and ${v.more} more`] : [])],
    repair: "correct them and run again",
  })),
  guardedFill: define("E135", 3, (v: { target: string }) => ({
    what: `Target ${v.target} is guarded: no made-up rows are put there without a word`,
    repair: "confirm it by its name if that is meant",
  })),
  wrongCount: define("E136", 2, (v: { received: string }) => ({
    what: "It cannot be told how many rows are meant",
    received: v.received,
    valid: "a number, or a table and a number: 20, pieces=500",
    repair: "write it so",
  })),
  nothingToTry: define("E137", 2, (_: undefined) => ({
    what: "There is no statement to try",
    valid: "SQL as an argument, or a file with some",
    repair: "write a query, such as SELECT * FROM pieces",
  })),
  refusedTry: define("E138", 4, (v: { statement: string; reason: string }) => ({
    what: `The scratch database refuses a statement: ${v.reason}`,
    received: v.statement,
    repair: "correct it and try again; no database of yours was touched",
  })),
  noRole: define("E139", 3, (v: { target: string; roles: readonly string[]; sql: readonly string[] }) => ({
    what: `The server of target ${v.target} lacks roles that the migrations grant something to, or what they have of each other`,
    received: v.roles.join(", "),
    repair: `let somebody who may make them: ${v.sql.join("; ")}`,
  })),
  notOnline: define("E140", 3, (v: { title: string; hindrances: readonly string[] }) => ({
    what: "Not all of this can be done while others write; nothing was drafted",
    received: v.title,
    details: v.hindrances,
    repair: v.hindrances.some(each => each.includes("attic"))
      ? "let what it takes away go for good rather than into the attic; or draft it not online, and run it when writers may wait"
      : "draft it not online, and run it when writers may wait; or leave these for a migration of their own",
  })),
};

/** Model files and what the models say. */
const models = {
  noModels: define("E200", 2, (v: { patterns: readonly string[] }) => ({
    what: "No model files found",
    received: v.patterns.join(", "),
    repair: "write a class with @Stored() in one of these places, or correct `models` in the config",
  })),
  unreadableModel: define("E201", 2, (v: InFile & { reason: string }) => ({
    what: `A model file cannot be read: ${v.reason}`,
    repair: "correct the file and run again",
    ...location(v),
  })),
  failingModel: define("E202", 2, (v: InFile & { reason: string }) => ({
    what: `A model file fails when it is loaded: ${v.reason}`,
    repair: "a model file must load without running anything; correct it and run again",
    ...location(v),
  })),
  wrongModels: define("E203", 2, (v: { findings: readonly string[] }) => ({
    what:
      v.findings.length === 1 ? "The models have an error" : `The models have ${v.findings.length} errors`,
    details: v.findings,
    repair: "correct the models",
  })),
};

/** The folder of migrations. */
const history = {
  brokenMigration: define("E300", 2, (v: InFile & { reason: string }) => ({
    what: `A migration cannot be read: ${v.reason}`,
    repair:
      "take the file back from version control, or delete the migration's folder if it never ran and draft it again",
    ...location(v),
  })),
  gap: define("E301", 2, (v: { missing: string; after: string }) => ({
    what: `Migration ${v.missing} is missing: the folder goes on with ${v.after}`,
    repair:
      "take the missing folder back from version control; if it was removed on purpose, remove those after it too and draft again",
  })),
  doubled: define("E302", 2, (v: { number: string; folders: readonly string[] }) => ({
    what: `Two migrations have the number ${v.number}`,
    received: v.folders.join(" and "),
    repair: "put both sides of the fork in one order: the one that ran nowhere goes behind the other",
  })),
  missingScript: define("E303", 2, (v: InFile & { dialect: string }) => ({
    what: `A migration has no script for ${v.dialect}`,
    repair: "take the file back from version control, or draft the migration again",
    ...location(v),
  })),
  strayFolder: define("E304", 2, (v: { folder: string }) => ({
    what: "A folder among the migrations is not called like one",
    received: v.folder,
    valid: "four digits, a dash and a title: 0001-first-tables",
    repair: "rename it, or move it elsewhere",
  })),
  noTitle: define("E305", 2, (v: { title: string }) => ({
    what: "A migration's title needs at least one letter or digit",
    received: v.title,
    repair: 'say in a few words what it does: "add glaze recipes"',
  })),
  brokenExpression: define("E306", 2, (v: { expression: string }) => ({
    what: "An expression does not end where it should: a bracket, a quote or a comment is left open, or a semicolon stands in it",
    received: v.expression,
    valid: "one expression, with balanced brackets and no semicolon",
    repair: "correct it in the model and draft again; or in migration.json, if somebody changed that",
  })),
};

/** What a database says, and what keeps the program from changing one. */
const database = {
  noDatabase: define("E400", 2, (v: { target: string; label: string; server: boolean }) => ({
    what: `The database of target ${v.target} does not exist yet`,
    received: v.label,
    repair: v.server
      ? "have it made as migrations are run, or correct `url` in the config"
      : "run the migrations, which makes it, or correct `file` in the config",
  })),
  notADatabase: define("E401", 4, (v: { file: string }) => ({
    what: "The file is not an SQLite database",
    file: v.file,
    repair: "correct `file` in the config, or move the file away",
  })),
  cannotOpen: define("E402", 4, (v: { file: string; reason: string }) => ({
    what: `The database cannot be opened: ${v.reason}`,
    file: v.file,
    repair: "see that the folder exists and that you may read and write there",
  })),
  readOnly: define("E403", 4, (v: { label: string; reason?: string }) => ({
    what:
      v.reason === undefined
        ? "The database may only be read"
        : `The database does not allow it: ${v.reason}`,
    received: v.label,
    repair:
      v.reason === undefined
        ? "give yourself the right to write to the file and its folder; nothing was changed"
        : "have that right granted, or use a user that has it (docs/security.md lists what it takes); nothing was changed",
  })),
  locked: define("E404", 4, (v: { target: string; waited: string }) => ({
    what: `Another process is writing to the database of target ${v.target}`,
    received: `waited ${v.waited}`,
    repair: "let it finish and run again, or set a longer `lockTimeout` on the target; nothing was changed",
  })),
  statementFailed: define(
    "E405",
    4,
    (
      v: InFile & {
        migration: string;
        reason: string;
        statement: string;
        repair: string;
        /** Where each statement is committed by itself, and some are. */
        stopped?: { readonly done: number; readonly of: number; readonly direction: Direction };
      },
    ) => ({
      what: v.stopped
        ? `Migration ${v.migration} stopped in statement ${v.stopped.done + 1} of ${v.stopped.of}: ${v.reason}`
        : `Migration ${v.migration} failed, and the database is as it was before it: ${v.reason}`,
      received: v.statement,
      repair: v.stopped
        ? `${v.repair}: it goes on where it stopped, since this kind of database commits each statement by itself`
        : v.repair,
      ...location(v),
    }),
  ),
  queryFailed: define("E406", 4, (v: { reason: string; statement: string }) => ({
    what: `The database refused a query: ${v.reason}`,
    received: v.statement,
  })),
  danglingReferences: define("E407", 4, (v: { migration?: string; references: readonly string[] }) => ({
    what: `${doer(v)} would leave rows that refer to nothing; the database is as it was before it`,
    details: v.references,
    repair: "correct or remove these rows, then run again",
  })),
  brokenView: define("E408", 4, (v: { migration?: string; objects: readonly string[]; reason: string }) => ({
    what: `${doer(v)} would break what is made of its tables; it is as it was before`,
    details: v.objects,
    received: v.reason,
    repair:
      "drop or change these first, or keep what they use; where they have files in `objects`, let those say what there is from now on",
  })),
  transactionInScript: define("E409", 2, (v: InFile & { statement: string }) => ({
    what: "A script may not begin or end a transaction: the program runs each migration in one of its own",
    received: v.statement,
    repair: "take the statement out of the script",
    ...location(v),
  })),
  unreachable: define("E410", 4, (v: { target: string; label: string; reason: string }) => ({
    what: `The server of target ${v.target} cannot be reached: ${v.reason}`,
    received: v.label,
    repair: "see that the server runs and that host and port in `url` are right",
  })),
  notLetIn: define("E411", 4, (v: { target: string; label: string; reason: string }) => ({
    what: `The server of target ${v.target} does not let you in: ${v.reason}`,
    received: v.label,
    repair: "correct the user or password in `url` (or in .env, where it comes from)",
  })),
  tooOld: define("E412", 4, (v: { target: string; version: string; oldest: string }) => ({
    what: `The server of target ${v.target} is too old`,
    received: v.version,
    valid: `${v.oldest} or later`,
    repair: "use a newer server",
  })),
  cutOff: define("E413", 4, (v: { target: string; reason: string; stepwise: boolean }) => ({
    what: `The connection to target ${v.target} was cut: ${v.reason}`,
    repair: v.stepwise
      ? "run the same again: it goes on where it stopped"
      : "look what has run: what was not committed has been undone by the server; what is online goes on where it stopped when it is run again",
  })),
  noScratch: define("E414", 4, (v: { reason?: string; embeddable: boolean }) => ({
    what: `There is no scratch database: the server lets this user make none${v.embeddable ? ", and no embedded PostgreSQL is installed" : ""}`,
    ...(v.reason !== undefined && { received: v.reason }),
    repair: v.embeddable
      ? "install @electric-sql/pglite beside emberset, or give the user the right to create databases"
      : "give the user the right: GRANT ALL PRIVILEGES ON `emberset\\_scratch\\_%`.* TO …; or choose another target",
  })),
  noCatalogRight: define(
    "E415",
    4,
    (v: { target: string; label: string; reason: string; rights?: string }) => ({
      what: `The schema of ${v.target} cannot be read whole: ${v.reason}`,
      received: v.label,
      repair: `use a user who may see all of the schema, such as the one who owns the tables${v.rights === undefined ? "" : `; or ${v.rights}`}`,
    }),
  ),
  noTls: define("E416", 4, (v: { target: string; label: string; reason: string }) => ({
    what: `No safe connection to the server of target ${v.target} comes about: ${v.reason}`,
    received: v.label,
    repair:
      "see that the server offers TLS and that its certificate is one you trust, or change what `url` asks for (sslmode on PostgreSQL, ssl on MariaDB)",
  })),
};

/** Rows that were counted, for programs: some of them, and what shows all. */
export interface FoundRows {
  readonly question: string;
  readonly count: number;
  readonly examples: readonly object[];
  readonly query?: string;
}

/** A run that has begun and is not at its end. */
export interface StoppedRun {
  readonly migration: string;
  readonly direction: Direction;
  /** The statement it stopped in, counted from 1. */
  readonly next: number;
  readonly of: number;
  readonly beganAt: string;
  readonly runBy: string;
  /** Where that statement gives values to rows in pieces: how many have them. */
  readonly rows?: RowsDone;
}

/** How many rows of a table are done, and of about how many. */
export interface RowsDone {
  readonly done: number;
  readonly of: number;
}

/** `, with 430,000 of about 1,000,000 rows filled` */
export function sayFilled(rows: RowsDone | undefined): string {
  const shown = (many: number) => many.toLocaleString("en");
  return rows ? `, with ${shown(rows.done)} of about ${shown(rows.of)} rows filled` : "";
}

/** What gets rows out of a migration's way: to say what those get that have no value, how values become others, or neither. */
export type Cure = "fill" | "convert" | "correct";

/** What a person can say so that rows are not in the way. */
const CURES: readonly (readonly [Cure, string])[] = [
  ["fill", "give the field a `default` or a `fill`"],
  ["convert", "say with `convert` what the values become"],
];

/** @param then what is to be done when that is said */
const curesIn = (cures: ReadonlySet<Cure>, then = "") =>
  `correct these rows${CURES.flatMap(([cure, words]) => (cures.has(cure) ? [`, or ${words}${then}`] : [])).join("")}`;

/** Stopped for safety. */
const safety = {
  edited: define("E500", 3, (v: { target?: string; migrations: readonly string[] }) => ({
    what:
      v.target === undefined
        ? "A script of an earlier migration was edited: what it does would be taken for what the newest does"
        : `A script was edited after it ran on target ${v.target}`,
    received: v.migrations.join(", "),
    repair: "take the script back from version control, and put the correction into a new migration",
  })),
  missing: define("E501", 3, (v: { target: string; migrations: readonly string[] }) => ({
    what: `Target ${v.target} has run migrations that are not in this folder`,
    received: v.migrations.join(", "),
    repair: "bring the folder up to date from version control, then run again",
  })),
  rowsRefuse: define(
    "E502",
    3,
    (
      v: InFile & {
        migration: string;
        rows: readonly string[];
        /** The same as data. */
        found?: readonly FoundRows[];
        before: readonly string[];
        direction: Direction;
        cures: ReadonlySet<Cure>;
      },
    ) => ({
      what: `Rows are in the way of migration ${v.migration}; ${soFar(v.before)}`,
      details: v.rows,
      repair:
        v.direction === "forward"
          ? curesIn(v.cures, " and amend the migration")
          : "correct these rows, or write into the back script what they get",
      ...location(v),
    }),
  ),
  wouldLose: define(
    "E503",
    3,
    (v: {
      migration: string;
      target: string;
      losses: readonly string[];
      /** The same as data, where it was counted. */
      found?: readonly FoundRows[];
      guarded: boolean;
      before: readonly string[];
      /** Where each statement is committed by itself, and some are. */
      midst?: boolean;
    }) => ({
      what: `Migration ${v.migration} would take rows or values away from target ${v.target}; ${v.midst ? "it stopped before the statement that does" : soFar(v.before)}`,
      details: v.losses,
      repair: v.guarded
        ? "the target is guarded: confirm it by its name if they may go"
        : "say so if they may go",
    }),
  ),
  nothingToUndo: define("E504", 3, (v: { target: string }) => ({
    what: `No migration has run on target ${v.target}, so there is nothing to undo`,
  })),
  outOfOrder: define("E505", 3, (v: { target: string; pending: string; run: string }) => ({
    what: `Migration ${v.run} ran on target ${v.target} before ${v.pending}, which is still pending`,
    repair: `go back to before ${v.pending}, then run forward`,
  })),
  tableInTheWay: define("E506", 3, (v: { target: string; tables: readonly string[] }) => ({
    what: `Target ${v.target} already has tables that a pending migration makes; nothing was changed`,
    received: v.tables.join(", "),
    repair:
      "use another database, rename or drop these tables there, or call yours otherwise with @Stored({ table }); tables that are to be yours are adopted, before any other migration",
  })),
  ranElsewhere: define("E507", 3, (v: { migration: string; target: string; guarded: boolean }) => ({
    what: `Migration ${v.migration} ran on target ${v.target}${v.guarded ? ", which is guarded" : " too"}; nothing was changed`,
    repair: v.guarded
      ? "draft a new migration with the correction"
      : "undo it there first, or draft a new migration with the correction",
  })),
  handWritten: define("E508", 3, (v: InFile & { migration: string; mayGo?: boolean }) => ({
    what: `A script of migration ${v.migration} was written or changed by hand, and would be lost; nothing was changed`,
    repair: "correct the script by hand, or draft a new migration with the correction",
    ...location(v),
  })),
  amendsToNothing: define("E509", 3, (v: { migration: string }) => ({
    what: `The models say nothing that was not there before migration ${v.migration}; nothing was changed`,
    repair: "if the migration is not wanted, undo it and delete its folder",
  })),
  pendingFirst: define("E510", 3, (v: { target: string; pending: readonly string[] }) => ({
    what: `What ${v.target} has beyond the history cannot be told while migrations are pending there`,
    received: v.pending.join(", "),
    repair: "run them first",
  })),
  notInAttic: define("E511", 3, (v: { migration: string; target: string; addresses: readonly string[] }) => ({
    what: `Migration ${v.migration} cannot go back on target ${v.target}: the attic no longer has what it kept; nothing was changed`,
    details: v.addresses,
    repair:
      "put these tables back from a copy of the database; or write into the back script what is to stand in their place",
  })),
  nothingKept: define("E512", 2, (v: { target: string; wanted: string; kept: readonly string[] }) => ({
    what: `The attic of target ${v.target} has no such thing`,
    received: v.wanted,
    valid: v.kept.length > 0 ? v.kept.join(", ") : "nothing: the attic is empty",
  })),
  wouldPurge: define("E513", 3, (v: { target: string; losses: readonly string[]; guarded: boolean }) => ({
    what: `This would let go of what the attic of target ${v.target} keeps, for good; nothing was changed`,
    details: v.losses,
    repair: v.guarded
      ? "the target is guarded: confirm it by its name if they may go"
      : "say so if they may go",
  })),
  noPlaceLeft: define("E514", 3, (v: { what: string; reason: string; address: string }) => ({
    what: `${v.what} cannot be put back where it was: ${v.reason}; nothing was changed`,
    repair: `bring it back in the models, draft and run a migration, then restore; what is kept can be queried as ${v.address}`,
  })),
  amendedHalfway: define("E515", 4, (v: { migration: string; target: string; reason: Words }) => ({
    what: `Migration ${v.migration} was undone on target ${v.target} and written anew, but did not go forward again`,
    details: [v.reason.what.replace(/;[^]*$/, ""), ...(v.reason.details ?? [])],
    repair: `${v.reason.repair ?? "see what it says"}; then run it forward`,
  })),
  ledgerThere: define("E516", 3, (v: { target: string; label: string; migrations: readonly string[] }) => ({
    what: `Target ${v.target} has a ledger already, of migrations that are not in this folder; nothing was changed`,
    received: `${v.label}: ${v.migrations.join(", ")}`,
    repair:
      "take the migrations' folder from the project that ran them; what the database has beyond them can then be taken in as drift",
  })),
  ranOtherwise: define("E517", 3, (v: { target: string; migration: string; other: string }) => ({
    what:
      v.other === v.migration
        ? `Another process has run ${v.migration} on target ${v.target} with another script; nothing was changed`
        : `Another migration of the same number has run on target ${v.target} meanwhile; nothing was changed`,
    received: `${v.other} ran, ${v.migration} is here`,
    repair:
      "bring the folder up to date from version control; where both are wanted, draft the second one anew",
  })),
  ranMeanwhile: define("E518", 3, (v: { target: string; migration: string; direction: Direction }) => ({
    what: `What ran on target ${v.target} is no longer what it was when this began; ${v.migration} was not ${v.direction === "forward" ? "run" : "undone"}`,
    repair: "another process ran or undid migrations there: see what ran, then do the same again",
  })),
  doneOtherwise: define("E519", 3, (v: InFile & { migration: string; done: number }) => ({
    what: `Migration ${v.migration} stopped in the midst, and the script no longer begins with what is done; nothing was changed`,
    received: `${v.done} statement${v.done === 1 ? "" : "s"} done`,
    repair: "take those back into the script as they were; only what comes after them may be corrected",
    ...location(v),
  })),
  stopped: define("E520", 3, (v: StoppedRun & { target: string }) => ({
    what: `Migration ${v.migration} stopped in statement ${v.next} of ${v.of}${sayFilled(v.rows)} on its way ${v.direction} on target ${v.target}; nothing was changed`,
    received: `began ${v.beganAt}, ${v.runBy}`,
    repair: "let it come to its end first: run forward to go on, or back to undo it",
  })),
  baseline: define("E521", 3, (v: { migration: string; target: string }) => ({
    what: `Migration ${v.migration} is a baseline: on target ${v.target} its tables were there before it, and undoing it would drop them; nothing was changed`,
    repair: "leave it; or say that what was there is to go",
  })),
  noFork: define("E522", 2, (v: { migrations: number }) => ({
    what: "There is no fork: each migration follows another one of its own",
    received: `${v.migrations} migration${v.migrations === 1 ? "" : "s"} in a row`,
  })),
  ranBoth: define("E523", 3, (v: { sides: readonly string[] }) => ({
    what: "A side of the fork that ran cannot go behind the other; nothing was changed",
    details: v.sides,
    repair: "undo it there first, or choose the other",
  })),
  apart: define("E524", 3, (v: { conflicts: readonly string[] }) => ({
    what: "Both sides of the fork change one thing, each in its own way; nothing was changed",
    details: v.conflicts,
    repair:
      "settle in the models what is meant; then take back the migration that ran nowhere, put what is left in order, and draft it again",
  })),
  neverGuarded: define("E525", 3, (v: { target: string; doing: string }) => ({
    what: `Target ${v.target} is guarded, and a guarded target is never ${v.doing}; nothing was changed`,
    repair: "name another target; a guarded one is changed by migrations",
  })),
  wouldGo: define("E526", 3, (v: { target: string; doing: string; losses: readonly string[] }) => ({
    what: `Target ${v.target} would be ${v.doing}, and this would go; nothing was changed`,
    details: v.losses,
    repair: "say that it may go, or leave it",
  })),
  rowsUnlikeModels: define(
    "E527",
    3,
    (v: {
      target: string;
      rows: readonly string[];
      found: readonly FoundRows[];
      cures: ReadonlySet<Cure>;
    }) => ({
      what: `Rows of target ${v.target} do not fit the models; nothing was changed`,
      details: v.rows,
      repair: curesIn(v.cures),
    }),
  ),
  stepFailed: define(
    "E528",
    4,
    (v: {
      target: string;
      doing: string;
      reason: string;
      statement: string;
      repair: string;
      /** How many statements are done and stay; 0: all was undone. */
      done: number;
    }) => ({
      what: `Target ${v.target} could not be ${v.doing}: ${v.reason}; ${v.done === 0 ? "it is as it was before" : `${v.done} statement${v.done === 1 ? " is" : "s are"} done, since this kind of database commits each by itself`}`,
      received: v.statement,
      repair: v.done === 0 ? v.repair : `${v.repair}; the same again goes on from what is there`,
    }),
  ),
  changedMeanwhile: define("E529", 3, (v: { target: string }) => ({
    what: `What target ${v.target} holds changed between the look at it and the lock; nothing was changed`,
    repair: "see what is there now, then do the same again",
  })),
  standsForOthers: define("E530", 3, (v: { migration: string }) => ({
    what: `Migration ${v.migration} stands for others that ran everywhere; nothing was changed`,
    repair: "draft a new migration instead",
  })),
  foldedHalfway: define("E531", 3, (v: { target: string; migration: string; ran: readonly string[] }) => ({
    what: `On target ${v.target} only some of the migrations ran that ${v.migration} stands for; nothing was changed`,
    received: v.ran.join(", "),
    repair: "run the others there first, with the project as it was before they were folded",
  })),
  notEverywhere: define("E532", 3, (v: { target: string; pending: readonly string[] }) => ({
    what: `Not all of what is to be folded ran on target ${v.target}; nothing was changed`,
    received: v.pending.join(", "),
    repair: "run them there first, or fold fewer",
  })),
  unseen: define("E533", 3, (v: { target: string; reason: string }) => ({
    what: `Target ${v.target} cannot be looked at, so it is not known what ran there; nothing was changed`,
    received: v.reason,
    repair: "say that all of it ran there, if so",
  })),
  foldsOtherwise: define(
    "E534",
    3,
    (v: { target: string; dialect: string; differences: readonly string[] }) => ({
      what: `What is to be folded leads to something other than it records on ${v.dialect}; nothing was changed`,
      details: v.differences,
      repair:
        "some script does more than its migration says: write it down in the models first, or fold fewer",
    }),
  ),
};

const ours = {
  fault: define("E900", 70, (v: { reason: string }) => ({
    what: `A fault of Emberset's own: ${v.reason}`,
    repair: "please report it with what you did; the SQL that led to it can be traced",
  })),
  unsaid: define("E901", 70, (v: { differences: readonly string[] }) => ({
    what: "The models that adopt worked out do not say all that the database holds; nothing was written",
    details: v.differences,
    repair: "please report it, with the definitions of these tables",
  })),
};

export const problems = { ...project, ...models, ...history, ...database, ...safety, ...ours };

import type {
  Action,
  Check,
  Column,
  ForeignKey,
  Index,
  IndexPart,
  Key,
  Options,
  Table,
  Unique,
} from "../../schema/types.js";
import { spellExpression } from "../settle.js";
import { meaningfulTokens, nameOf, type Token, type TokenColumns } from "../tokens.js";
import { defaultSqlText } from "./expressions.js";
import { TOKENS } from "./settle.js";
import { NAME } from "./types.js";

/** What the pieces between a table's commas say, by their texts: tables of one hand repeat many to the letter. */
export type Pieces = Map<string, Piece>;

/**
 * Reads a CREATE TABLE as SQLite keeps it (https://sqlite.org/lang_createtable.html). Expressions are cut out whole,
 * never judged. References keep the words they were written in.
 * @param known pieces of tables read before; those of this one are added
 */
export function parseTable(sql: string, known: Pieces = new Map()): Table {
  const { pieces, rest } = cutBody(sql);
  const read = pieces.map(text => {
    const piece = known.get(text) ?? new PieceReader(text).read();
    known.set(text, piece);
    return piece;
  });
  return join(read, readOptions(new Reader(rest)));
}

/** `CREATE TABLE t (a int, b int) STRICT` → `a int`, `b int`; and ` STRICT` */
function cutBody(sql: string): { pieces: string[]; rest: string } {
  const pieces: string[] = [];
  let depth = 0;
  let start = 0;
  // A search for what matters is faster than a walk over all characters, while a program has just begun.
  for (MARKS.lastIndex = 0; MARKS.test(sql);) {
    const at = MARKS.lastIndex - 1;
    const mark = sql[at]!;
    const closed = CLOSED_BY[mark];
    if (closed !== undefined) {
      const end = sql.indexOf(closed, at + 1);
      if (end < 0) break;
      MARKS.lastIndex = end + closed.length;
    } else if (mark === "(") {
      if (depth === 0) start = at + 1;
      depth += 1;
    } else if (mark === "," && depth === 1) {
      pieces.push(sql.slice(start, at).trim());
      start = at + 1;
    } else if (mark === ")") {
      depth -= 1;
      if (depth > 0) continue;
      pieces.push(sql.slice(start, at).trim());
      return { pieces, rest: sql.slice(at + 1) };
    }
  }
  return { pieces, rest: "" };
}

/** Parentheses, commas, and what begins a name, a string or a comment. */
const MARKS = /[(),"'`[]|--|\/\*/g;

/** By the last character of a mark; a doubled quote begins the next name or string at once. */
const CLOSED_BY: Readonly<Record<string, string>> = {
  '"': '"',
  "'": "'",
  "`": "`",
  "[": "]",
  "-": "\n",
  "*": "*/",
};

/** Reads a CREATE INDEX (https://sqlite.org/lang_createindex.html). */
export function parseIndex(sql: string, name: string, columns: readonly Column[]): Index {
  const reader = new Reader(sql);
  reader.skip();
  const unique = reader.takeWords("UNIQUE");
  skipToParenthesis(reader);
  const parts = readIndexedColumns(reader).map(part => indexPart(part, columns));
  const where = reader.takeWords("WHERE") ? reader.textToEnd() : undefined;
  return {
    name,
    parts,
    ...(unique && { unique }),
    ...(where !== undefined && { where: spellExpression(where, columns, TOKENS) }),
  };
}

function skipToParenthesis(reader: Reader): void {
  while (!reader.isSymbol("(") && !reader.isAtEnd()) reader.skip();
}

function indexPart(
  { text, name, collation, descending }: IndexedColumn,
  columns: readonly Column[],
): IndexPart {
  const known = name === undefined ? undefined : columnCalled(name, columns);
  const what = known
    ? { column: known.name }
    : { sql: spellExpression(stripParentheses(text), columns, TOKENS) };
  return { ...what, ...(descending && { descending }), ...(collation !== undefined && { collation }) };
}

/** SQLite tells names apart without regard to case (ASCII). */
function columnCalled(name: string, columns: readonly Column[]): Column | undefined {
  const lower = name.toLowerCase();
  return columns.find(column => column.name === name || column.name.toLowerCase() === lower);
}

export function spelledAs(name: string, columns: readonly Column[]): string {
  return columnCalled(name, columns)?.name ?? name;
}

function stripParentheses(text: string): string {
  return text.startsWith("(") && defaultSqlText(text) === text ? text.slice(1, -1) : text;
}

const CONSTRAINT_WORDS = new Set(["CONSTRAINT", "PRIMARY", "UNIQUE", "CHECK", "FOREIGN"]);
const AFTER_TYPE = new Set([
  "CONSTRAINT",
  "PRIMARY",
  "NOT",
  "NULL",
  "UNIQUE",
  "CHECK",
  "DEFAULT",
  "COLLATE",
  "REFERENCES",
  "GENERATED",
  "AS",
  "ON",
  "DEFERRABLE",
]);

/** A column while it is read: filled in place, since a large catalog has many. */
type ColumnDraft = { -readonly [Fact in keyof Column]: Column[Fact] };

/** Columns and constraints as written; expressions and names wait until all columns of the table are known. */
interface Piece {
  readonly columns: readonly Column[];
  readonly uniques: readonly Unique[];
  readonly foreignKeys: readonly ForeignKey[];
  readonly checks: readonly { readonly name: string; readonly text: string }[];
  readonly key?: Key | undefined;
  /** `INTEGER PRIMARY KEY DESC` is no rowid: https://sqlite.org/lang_createtable.html#rowid */
  readonly descendingKey: boolean;
}

function join(pieces: readonly Piece[], options: Readonly<Record<string, string>>): Table {
  const written: Column[] = [];
  let stated: Piece | undefined;
  for (const piece of pieces) {
    for (const column of piece.columns) written.push(column);
    if (piece.key && !stated) stated = piece;
  }
  const capitals = areCapitals(written);
  const spelled = (name: string) => spelledAs(name, written);
  const spell = (text: string) => spellExpression(text, written, TOKENS);
  const key = stated?.key && { ...stated.key, columns: stated.key.columns.map(spelled) };
  const rowid = options["without rowid"] === undefined && !stated?.descendingKey ? rowidOf(key) : undefined;
  const columns: Column[] = [];
  for (const column of written) {
    const { computed } = column;
    const plain = capitals ? inSmallLetters(column) : column;
    if (computed) columns.push({ ...plain, computed: { ...computed, sql: spell(computed.sql as string) } });
    else columns.push(column.name === rowid && isInteger(column) ? asRowid(plain) : plain);
  }
  const uniques: Unique[] = [];
  const foreignKeys: ForeignKey[] = [];
  const checks: Check[] = [];
  for (const piece of pieces) {
    for (const unique of piece.uniques) uniques.push({ ...unique, columns: unique.columns.map(spelled) });
    for (const each of piece.foreignKeys) foreignKeys.push({ ...each, columns: each.columns.map(spelled) });
    for (const { name, text } of piece.checks)
      checks.push({ name, rules: [{ kind: "sql", sql: spell(text) }] });
  }
  return {
    name: "",
    columns,
    ...(key && { key }),
    uniques,
    indexes: [],
    foreignKeys,
    checks,
    ...withOptions(capitals ? { ...options, types: "capitals" } : options),
  };
}

class PieceReader {
  private readonly columns: Column[] = [];
  private readonly uniques: Unique[] = [];
  private readonly foreignKeys: ForeignKey[] = [];
  private readonly checks: { readonly name: string; readonly text: string }[] = [];
  private key: Key | undefined;
  private descendingKey = false;
  private readonly reader: Reader;

  constructor(text: string) {
    this.reader = new Reader(text);
  }

  /** One column, or constraints: the comma between those may be left out. */
  read(): Piece {
    while (!this.reader.isAtEnd()) {
      if (this.reader.isWord(CONSTRAINT_WORDS)) this.readTableConstraint();
      else this.readColumn();
    }
    const { columns, uniques, foreignKeys, checks, key, descendingKey } = this;
    return { columns, uniques, foreignKeys, checks, key, descendingKey };
  }

  private readColumn(): void {
    const { reader } = this;
    const name = reader.name();
    const type = reader.textUntil(AFTER_TYPE).replace(/\s+/g, " ");
    const column: ColumnDraft = { name, type: { kind: "native", sql: { [NAME]: type } }, nullable: true };
    let constraint = "";
    while (!reader.isAtEnd()) {
      if (reader.takeWords("CONSTRAINT")) constraint = reader.name();
      else {
        this.readColumnConstraint(column, constraint);
        constraint = "";
      }
    }
    this.columns.push(column);
  }

  private readColumnConstraint(column: ColumnDraft, constraint: string): void {
    const { reader } = this;
    // Told by the first word: most columns have few of many.
    const word = reader.word();
    reader.skip();
    switch (word) {
      case "PRIMARY":
        reader.takeWords("KEY");
        this.readInlineKey(column, constraint);
        break;
      case "NOT":
        if (!reader.takeWords("NULL")) break;
        column.nullable = false;
        for (const conflict of Object.values(this.readConflict()))
          column.options = optionsOf({ "not null on conflict": conflict });
        break;
      case "UNIQUE":
        this.uniques.push({ name: constraint, columns: [column.name], ...withOptions(this.readConflict()) });
        break;
      case "CHECK":
        this.checks.push({ name: constraint, text: reader.parenthesized() });
        this.readConflict();
        break;
      case "DEFAULT":
        column.default = { kind: "sql", sql: reader.defaultText() };
        break;
      case "COLLATE":
        column.collation = reader.name();
        break;
      case "REFERENCES":
        this.foreignKeys.push(this.readReference(constraint, [column.name]));
        break;
      case "GENERATED":
        reader.takeWords("ALWAYS", "AS");
        column.computed = this.readComputed();
        break;
      case "AS":
        column.computed = this.readComputed();
        break;
      default:
      // NULL, which says nothing, and whatever a later version knows.
    }
  }

  private readInlineKey(column: ColumnDraft, constraint: string): void {
    const { reader } = this;
    if (reader.takeWords("DESC")) this.descendingKey = true;
    else reader.takeWords("ASC");
    const terms = this.descendingKey ? { terms: JSON.stringify(["DESC"]) } : {};
    this.key = {
      name: constraint,
      columns: [column.name],
      ...withOptions({ ...terms, ...this.readConflict() }),
    };
    if (reader.takeWords("AUTOINCREMENT")) column.identity = "serial";
  }

  private readComputed(): NonNullable<Column["computed"]> {
    const sql = this.reader.parenthesized();
    const stored = this.reader.takeWords("STORED");
    if (!stored) this.reader.takeWords("VIRTUAL");
    return { sql, stored };
  }

  private readTableConstraint(): void {
    const { reader } = this;
    const name = reader.takeWords("CONSTRAINT") ? reader.name() : "";
    if (reader.takeWords("PRIMARY", "KEY")) {
      this.key = { name, ...this.readKeyed() };
    } else if (reader.takeWords("UNIQUE")) {
      this.uniques.push({ name, ...this.readKeyed() });
    } else if (reader.takeWords("CHECK")) {
      this.checks.push({ name, text: reader.parenthesized() });
      this.readConflict();
    } else if (reader.takeWords("FOREIGN", "KEY")) {
      const columns = readIndexedColumns(reader).map(part => part.name ?? part.text);
      if (reader.takeWords("REFERENCES")) this.foreignKeys.push(this.readReference(name, columns));
    } else {
      reader.skip();
    }
  }

  /** The columns of a key or a unique constraint, and how each is compared and sorted where that is unusual. */
  private readKeyed(): Omit<Unique, "name"> {
    const parts = readIndexedColumns(this.reader);
    const columns = parts.map(part => part.name ?? part.text);
    const conflict = this.readConflict();
    if (parts.every(({ collation, descending }) => collation === undefined && !descending))
      return { columns, ...withOptions(conflict) };
    const terms = parts.map(({ collation, descending }) =>
      [collation === undefined ? "" : `COLLATE ${collation}`, descending ? "DESC" : ""]
        .filter(Boolean)
        .join(" "),
    );
    return { columns, ...withOptions({ terms: JSON.stringify(terms), ...conflict }) };
  }

  private readReference(name: string, columns: readonly string[]): ForeignKey {
    const { reader } = this;
    const table = reader.name();
    const referred = reader.isSymbol("(")
      ? readIndexedColumns(reader).map(part => part.name ?? part.text)
      : [];
    const actions: { onDelete: Action; onUpdate: Action } = { onDelete: "no action", onUpdate: "no action" };
    let deferrable: ForeignKey["deferrable"];
    for (;;) {
      if (reader.takeWords("ON", "DELETE")) actions.onDelete = this.readAction();
      else if (reader.takeWords("ON", "UPDATE")) actions.onUpdate = this.readAction();
      else if (reader.takeWords("MATCH")) reader.skip();
      else if (reader.takeWords("NOT", "DEFERRABLE")) void (reader.takeWords("INITIALLY") && reader.skip());
      else if (reader.takeWords("DEFERRABLE")) {
        deferrable = "immediate";
        if (reader.takeWords("INITIALLY") && reader.next().toUpperCase() === "DEFERRED")
          deferrable = "deferred";
      } else break;
    }
    return {
      name,
      columns,
      references: { table, columns: referred },
      ...actions,
      ...(deferrable && { deferrable }),
      ...(referred.length === 0 && withOptions({ columns: "implied" })),
    };
  }

  private readAction(): Action {
    const { reader } = this;
    if (reader.takeWords("SET", "NULL")) return "set null";
    if (reader.takeWords("SET", "DEFAULT")) return "set default";
    if (reader.takeWords("NO", "ACTION")) return "no action";
    return reader.next().toLowerCase() === "cascade" ? "cascade" : "restrict";
  }

  /** ON CONFLICT clauses are SQLite's alone: https://sqlite.org/lang_conflict.html */
  private readConflict(): Record<string, string> {
    if (!this.reader.takeWords("ON", "CONFLICT")) return NO_OPTIONS;
    return { "on conflict": this.reader.next().toLowerCase() };
  }
}

const NO_OPTIONS: Readonly<Record<string, string>> = {};

function withOptions(options: Readonly<Record<string, string>>): { options?: Options } {
  return options !== NO_OPTIONS && Object.keys(options).length > 0 ? { options: optionsOf(options) } : {};
}

function optionsOf(options: Readonly<Record<string, string>>): Options {
  return { [NAME]: options };
}

function typeOf({ type }: Column): string {
  return type.kind === "native" ? (type.sql[NAME] ?? "") : "";
}

/** Many write all types in capitals: kept as a habit of the table, so that a type reads the same everywhere. */
function areCapitals(columns: readonly Column[]): boolean {
  const text = columns.map(typeOf).join("");
  return text === text.toUpperCase() && text !== text.toLowerCase();
}

/** The column that may be the rowid. */
function rowidOf(key: Key | undefined): string | undefined {
  return key?.columns.length === 1 ? key.columns[0] : undefined;
}

function isInteger(column: Column): boolean {
  return typeOf(column).toUpperCase() === "INTEGER";
}

/**
 * The one column of an INTEGER key is the rowid, counted up and never null (https://sqlite.org/rowidtable.html),
 * whether its text says so or not.
 */
function asRowid(column: Column): Column {
  if (column.nullable) return { ...column, nullable: false, identity: column.identity ?? "rowid" };
  return column.identity === undefined ? column : { ...column, options: optionsOf({ "not null": "stated" }) };
}

/** A column whose type is written in capitals; the same one for the same one. */
function inSmallLetters(column: Column): Column {
  const known = smallLetters.get(column);
  if (known) return known;
  const type = { kind: "native", sql: { [NAME]: typeOf(column).toLowerCase() } } as const;
  const changed = { ...column, type };
  smallLetters.set(column, changed);
  return changed;
}

const smallLetters = new WeakMap<Column, Column>();

function readOptions(reader: Reader): Record<string, string> {
  const options: Record<string, string> = {};
  while (!reader.isAtEnd()) {
    if (reader.takeWords("WITHOUT", "ROWID")) options["without rowid"] = "yes";
    else if (reader.takeWords("STRICT")) options["strict"] = "yes";
    else reader.skip();
  }
  return options;
}

interface IndexedColumn {
  /** As written, without collation and direction. */
  readonly text: string;
  /** When it is a plain name. */
  readonly name?: string;
  readonly collation?: string;
  readonly descending?: boolean;
}

const AFTER_TERM = new Set(["COLLATE", "ASC", "DESC"]);

/** `(a, b COLLATE nocase DESC, lower(c))` */
function readIndexedColumns(reader: Reader): IndexedColumn[] {
  const parts: IndexedColumn[] = [];
  reader.skip();
  while (!reader.isSymbol(")") && !reader.isAtEnd()) {
    if (reader.takeSymbol(",")) continue;
    const kind = reader.kind();
    const first = reader.text();
    const text = reader.textUntil(AFTER_TERM);
    const plain = first === text && (kind === "word" || kind === "name" || kind === "string");
    const part: { -readonly [Fact in keyof IndexedColumn]: IndexedColumn[Fact] } = { text };
    if (plain) part.name = nameOf({ kind, text });
    if (reader.takeWords("COLLATE")) part.collation = reader.name();
    if (reader.takeWords("DESC")) part.descending = true;
    else reader.takeWords("ASC");
    parts.push(part);
  }
  reader.skip();
  return parts;
}

/** Walks over the tokens that mean something. */
class Reader {
  private readonly tokens: TokenColumns;
  /** The tokens that are words, in capitals; "" for any other. */
  private readonly words: string[];
  private at = 0;

  constructor(private readonly sql: string) {
    this.tokens = meaningfulTokens(sql, TOKENS);
    const { kinds, starts, ends } = this.tokens;
    this.words = kinds.map((kind, at) =>
      kind === "word" ? sql.slice(starts[at], ends[at]).toUpperCase() : "",
    );
  }

  /** The next word in capitals; "" when something else comes next. */
  word(): string {
    return this.words[this.at] ?? "";
  }

  /** The next token's text; "" at the end. */
  text(): string {
    return this.isAtEnd() ? "" : this.sql.slice(this.tokens.starts[this.at], this.tokens.ends[this.at]);
  }

  kind(): Token["kind"] | undefined {
    return this.tokens.kinds[this.at];
  }

  skip(): void {
    this.at += 1;
  }

  /** Takes the next token. @returns its text; "" at the end */
  next(): string {
    const text = this.text();
    this.at += 1;
    return text;
  }

  isAtEnd(): boolean {
    return this.at >= this.tokens.kinds.length;
  }

  /** @param symbol one character */
  isSymbol(symbol: string): boolean {
    return this.kind() === "symbol" && this.sql[this.tokens.starts[this.at]!] === symbol;
  }

  takeSymbol(symbol: string): boolean {
    const found = this.isSymbol(symbol);
    if (found) this.at += 1;
    return found;
  }

  isWord(words: ReadonlySet<string>): boolean {
    return words.has(this.word());
  }

  /** Takes these words if they come next, all or none. */
  takeWords(first: string, second?: string, third?: string): boolean {
    const { words, at } = this;
    if (words[at] !== first) return false;
    if (second !== undefined && words[at + 1] !== second) return false;
    if (third !== undefined && words[at + 2] !== third) return false;
    this.at += third === undefined ? (second === undefined ? 1 : 2) : 3;
    return true;
  }

  /** A name, however it is quoted; SQLite takes a string for one too. */
  name(): string {
    const kind = this.kind();
    return kind === undefined ? "" : nameOf({ kind, text: this.next() });
  }

  /** The text up to a word that ends it, or a comma or closing parenthesis at this level. */
  textUntil(words: ReadonlySet<string>): string {
    const from = this.at;
    for (let depth = 0; !this.isAtEnd(); this.at += 1) {
      if (depth === 0 && (words.has(this.word()) || this.isSymbol(",") || this.isSymbol(")"))) break;
      if (this.isSymbol("(")) depth += 1;
      else if (this.isSymbol(")")) depth -= 1;
    }
    const { starts, ends } = this.tokens;
    return this.at === from ? "" : this.sql.slice(starts[from], ends[this.at - 1]);
  }

  textToEnd(): string {
    const start = this.tokens.starts[this.at];
    this.at = this.tokens.kinds.length;
    return start === undefined ? "" : this.sql.slice(start).replace(/;\s*$/, "").trim();
  }

  /** What stands between a parenthesis and the one that closes it. */
  parenthesized(): string {
    const { starts, ends } = this.tokens;
    const open = ends[this.at];
    let depth = 0;
    for (; !this.isAtEnd(); this.at += 1) {
      if (this.isSymbol("(")) depth += 1;
      else if (this.isSymbol(")")) depth -= 1;
      if (depth === 0) {
        this.at += 1;
        return this.sql.slice(open, starts[this.at - 1]).trim();
      }
    }
    return "";
  }

  /** A default: a literal with its sign, a word, or an expression in parentheses. */
  defaultText(): string {
    if (this.isSymbol("(")) return `(${spellExpression(this.parenthesized(), [], TOKENS)})`;
    const sign = this.isSymbol("-") || this.isSymbol("+") ? this.next() : "";
    const isBlob = this.word() === "X";
    const text = this.next();
    return sign + (isBlob && this.kind() === "string" ? text + this.next() : text);
  }
}

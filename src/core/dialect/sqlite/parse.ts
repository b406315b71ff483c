import type {
  Action,
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
import { kindOf, meaningfulTokens, nameOf, type Token, type TokenColumns } from "../tokens.js";
import { defaultSqlText } from "./expressions.js";
import { TOKENS } from "./settle.js";
import { NAME } from "./types.js";

/** What the columns between tables' commas say, by their texts: tables of one hand repeat many to the letter. */
export type Pieces = Map<string, Piece>;

/**
 * Reads a CREATE TABLE as SQLite keeps it (https://sqlite.org/lang_createtable.html). Expressions are cut out whole,
 * never judged. References keep the words they were written in.
 * @param known columns of tables read before; those of this one are added
 */
export function parseTable(sql: string, known: Pieces = new Map()): Table {
  const { pieces, rest } = cutBody(sql);
  const written = emptyPiece();
  for (const text of pieces) {
    const before = known.get(text);
    if (before) {
      append(before, written);
      continue;
    }
    const reader = new Reader(text);
    // Constraints have names of their own in each table: to keep them would only take room.
    if (reader.isWord(CONSTRAINT_WORDS)) readPiece(reader, written);
    else {
      const piece = emptyPiece();
      readPiece(reader, piece);
      known.set(text, piece);
      append(piece, written);
    }
  }
  return complete(written, rest === "" ? NO_OPTIONS : readOptions(new Reader(rest)));
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

/** SQLite tells names apart without regard to case (ASCII). Most are spelled alike, which is told much faster. */
function columnCalled(name: string, columns: readonly Column[]): Column | undefined {
  for (const column of columns) if (column.name === name) return column;
  const lower = name.toLowerCase();
  return columns.find(column => column.name.toLowerCase() === lower);
}

/** Names as the columns spell them; the same list when they do already. */
export function spelledAs(names: readonly string[], columns: readonly Column[]): readonly string[] {
  const spelled = names.map(name => columnCalled(name, columns)?.name ?? name);
  return spelled.every((name, at) => name === names[at]) ? names : spelled;
}

function withSpelled<T extends Key | Unique | ForeignKey>(part: T, columns: readonly Column[]): T {
  const spelled = spelledAs(part.columns, columns);
  return spelled === part.columns ? part : { ...part, columns: spelled };
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
interface PieceDraft {
  readonly columns: Column[];
  readonly uniques: Unique[];
  readonly foreignKeys: ForeignKey[];
  readonly checks: { readonly name: string; readonly text: string }[];
  key: Key | undefined;
  /** `INTEGER PRIMARY KEY DESC` is no rowid: https://sqlite.org/lang_createtable.html#rowid */
  descendingKey: boolean;
}

type Piece = Readonly<PieceDraft>;

function emptyPiece(): PieceDraft {
  return { columns: [], uniques: [], foreignKeys: [], checks: [], key: undefined, descendingKey: false };
}

function append(piece: Piece, to: PieceDraft): void {
  for (const column of piece.columns) to.columns.push(column);
  for (const unique of piece.uniques) to.uniques.push(unique);
  for (const foreignKey of piece.foreignKeys) to.foreignKeys.push(foreignKey);
  for (const check of piece.checks) to.checks.push(check);
  if (!piece.key) return;
  to.key = piece.key;
  to.descendingKey = piece.descendingKey;
}

/** The table once all its columns are known, which expressions and names are spelled by. */
function complete(written: Piece, options: Readonly<Record<string, string>>): Table {
  const capitals = areCapitals(written.columns);
  const spell = (text: string) => spellExpression(text, written.columns, TOKENS);
  const key = written.key && withSpelled(written.key, written.columns);
  const rowid = options["without rowid"] === undefined && !written.descendingKey ? rowidOf(key) : undefined;
  const columns = written.columns.map(column => {
    const { computed } = column;
    const plain = capitals ? inSmallLetters(column) : column;
    if (computed) return { ...plain, computed: { ...computed, sql: spell(computed.sql as string) } };
    return column.name === rowid && isInteger(column) ? asRowid(plain) : plain;
  });
  return {
    name: "",
    columns,
    ...(key && { key }),
    uniques: written.uniques.map(unique => withSpelled(unique, written.columns)),
    indexes: [],
    foreignKeys: written.foreignKeys.map(foreignKey => withSpelled(foreignKey, written.columns)),
    checks: written.checks.map(({ name, text }) => ({ name, rules: [{ kind: "sql", sql: spell(text) }] })),
    ...withOptions(capitals ? { ...options, types: "capitals" } : options),
  };
}

/** One column, or constraints: the comma between those may be left out. */
function readPiece(reader: Reader, piece: PieceDraft): void {
  const pieceReader = new PieceReader(reader, piece);
  while (!reader.isAtEnd()) {
    if (reader.isWord(CONSTRAINT_WORDS)) pieceReader.readTableConstraint();
    else pieceReader.readColumn();
  }
}

class PieceReader {
  constructor(
    private readonly reader: Reader,
    private readonly piece: PieceDraft,
  ) {}

  readColumn(): void {
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
    this.piece.columns.push(column);
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
        this.piece.uniques.push({
          name: constraint,
          columns: [column.name],
          ...withOptions(this.readConflict()),
        });
        break;
      case "CHECK":
        this.piece.checks.push({ name: constraint, text: reader.parenthesized() });
        this.readConflict();
        break;
      case "DEFAULT":
        column.default = { kind: "sql", sql: reader.defaultText() };
        break;
      case "COLLATE":
        column.collation = reader.name();
        break;
      case "REFERENCES":
        this.piece.foreignKeys.push(this.readReference(constraint, [column.name]));
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
    const descending = reader.takeWords("DESC");
    if (descending) this.piece.descendingKey = true;
    else reader.takeWords("ASC");
    const terms = descending ? { terms: JSON.stringify(["DESC"]) } : {};
    this.piece.key = {
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

  readTableConstraint(): void {
    const { reader, piece } = this;
    const name = reader.takeWords("CONSTRAINT") ? reader.name() : "";
    const word = reader.word();
    reader.skip();
    switch (word) {
      case "PRIMARY":
        reader.takeWords("KEY");
        piece.key = { name, ...this.readKeyed() };
        break;
      case "UNIQUE":
        piece.uniques.push({ name, ...this.readKeyed() });
        break;
      case "CHECK":
        piece.checks.push({ name, text: reader.parenthesized() });
        this.readConflict();
        break;
      case "FOREIGN": {
        reader.takeWords("KEY");
        const columns = readIndexedColumns(reader).map(part => part.name ?? part.text);
        if (reader.takeWords("REFERENCES")) piece.foreignKeys.push(this.readReference(name, columns));
        break;
      }
      default:
      // Whatever a later version knows.
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
    while (!reader.isAtEnd()) {
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
  let found = false;
  for (const column of columns) {
    const type = typeOf(column);
    if (type !== type.toUpperCase()) return false;
    found ||= type !== type.toLowerCase();
  }
  return found;
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
  private at = 0;

  constructor(private readonly sql: string) {
    this.tokens = meaningfulTokens(sql, TOKENS);
  }

  /** The next token's text; "" at the end. */
  text(): string {
    return this.tokens.texts[this.at] ?? "";
  }

  /** The same in capitals, which tell a word from any name and string. */
  word(): string {
    return this.text().toUpperCase();
  }

  kind(): Token["kind"] | undefined {
    return this.isAtEnd() ? undefined : kindOf(this.text(), TOKENS);
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
    return this.at >= this.tokens.texts.length;
  }

  /** @param symbol one character */
  isSymbol(symbol: string): boolean {
    return this.tokens.texts[this.at] === symbol;
  }

  takeSymbol(symbol: string): boolean {
    const found = this.isSymbol(symbol);
    if (found) this.at += 1;
    return found;
  }

  isWord(words: ReadonlySet<string>): boolean {
    return words.has(this.word());
  }

  /** Takes these words if they come next, both or none. */
  takeWords(first: string, second?: string): boolean {
    if (this.word() !== first) return false;
    if (second === undefined) {
      this.at += 1;
      return true;
    }
    if (this.tokens.texts[this.at + 1]?.toUpperCase() !== second) return false;
    this.at += 2;
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
      if (depth === 0 && (this.isWord(words) || this.isSymbol(",") || this.isSymbol(")"))) break;
      if (this.isSymbol("(")) depth += 1;
      else if (this.isSymbol(")")) depth -= 1;
    }
    const { texts, starts } = this.tokens;
    if (this.at - from < 2) return this.at === from ? "" : texts[from]!;
    return this.sql.slice(starts[from], starts[this.at - 1]! + texts[this.at - 1]!.length);
  }

  textToEnd(): string {
    const start = this.tokens.starts[this.at];
    this.at = this.tokens.texts.length;
    return start === undefined ? "" : this.sql.slice(start).replace(/;\s*$/, "").trim();
  }

  /** What stands between a parenthesis and the one that closes it. */
  parenthesized(): string {
    const { starts } = this.tokens;
    const open = starts[this.at]! + 1;
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

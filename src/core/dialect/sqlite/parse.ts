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
import { meaningfulTokens, nameOf, type Token } from "../tokens.js";
import { defaultSqlText } from "./expressions.js";
import { TOKENS } from "./settle.js";
import { NAME } from "./types.js";

/**
 * Reads a CREATE TABLE as SQLite keeps it (https://sqlite.org/lang_createtable.html). Expressions are cut out whole,
 * never judged. References keep the words they were written in.
 */
export function parseTable(sql: string): Table {
  const reader = new Reader(sql);
  while (!reader.isSymbol("(")) reader.next();
  const body = new TableBody(reader);
  reader.next();
  body.read();
  const options = readOptions(reader);
  return body.finish(options);
}

/** Reads a CREATE INDEX (https://sqlite.org/lang_createindex.html). */
export function parseIndex(sql: string, name: string, columns: readonly Column[]): Index {
  const reader = new Reader(sql);
  reader.next();
  const unique = reader.takeWords("UNIQUE");
  while (!reader.isSymbol("(")) reader.next();
  const parts = readIndexedColumns(reader).map(part => indexPart(part, columns));
  const where = reader.takeWords("WHERE") ? reader.textToEnd() : undefined;
  return {
    name,
    parts,
    ...(unique && { unique }),
    ...(where !== undefined && { where: spellExpression(where, columns, TOKENS) }),
  };
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

/** Columns and constraints of one table while they are read. Expressions wait until all columns are known. */
class TableBody {
  private readonly columns: Column[] = [];
  private readonly uniques: Unique[] = [];
  private readonly foreignKeys: ForeignKey[] = [];
  private readonly checks: { readonly name: string; readonly text: string }[] = [];
  private key: Key | undefined;
  /** `INTEGER PRIMARY KEY DESC` is no rowid: https://sqlite.org/lang_createtable.html#rowid */
  private inlineDescending = false;

  constructor(private readonly reader: Reader) {}

  read(): void {
    while (!this.reader.isSymbol(")") && !this.reader.isAtEnd()) {
      if (this.reader.takeSymbol(",")) continue;
      if (this.reader.isWord(CONSTRAINT_WORDS)) this.readTableConstraint();
      else this.readColumn();
    }
    this.reader.next();
  }

  finish(options: Readonly<Record<string, string>>): Table {
    const { columns } = this;
    const spelled = (name: string) => spelledAs(name, columns);
    const spell = (text: string) => spellExpression(text, columns, TOKENS);
    const key = this.key && { ...this.key, columns: this.key.columns.map(spelled) };
    const capitals = areCapitals(columns);
    const all = { ...options, ...(capitals && { types: "capitals" }) };
    const hasRowid = options["without rowid"] === undefined && !this.inlineDescending;
    return {
      name: "",
      columns: columns.map(column => {
        const rowid = hasRowid && isRowid(column, key) ? asRowid(column) : column;
        if (!capitals && !column.computed) return rowid;
        return {
          ...rowid,
          ...(capitals && {
            type: { kind: "native", sql: { [NAME]: typeOf(column).toLowerCase() } } as const,
          }),
          ...(column.computed && {
            computed: { ...column.computed, sql: spell(column.computed.sql as string) },
          }),
        };
      }),
      ...(key && { key }),
      uniques: this.uniques.map(unique => ({ ...unique, columns: unique.columns.map(spelled) })),
      indexes: [],
      foreignKeys: this.foreignKeys.map(each => ({ ...each, columns: each.columns.map(spelled) })),
      checks: this.checks.map(({ name, text }): Check => ({
        name,
        rules: [{ kind: "sql", sql: spell(text) }],
      })),
      ...optionsOf(all),
    };
  }

  private readColumn(): void {
    const { reader } = this;
    const name = reader.name();
    const type = reader.textUntil(() => AFTER_TYPE.has(reader.word())).replace(/\s+/g, " ");
    let column: Column = { name, type: { kind: "native", sql: { [NAME]: type } }, nullable: true };
    let constraint = "";
    while (!reader.isSymbol(",") && !reader.isSymbol(")") && !reader.isAtEnd()) {
      if (reader.takeWords("CONSTRAINT")) constraint = reader.name();
      else {
        column = this.readColumnConstraint(column, constraint);
        constraint = "";
      }
    }
    this.columns.push(column);
  }

  private readColumnConstraint(column: Column, constraint: string): Column {
    const { reader } = this;
    // Told by the first word: most columns have few of many.
    const word = reader.word();
    if (word === "PRIMARY" && reader.takeWords("PRIMARY", "KEY")) {
      if (reader.takeWords("DESC")) this.inlineDescending = true;
      else reader.takeWords("ASC");
      const terms = this.inlineDescending ? { terms: JSON.stringify(["DESC"]) } : {};
      this.key = {
        name: constraint,
        columns: [column.name],
        ...optionsOf({ ...terms, ...this.readConflict() }),
      };
      return reader.takeWords("AUTOINCREMENT") ? { ...column, identity: "serial" } : column;
    }
    if (word === "NOT" && reader.takeWords("NOT", "NULL")) {
      const conflict = this.readConflict()["on conflict"];
      return {
        ...column,
        nullable: false,
        ...(conflict !== undefined && optionsOf({ "not null on conflict": conflict })),
      };
    }
    if (word === "NULL" && reader.takeWords("NULL")) return column;
    if (word === "UNIQUE" && reader.takeWords("UNIQUE")) {
      this.uniques.push({ name: constraint, columns: [column.name], ...optionsOf(this.readConflict()) });
      return column;
    }
    if (word === "CHECK" && reader.takeWords("CHECK")) {
      this.checks.push({ name: constraint, text: reader.parenthesized() });
      this.readConflict();
      return column;
    }
    if (word === "DEFAULT" && reader.takeWords("DEFAULT"))
      return { ...column, default: { kind: "sql", sql: reader.defaultText() } };
    if (word === "COLLATE" && reader.takeWords("COLLATE")) return { ...column, collation: reader.name() };
    if (word === "REFERENCES" && reader.takeWords("REFERENCES")) {
      this.foreignKeys.push(this.readReference(constraint, [column.name]));
      return column;
    }
    if (
      (word === "GENERATED" && reader.takeWords("GENERATED", "ALWAYS", "AS")) ||
      (word === "AS" && reader.takeWords("AS"))
    ) {
      const sql = reader.parenthesized();
      const stored = reader.takeWords("STORED");
      if (!stored) reader.takeWords("VIRTUAL");
      return { ...column, computed: { sql, stored } };
    }
    reader.next();
    return column;
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
      reader.next();
    }
  }

  /** The columns of a key or a unique constraint, and how each is compared and sorted where that is unusual. */
  private readKeyed(): Omit<Unique, "name"> {
    const parts = readIndexedColumns(this.reader);
    const terms = parts.map(({ collation, descending }) =>
      [collation === undefined ? "" : `COLLATE ${collation}`, descending ? "DESC" : ""]
        .filter(Boolean)
        .join(" "),
    );
    return {
      columns: parts.map(part => part.name ?? part.text),
      ...optionsOf({ ...(terms.some(Boolean) && { terms: JSON.stringify(terms) }), ...this.readConflict() }),
    };
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
      else if (reader.takeWords("MATCH")) reader.next();
      else if (reader.takeWords("NOT", "DEFERRABLE")) void (reader.takeWords("INITIALLY") && reader.next());
      else if (reader.takeWords("DEFERRABLE")) {
        deferrable = "immediate";
        if (reader.takeWords("INITIALLY") && reader.next()?.text.toUpperCase() === "DEFERRED")
          deferrable = "deferred";
      } else break;
    }
    return {
      name,
      columns,
      references: { table, columns: referred },
      ...actions,
      ...(deferrable && { deferrable }),
      ...(referred.length === 0 && optionsOf({ columns: "implied" })),
    };
  }

  private readAction(): Action {
    const { reader } = this;
    if (reader.takeWords("SET", "NULL")) return "set null";
    if (reader.takeWords("SET", "DEFAULT")) return "set default";
    if (reader.takeWords("NO", "ACTION")) return "no action";
    return reader.next()?.text.toLowerCase() === "cascade" ? "cascade" : "restrict";
  }

  /** ON CONFLICT clauses are SQLite's alone: https://sqlite.org/lang_conflict.html */
  private readConflict(): Record<string, string> {
    if (!this.reader.takeWords("ON", "CONFLICT")) return {};
    return { "on conflict": this.reader.next()?.text.toLowerCase() ?? "" };
  }
}

function optionsOf(options: Readonly<Record<string, string>>): { options?: Options } {
  return Object.keys(options).length > 0 ? { options: { [NAME]: options } } : {};
}

function typeOf({ type }: Column): string {
  return type.kind === "native" ? (type.sql[NAME] ?? "") : "";
}

/** Many write all types in capitals: kept as a habit of the table, so that a type reads the same everywhere. */
function areCapitals(columns: readonly Column[]): boolean {
  const text = columns.map(typeOf).join("");
  return text === text.toUpperCase() && text !== text.toLowerCase();
}

function isRowid(column: Column, key: Key | undefined): boolean {
  return (
    key?.columns.length === 1 && key.columns[0] === column.name && typeOf(column).toUpperCase() === "INTEGER"
  );
}

/**
 * The one column of an INTEGER key is the rowid, counted up and never null (https://sqlite.org/rowidtable.html),
 * whether its text says so or not.
 */
function asRowid(column: Column): Column {
  if (column.identity === undefined)
    return column.nullable ? { ...column, nullable: false, identity: "rowid" } : column;
  return column.nullable
    ? { ...column, nullable: false }
    : { ...column, ...optionsOf({ "not null": "stated" }) };
}

function readOptions(reader: Reader): Record<string, string> {
  const options: Record<string, string> = {};
  while (!reader.isAtEnd()) {
    if (reader.takeWords("WITHOUT", "ROWID")) options["without rowid"] = "yes";
    else if (reader.takeWords("STRICT")) options["strict"] = "yes";
    else reader.next();
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

/** `(a, b COLLATE nocase DESC, lower(c))` */
function readIndexedColumns(reader: Reader): IndexedColumn[] {
  const parts: IndexedColumn[] = [];
  reader.next();
  while (!reader.isSymbol(")") && !reader.isAtEnd()) {
    if (reader.takeSymbol(",")) continue;
    const first = reader.peek();
    const text = reader.textUntil(
      token => token.kind === "word" && /^(?:collate|asc|desc)$/i.test(token.text),
    );
    const plain =
      first &&
      (first.kind === "word" || first.kind === "name" || first.kind === "string") &&
      first.text === text;
    const collation = reader.takeWords("COLLATE") ? reader.name() : undefined;
    const descending = reader.takeWords("DESC") || (reader.takeWords("ASC"), false);
    parts.push({
      text,
      ...(plain && { name: nameOf(first) }),
      ...(collation !== undefined && { collation }),
      ...(descending && { descending }),
    });
  }
  reader.next();
  return parts;
}

/** Walks over the tokens that mean something. */
class Reader {
  private readonly tokens: Token[];
  /** The tokens that are words, in capitals; "" for any other. */
  private readonly words: string[];
  private at = 0;

  constructor(private readonly sql: string) {
    this.tokens = meaningfulTokens(sql, TOKENS);
    this.words = this.tokens.map(({ kind, text }) => (kind === "word" ? text.toUpperCase() : ""));
  }

  /** The next word in capitals; "" when something else comes next. */
  word(): string {
    return this.words[this.at] ?? "";
  }

  peek(): Token | undefined {
    return this.tokens[this.at];
  }

  next(): Token | undefined {
    return this.tokens[this.at++];
  }

  isAtEnd(): boolean {
    return this.at >= this.tokens.length;
  }

  isSymbol(symbol: string): boolean {
    const token = this.peek();
    return token?.kind === "symbol" && token.text === symbol;
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
  takeWords(...words: readonly string[]): boolean {
    if (this.words[this.at] !== words[0]) return false;
    for (let index = 1; index < words.length; index += 1) {
      if (this.words[this.at + index] !== words[index]) return false;
    }
    this.at += words.length;
    return true;
  }

  /** A name, however it is quoted; SQLite takes a string for one too. */
  name(): string {
    const token = this.next();
    return token ? nameOf(token) : "";
  }

  /** The text up to a token that ends it, or a comma or closing parenthesis at this level. */
  textUntil(ends: (token: Token) => boolean): string {
    const start = this.peek();
    let last: Token | undefined;
    let depth = 0;
    for (let token = start; token; token = this.peek()) {
      if (depth === 0 && (ends(token) || token.text === "," || token.text === ")")) break;
      if (token.text === "(") depth += 1;
      if (token.text === ")") depth -= 1;
      last = token;
      this.at += 1;
    }
    return start && last ? this.sql.slice(start.at, last.at + last.text.length) : "";
  }

  textToEnd(): string {
    const start = this.peek();
    this.at = this.tokens.length;
    return start ? this.sql.slice(start.at).replace(/;\s*$/, "").trim() : "";
  }

  /** What stands between a parenthesis and the one that closes it. */
  parenthesized(): string {
    const open = this.next();
    let depth = 1;
    while (!this.isAtEnd()) {
      const token = this.next()!;
      if (token.text === "(") depth += 1;
      if (token.text === ")") depth -= 1;
      if (depth === 0) return this.sql.slice(open!.at + 1, token.at).trim();
    }
    return "";
  }

  /** A default: a literal with its sign, a word, or an expression in parentheses. */
  defaultText(): string {
    if (this.isSymbol("(")) return `(${spellExpression(this.parenthesized(), [], TOKENS)})`;
    const sign = this.isSymbol("-") || this.isSymbol("+") ? this.next()!.text : "";
    const token = this.next();
    if (token?.kind === "word" && /^x$/i.test(token.text) && this.peek()?.kind === "string") {
      return token.text + this.next()!.text;
    }
    return sign + (token?.text ?? "");
  }
}

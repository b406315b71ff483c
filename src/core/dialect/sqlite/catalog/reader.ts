import { spellExpression } from "../../../lower/expressions.js";
import { kindOf, meaningfulTokens, nameOf, type Token, type TokenColumns } from "../../../sql/tokens.js";
import { TOKENS } from "../settle.js";

/** Walks over the tokens that mean something. */
export class Reader {
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

export interface IndexedColumn {
  /** As written, without collation and direction. */
  readonly text: string;
  /** When it is a plain name. */
  readonly name?: string;
  readonly collation?: string;
  readonly descending?: boolean;
}

const AFTER_TERM = new Set(["COLLATE", "ASC", "DESC"]);

/** `(a, b COLLATE nocase DESC, lower(c))` */
export function readIndexedColumns(reader: Reader): IndexedColumn[] {
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

import type { Action } from "../../../modelling/facts.js";
import { parseDataType } from "../../schema/data-type.js";
import type { DataType } from "../../schema/types.js";
import { nameOf, tokenize, type Token } from "../../sql/tokens.js";

/** What a phrase such as `title varchar(80) unique` says of a field. */
export interface SketchField {
  /** As written: `title`, `potter_id`. */
  readonly name: string;
  readonly type?: DataType;
  /** `serial`: counted up by the database. */
  readonly serial: boolean;
  readonly nullable: boolean;
  readonly key: boolean;
  readonly unique: boolean;
  readonly index: boolean;
  readonly default?: { readonly value: string | number | boolean } | { readonly sql: string };
  readonly check?: string;
  readonly values?: readonly (string | number)[];
  readonly note?: string;
  readonly refersTo?: { readonly name: string; readonly onDelete?: Action; readonly onUpdate?: Action };
}

/** A phrase that cannot be read: where, and what may stand there. */
export class PhraseFault extends Error {
  constructor(
    readonly phrase: string,
    /** From 0. */
    readonly at: number,
    readonly what: string,
    readonly valid: string,
  ) {
    super(what);
    this.name = "PhraseFault";
  }
}

const TYPES =
  "boolean, smallint, integer, bigint, decimal(10,2), real, double, varchar(80), char(2), text, date, time, timestamp, timestamptz, uuid, json, bytes, serial";
const CONSTRAINTS =
  "null, not null, unique, index, primary key, default VALUE, in (…), check (…), references ENTITY, on delete ACTION, comment 'TEXT'";
const ACTIONS = "restrict, cascade, set null, set default, no action";

/** Other words for the same types, as people and dialects write them. */
const SYNONYMS: Readonly<Record<string, string>> = {
  int: "integer",
  bool: "boolean",
  string: "text",
  numeric: "decimal",
  number: "decimal",
  float: "double",
  datetime: "timestamptz",
  blob: "bytes",
  jsonb: "json",
};

/**
 * Reads a phrase in SQL's own words. What is not said to be null is required, as in a model.
 * @throws PhraseFault
 */
export function readPhrase(phrase: string): SketchField {
  return new PhraseReader(phrase).read();
}

class PhraseReader {
  private readonly tokens: Token[];
  private at = 0;

  constructor(private readonly phrase: string) {
    this.tokens = tokenize(phrase).filter(({ kind }) => kind !== "space" && kind !== "comment");
  }

  read(): SketchField {
    const name = this.name("a field's name");
    const { type, serial } = this.type();
    let field: SketchField = {
      name,
      ...(type && { type }),
      serial,
      nullable: false,
      key: false,
      unique: false,
      index: false,
    };
    while (this.peek()) field = { ...field, ...this.constraint(field) };
    return field;
  }

  private type(): { type?: DataType; serial: boolean } {
    const token = this.peek();
    const word = this.word();
    if (!token || word === "" || CONSTRAINT_WORDS.has(word)) return { serial: false };
    this.at += 1;
    if (word === "serial" || word === "auto") return { serial: true };
    if (word === "bigserial" || word === "smallserial")
      return { type: { kind: word === "bigserial" ? "bigint" : "smallint" }, serial: true };
    if (word === "character" && this.take("varying"))
      return { type: this.sized("varchar", token), serial: false };
    if (word === "double") this.take("precision");
    if ((word === "timestamp" || word === "time") && this.take("with", "time", "zone"))
      return { type: { kind: "timestamptz" }, serial: false };
    return { type: this.sized(SYNONYMS[word] ?? word, token), serial: false };
  }

  /** `varchar` and what stands in parentheses after it. */
  private sized(word: string, token: Token): DataType {
    const sizes = this.peek()?.text === "(" ? this.parenthesized() : undefined;
    const plain =
      word === "decimal" ? "decimal(18,2)" : word === "varchar" || word === "char" ? "varchar(255)" : word;
    const type = parseDataType(sizes === undefined ? plain : `${word}(${sizes})`);
    if (!type) this.fail(token, `${JSON.stringify(token.text)} is not a type`, TYPES);
    return type;
  }

  private constraint(field: SketchField): Partial<SketchField> {
    const token = this.peek()!;
    if (this.take("not", "null")) return { nullable: false };
    if (this.take("null") || this.take("optional")) return { nullable: true };
    if (this.take("required")) return { nullable: false };
    if (this.take("unique")) return { unique: true };
    if (this.take("index") || this.take("indexed")) return { index: true };
    if (this.take("primary", "key")) return { key: true };
    if (this.take("default")) return { default: this.defaultValue() };
    if (this.take("in")) return { values: this.values() };
    if (this.take("check")) return this.checked(field);
    if (this.take("comment") || this.take("note")) return { note: this.string() };
    if (this.take("references") || this.take("refers", "to")) return { refersTo: this.reference() };
    if (this.take("on", "delete"))
      return { refersTo: { ...this.referring(field, token), onDelete: this.action() } };
    if (this.take("on", "update"))
      return { refersTo: { ...this.referring(field, token), onUpdate: this.action() } };
    return this.fail(token, `${JSON.stringify(token.text)} is not known here`, CONSTRAINTS);
  }

  private reference(): NonNullable<SketchField["refersTo"]> {
    const name = this.name("the entity referred to");
    // `references potters (id)`, as SQL has it: the key is meant anyway.
    if (this.peek()?.text === "(") this.parenthesized();
    return { name };
  }

  private referring({ refersTo }: SketchField, token: Token): NonNullable<SketchField["refersTo"]> {
    return (
      refersTo ??
      this.fail(token, "There is no reference yet for this to be about", "references ENTITY before it")
    );
  }

  private action(): Action {
    for (const action of ["restrict", "cascade", "set null", "set default", "no action"] as const)
      if (this.take(...action.split(" "))) return action;
    return this.fail(this.peek(), "This is not an action", ACTIONS);
  }

  private defaultValue(): NonNullable<SketchField["default"]> {
    const token = this.peek();
    if (!token)
      return this.fail(token, "The default is missing", "a number, a 'text', true, false or (an expression)");
    if (token.text === "(") return { sql: this.parenthesized() };
    this.at += 1;
    if (token.kind === "string") return { value: unquote(token.text) };
    if (token.text === "-" && this.peek()?.kind === "number") return { value: -Number(this.next().text) };
    if (token.kind === "number") return { value: Number(token.text) };
    const word = token.text.toLowerCase();
    if (word === "true" || word === "false") return { value: word === "true" };
    if (this.peek()?.text === "(") return { sql: `${token.text}(${this.parenthesized()})` };
    return { sql: token.text };
  }

  /** `check (stage in ('bisque'))` is the list that `in ('bisque')` is. */
  private checked({ name }: SketchField): Partial<SketchField> {
    const check = this.parenthesized();
    const [first, word, open, ...rest] = tokenize(check).filter(({ kind }) => kind !== "space");
    const isList =
      [name, `"${name}"`].includes(first?.text ?? "") &&
      word?.text.toLowerCase() === "in" &&
      open?.text === "(" &&
      rest.at(-1)?.text === ")";
    const values = isList ? listedValues(rest.slice(0, -1)) : undefined;
    return values ? { values } : { check };
  }

  private values(): (string | number)[] {
    const open = this.peek();
    const inside = tokenize(this.parenthesized()).filter(({ kind }) => kind !== "space");
    return (
      listedValues(inside) ??
      this.fail(open, "The list of values cannot be read", "in ('greenware', 'bisque') or in (1, 2)")
    );
  }

  private parenthesized(): string {
    const open = this.peek();
    if (open?.text !== "(") this.fail(open, "A parenthesis is missing", "(");
    let depth = 0;
    for (; this.at < this.tokens.length; this.at += 1) {
      const { text, at } = this.tokens[this.at]!;
      if (text === "(") depth += 1;
      if (text === ")") depth -= 1;
      if (depth > 0) continue;
      this.at += 1;
      return this.phrase.slice(open!.at + 1, at).trim();
    }
    return this.fail(undefined, "A parenthesis is not closed", ")");
  }

  private string(): string {
    const token = this.peek();
    if (token?.kind !== "string")
      this.fail(token, "A text in single quotes is missing", "comment 'In grams'");
    return unquote(this.next().text);
  }

  private name(what: string): string {
    const token = this.peek();
    if (!token || (token.kind !== "word" && token.kind !== "name"))
      this.fail(token, `Here should be ${what}`, 'letters, digits and _, or any name in "double quotes"');
    return nameOf(this.next());
  }

  private peek(): Token | undefined {
    return this.tokens[this.at];
  }

  private next(): Token {
    return this.tokens[this.at++]!;
  }

  /** The next word in small letters; "" when something else comes next. */
  private word(ahead = 0): string {
    const token = this.tokens[this.at + ahead];
    return token?.kind === "word" ? token.text.toLowerCase() : "";
  }

  private take(...words: readonly (string | undefined)[]): boolean {
    const wanted = words.filter(word => word !== undefined);
    if (!wanted.every((word, ahead) => this.word(ahead) === word)) return false;
    this.at += wanted.length;
    return true;
  }

  private fail(token: Token | undefined, what: string, valid: string): never {
    throw new PhraseFault(this.phrase, token?.at ?? this.phrase.length, what, valid);
  }
}

const CONSTRAINT_WORDS = new Set(
  "not null optional required unique index indexed primary default in check comment note references refers on".split(
    " ",
  ),
);

function unquote(text: string): string {
  return text.slice(1, -1).replaceAll("''", "'");
}

/** Texts and numbers between commas; undefined where anything else is among them. */
function listedValues(tokens: readonly Token[]): (string | number)[] | undefined {
  const values = tokens.flatMap((token): (string | number)[] => {
    if (token.kind === "string") return [unquote(token.text)];
    return token.kind === "number" ? [Number(token.text)] : [];
  });
  const others = tokens.filter(({ kind, text }) => kind !== "string" && kind !== "number" && text !== ",");
  return values.length > 0 && others.length === 0 ? values : undefined;
}

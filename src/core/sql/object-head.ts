import { splitStatements } from "./statements.js";
import { matters, nameOf, tokenize, type Token, type TokenRules } from "./tokens.js";

/** What a CREATE statement makes beside tables, as its first words say it; its body is nobody's business but the engine's. */
export interface ObjectHead {
  readonly kind: ObjectKind;
  readonly name: string;
  readonly namespace?: string;
  /** What a trigger or a policy stands on. */
  readonly on?: { readonly name: string; readonly namespace?: string };
  /** The statement without what only says what to do if there is one already: `CREATE VIEW open_pieces AS …`. */
  readonly sql: string;
  /** What stands between the name and the body: arguments and result, in one spelling of blanks. */
  readonly signature: string;
  /** The arguments in the brackets behind the name, without their defaults. */
  readonly takes: string;
}

export type ObjectKind =
  "view" | "materialized view" | "function" | "procedure" | "trigger" | "event" | "policy";

const KINDS: Readonly<Record<string, ObjectKind>> = {
  VIEW: "view",
  FUNCTION: "function",
  PROCEDURE: "procedure",
  TRIGGER: "trigger",
  EVENT: "event",
  POLICY: "policy",
};

/** How far into a statement its kind may stand: behind `OR REPLACE ALGORITHM = … DEFINER = … SQL SECURITY …`. */
const FURTHEST = 20;

/** @param sql one statement @returns undefined for one that makes nothing of these */
export function readHead(sql: string, rules: TokenRules): ObjectHead | undefined {
  const tokens = tokenize(sql, rules).filter(matters);
  const words = tokens.map(({ kind, text }) => (kind === "word" ? text.toUpperCase() : ""));
  if (words[0] !== "CREATE") return undefined;
  const what = words.findIndex((word, at) => at > 0 && at < FURTHEST && (word in KINDS || OTHER.test(word)));
  const kind = KINDS[words[what] ?? ""];
  if (!kind) return undefined;
  const before = words[1] === "OR" && words[2] === "REPLACE" ? 3 : 1;
  const named = words[what + 1] === "IF" ? what + 4 : what + 1;
  const { name, namespace, next } = qualifiedName(tokens, named, rules);
  if (name === "") return undefined;
  const rest = sql.slice(tokens[named]!.at, tokens.at(-1)!.at + tokens.at(-1)!.text.length);
  const said = between(sql, tokens, before, what);
  const isMaterialized = words[what - 1] === "MATERIALIZED";
  const brackets = tokens[next]?.text === "(" ? closing(tokens, next) : next - 1;
  const on = kind === "trigger" || kind === "policy" ? words.indexOf("ON", next) : -1;
  const body = words.findIndex((word, at) => at > brackets && BODY.test(word));
  return {
    kind: isMaterialized ? "materialized view" : kind,
    name,
    ...(namespace !== undefined && { namespace }),
    ...(on >= 0 && { on: plainName(qualifiedName(tokens, on + 1, rules)) }),
    sql: `CREATE ${said}${words[what]} ${rest}`,
    signature: spaced(tokens.slice(next, body < 0 ? tokens.length : body)),
    takes: argumentsIn(sql, tokens, next, brackets),
  };
}

const OTHER = /^(?:TABLE|INDEX|SEQUENCE|TYPE|DOMAIN|SCHEMA|DATABASE|ROLE|USER|EXTENSION|RULE)$/;

/** What a routine's body, or what it says of itself, begins with. */
const BODY =
  /^(?:AS|LANGUAGE|BEGIN|RETURN|IMMUTABLE|STABLE|VOLATILE|STRICT|CALLED|SECURITY|COST|ROWS|PARALLEL|WINDOW|LEAKPROOF|SUPPORT|SET|TRANSFORM|DETERMINISTIC|COMMENT|SQL|CONTAINS|READS|MODIFIES|NOT|NO)$/;

/** Words between CREATE and the kind, as they are written but for blanks. */
function between(sql: string, tokens: readonly Token[], from: number, to: number): string {
  if (from >= to) return "";
  return `${sql.slice(tokens[from]!.at, tokens[to]!.at).trim().replace(/\s+/g, " ")} `;
}

function qualifiedName(
  tokens: readonly Token[],
  start: number,
  { folds }: TokenRules,
): { readonly name: string; readonly namespace?: string; readonly next: number } {
  const called = (token: Token | undefined) => {
    if (token?.kind !== "word" && token?.kind !== "name") return "";
    return folds && token.kind === "word" ? token.text.toLowerCase() : nameOf(token);
  };
  const first = called(tokens[start]);
  if (tokens[start + 1]?.text !== ".") return { name: first, next: start + 1 };
  return { name: called(tokens[start + 2]), namespace: first, next: start + 3 };
}

function plainName({ name, namespace }: { readonly name: string; readonly namespace?: string }): {
  readonly name: string;
  readonly namespace?: string;
} {
  return { name, ...(namespace !== undefined && { namespace }) };
}

/** The place of the bracket that closes the one at a place. */
export function closing(tokens: readonly Token[], open: number): number {
  let depth = 0;
  for (let at = open; at < tokens.length; at += 1) {
    if (tokens[at]!.text === "(") depth += 1;
    if (tokens[at]!.text === ")") depth -= 1;
    if (depth === 0) return at;
  }
  return tokens.length - 1;
}

/** `(IN a integer DEFAULT 1, b text)` → `IN a integer, b text` */
function argumentsIn(sql: string, tokens: readonly Token[], open: number, close: number): string {
  const list: string[] = [];
  let depth = 0;
  let from = open + 1;
  let until: number | undefined;
  for (let at = open + 1; at <= close; at += 1) {
    const { text, kind } = tokens[at]!;
    if (depth === 0 && (text === "=" || (kind === "word" && text.toUpperCase() === "DEFAULT"))) until ??= at;
    if (depth === 0 && (text === "," || at === close)) {
      const end = until ?? at;
      if (end > from) {
        const last = tokens[end - 1]!;
        list.push(
          sql
            .slice(tokens[from]!.at, last.at + last.text.length)
            .replace(/:$/, "")
            .trim(),
        );
      }
      [from, until] = [at + 1, undefined];
    }
    if (text === "(") depth += 1;
    if (text === ")") depth -= 1;
  }
  return list.join(", ");
}

function spaced(tokens: readonly Token[]): string {
  return tokens.map(({ text, kind }) => (kind === "word" ? text.toLowerCase() : text)).join(" ");
}

/** Words and names that a text speaks of, in small letters. */
export interface Mentions {
  /** Where only a table, a view or a function can stand. */
  readonly read: ReadonlySet<string>;
  /** Outside of texts: the engine knows that they are meant. */
  readonly bound: ReadonlySet<string>;
  /** In a body that the engine keeps as a text and looks into when it is run. */
  readonly inside: ReadonlySet<string>;
}

const mentioned = new WeakMap<TokenRules, Map<string, Mentions>>();

/** What SQL speaks of by name. */
export function mentionsIn(sql: string, rules: TokenRules): Mentions {
  const known = mentioned.get(rules) ?? new Map<string, Mentions>();
  mentioned.set(rules, known);
  const found = known.get(sql);
  if (found) return found;
  const [read, bound, inside] = [new Set<string>(), new Set<string>(), new Set<string>()];
  const walk = (text: string, into: Set<string>, depth: number) => {
    const tokens = tokenize(text, rules).filter(matters);
    for (const [at, token] of tokens.entries()) {
      if (token.kind === "string" && depth < 3) walk(textIn(token.text), inside, depth + 1);
      if (token.kind !== "word" && token.kind !== "name") continue;
      const name = nameOf(token).toLowerCase();
      if (token.kind === "word" && rules.reserved?.has(name)) continue;
      into.add(name);
      if (into === bound && isRead(tokens, at)) read.add(name);
    }
  };
  walk(sql, bound, 0);
  const made = { read, bound, inside };
  if (known.size >= KNOWN) known.clear();
  known.set(sql, made);
  return made;
}

const KNOWN = 500;

/** Whether what is named at a place can be nothing but a table, a view or a function. */
function isRead(tokens: readonly Token[], at: number): boolean {
  if (tokens[at + 1]?.text === "(") return true;
  let before = at - 1;
  while (tokens[before]?.text === ".") before -= 2;
  return tokens[before]?.kind === "word" && READS.test(tokens[before]!.text);
}

const READS = /^(?:from|join|into|update|setof|table|function|procedure|call)$/i;

/** What stands between the quotes of a string. */
function textIn(text: string): string {
  const dollar = /^\$\w*\$/.exec(text)?.[0];
  if (dollar !== undefined) return text.slice(dollar.length, -dollar.length);
  return text.slice(1, -1).replaceAll("''", "'");
}

/** The statements of an object: the one that makes it, and those that go with it. */
export function statementsOf(sql: string, rules: TokenRules): readonly string[] {
  return splitStatements(sql, rules).map(each => each.sql);
}

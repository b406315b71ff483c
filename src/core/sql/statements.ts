import { matters, tokenize, type Token, type TokenRules } from "./tokens.js";

/** One statement of a script. */
export interface Statement {
  /** Without the closing semicolon and the comments before it. */
  readonly sql: string;
  /** Line in the script, counted from 1. */
  readonly line: number;
}

/**
 * Cuts a script into its statements. Semicolons inside strings, comments, and between the BEGIN and END of a
 * trigger or routine do not part statements.
 */
export function splitStatements(script: string, rules: TokenRules = NO_RULES): readonly Statement[] {
  const known = lately.get(rules) ?? new Map<string, readonly Statement[]>();
  const found = known.get(script);
  if (found) return found;
  const statements = split(script, rules);
  if (known.size >= LATELY) known.clear();
  known.set(script, statements);
  lately.set(rules, known);
  return statements;
}

const NO_RULES: TokenRules = {};

/** The same scripts run on many databases. */
const lately = new WeakMap<TokenRules, Map<string, readonly Statement[]>>();
const LATELY = 100;

function split(script: string, rules: TokenRules): Statement[] {
  const statements: Statement[] = [];
  let pending: Token[] = [];
  let body: Body = OUTSIDE;
  const finish = () => {
    const first = pending.findIndex(matters);
    if (first >= 0) {
      const sql = pending
        .slice(first)
        .map(token => token.text)
        .join("")
        .trim();
      statements.push({ sql, line: lineAt(script, pending[first]!.at) });
    }
    pending = [];
    body = OUTSIDE;
  };
  for (let from = 0, next = script.length; from < script.length; from = next) {
    next = script.length;
    for (const each of tokenize(from === 0 ? script : script.slice(from), rules)) {
      const token = from === 0 ? each : { ...each, at: each.at + from };
      if (rules.delimiters && token.kind === "word" && !pending.some(matters)) {
        const named = delimiterAt(script, token.at);
        if (named) {
          finish();
          const until = untilNextDelimiter(script, named);
          for (const { sql, at } of until.statements) statements.push({ sql, line: lineAt(script, at) });
          next = until.next;
          break;
        }
      }
      if (token.kind === "word") body = step(body, token.text.toUpperCase());
      if (token.text === ";" && token.kind === "symbol" && body.depth === 0) finish();
      else pending.push(token);
    }
  }
  finish();
  return statements;
}

/** A statement with what ends it: where semicolons stand in it, a client that looks for them is told of another sign. */
export function terminated(statement: string, rules: TokenRules): string {
  const parts = rules.delimiters
    ? tokenize(statement, rules).some(({ kind, text }) => kind === "symbol" && text === ";")
    : false;
  if (!parts) return `${statement};`;
  let sign = "//";
  while (statement.includes(sign)) sign += "/";
  return `DELIMITER ${sign}\n${statement}\n${sign}\nDELIMITER ;`;
}

interface Delimiter {
  readonly text: string;
  /** Where what it parts begins. */
  readonly from: number;
}

/** What a client does itself: `DELIMITER //` on a line of its own (https://mariadb.com/kb/en/delimiters/). */
function delimiterAt(script: string, at: number): Delimiter | undefined {
  const line = /^delimiter[ \t]+(\S+)[ \t\r]*(?:\n|$)/i.exec(script.slice(at, at + 200));
  return line?.[1] === undefined ? undefined : { text: line[1], from: at + line[0].length };
}

/** The statements that end with a delimiter of somebody's own, until there is the usual one again. */
function untilNextDelimiter(
  script: string,
  { text, from }: Delimiter,
): { readonly statements: readonly { readonly sql: string; readonly at: number }[]; readonly next: number } {
  const statements: { sql: string; at: number }[] = [];
  for (let at = from, own = text; at < script.length;) {
    at += /^\s*/.exec(script.slice(at))![0].length;
    const other = delimiterAt(script, at);
    if (other) {
      if (other.text === ";") return { statements, next: other.from };
      [own, at] = [other.text, other.from];
      continue;
    }
    const end = script.indexOf(own, at);
    const sql = script.slice(at, end < 0 ? script.length : end).trim();
    if (sql !== "") statements.push({ sql, at });
    at = end < 0 ? script.length : end + own.length;
  }
  return { statements, next: script.length };
}

/** How deep a statement stands in the BEGIN … END of a trigger or routine. */
interface Body {
  readonly depth: number;
  readonly routine: boolean;
  /** The first words, until it is known what is created. */
  readonly words: readonly string[];
  readonly last: string;
}

const OUTSIDE: Body = { depth: 0, routine: false, words: [], last: "" };

const ROUTINES = new Set(["TRIGGER", "PROCEDURE", "FUNCTION", "EVENT"]);

/** What else may be made, of which the name or what follows it may be one of those words. */
const OTHERS = new Set(["TABLE", "VIEW", "INDEX", "SEQUENCE", "TYPE", "DOMAIN", "SCHEMA", "ROLE"]);

/** What a program closes by its own name: `END IF`. */
const CLOSED_BY_NAME = new Set(["IF", "LOOP", "WHILE", "REPEAT", "FOR"]);

function step(body: Body, word: string): Body {
  if (!body.routine) {
    const words = body.words.length < 14 ? [...body.words, word] : body.words;
    const what = words.find(each => ROUTINES.has(each) || OTHERS.has(each));
    return { ...body, words, routine: words[0] === "CREATE" && what !== undefined && ROUTINES.has(what) };
  }
  const after = { ...body, last: word };
  // It has been taken for the end of a block.
  if (body.last === "END" && CLOSED_BY_NAME.has(word)) return { ...after, depth: body.depth + 1 };
  if (body.last === "END" && word === "CASE") return after;
  if (word === "BEGIN" || word === "CASE") return { ...after, depth: body.depth + 1 };
  if (word === "END" && body.depth > 0) return { ...after, depth: body.depth - 1 };
  return after;
}

function lineAt(text: string, at: number): number {
  let line = 1;
  for (let i = text.indexOf("\n"); i >= 0 && i < at; i = text.indexOf("\n", i + 1)) line += 1;
  return line;
}

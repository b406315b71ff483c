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
  let body: Body = { depth: 0, routine: false, words: [] };
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
    body = { depth: 0, routine: false, words: [] };
  };
  for (const token of tokenize(script, rules)) {
    if (token.kind === "word") body = step(body, token.text.toUpperCase());
    if (token.text === ";" && token.kind === "symbol" && body.depth === 0) finish();
    else pending.push(token);
  }
  finish();
  return statements;
}

/** How deep a statement stands in the BEGIN … END of a trigger or routine. */
interface Body {
  readonly depth: number;
  readonly routine: boolean;
  /** The first words, until it is known what is created. */
  readonly words: readonly string[];
}

const ROUTINES = new Set(["TRIGGER", "PROCEDURE", "FUNCTION", "EVENT"]);

function step(body: Body, word: string): Body {
  if (!body.routine) {
    const words = body.words.length < 8 ? [...body.words, word] : body.words;
    return { ...body, words, routine: words[0] === "CREATE" && words.some(each => ROUTINES.has(each)) };
  }
  if (word === "BEGIN" || word === "CASE") return { ...body, depth: body.depth + 1 };
  if (word === "END" && body.depth > 0) return { ...body, depth: body.depth - 1 };
  return body;
}

function lineAt(text: string, at: number): number {
  let line = 1;
  for (let i = text.indexOf("\n"); i >= 0 && i < at; i = text.indexOf("\n", i + 1)) line += 1;
  return line;
}

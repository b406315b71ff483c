import type { Statement } from "./statements.js";
import { matters, nameOf, tokenize, type Token, type TokenRules } from "./tokens.js";

/** What a statement of somebody's own does to rows that are there. */
export interface Takes {
  /** "opaque": it runs what its tokens do not tell. */
  readonly kind: "deletes" | "drops" | "updates" | "opaque";
  /** `deletes rows of fees`, `drops column fees.price` */
  readonly what: string;
  readonly line: number;
}

/** What statements delete, drop, empty or update, as their tokens tell it; what one only defines, it does not do. */
export function takenBy(statements: readonly Statement[], rules: TokenRules): Takes[] {
  return statements.flatMap(({ sql, line }) => {
    // Most of a script, which need not be cut into words.
    if (/^create\b/i.test(sql) && !REPLACES.test(sql)) return [];
    const tokens = tokenize(sql, rules).filter(matters);
    const words = tokens.map(({ kind, text }) => (kind === "word" ? text.toUpperCase() : ""));
    const cut = { tokens, words };
    if (words[0] === "CREATE") {
      const table = words.indexOf("TABLE");
      const isReplaced = words[1] === "OR" && words[2] === "REPLACE" && table > 0 && table < 5;
      return isReplaced
        ? [
            {
              kind: "drops",
              what: `drops table ${nameFrom(skip(table, cut), cut)} and creates it anew`,
              line,
            },
          ]
        : [];
    }
    const hidden = tokens.some(({ text }) => text.startsWith("/*"));
    const unknown = hidden ? "a comment that the server executes" : unknownIn(cut);
    const found = words.flatMap((word, at) => actionAt(word, at, cut) ?? []);
    const opaque =
      unknown === undefined || found.length > 0 ? [] : [{ kind: "opaque", what: `runs ${unknown}` } as const];
    return [...found, ...opaque].map(each => ({ ...each, line }));
  });
}

/** `CREATE OR REPLACE TABLE` drops the table that is there: https://mariadb.com/kb/en/create-table/ */
const REPLACES = /^create\s+or\s+replace\s+(?:temporary\s+)?table\b/i;

/** What statements begin with of which the words tell all that they do to rows. */
const KNOWN =
  /^(?:ALTER|ANALYZE|CLUSTER|COMMENT|CREATE|DELETE|DROP|EXPLAIN|GRANT|INSERT|LOCK|MERGE|REFRESH|REINDEX|RENAME|REPLACE|REVOKE|SELECT|SHOW|TRUNCATE|UNLOCK|UPDATE|VACUUM|VALUES|WITH)$/;

/** Settings by which the rest of a script means something else. */
const TURNING =
  /^(?:ROLE|AUTHORIZATION|SEARCH_PATH|WRITABLE_SCHEMA|SQL_MODE|SQL_LOG_BIN|SESSION_REPLICATION_ROLE|STANDARD_CONFORMING_STRINGS)$/;

/** What begins a statement that the words of it do not tell; undefined: they do. */
function unknownIn({ words, tokens }: Cut): string | undefined {
  const first = words[0] ?? "";
  if (KNOWN.test(first)) return undefined;
  if (first !== "SET" && first !== "PRAGMA")
    return first === "" ? `what begins with ${tokens[0]?.text ?? ""}` : first;
  return words.some(word => TURNING.test(word))
    ? `${words.slice(0, 3).filter(Boolean).join(" ")}, by which what follows may mean something else`
    : undefined;
}

interface Cut {
  readonly tokens: readonly Token[];
  readonly words: readonly string[];
}

type Action = Omit<Takes, "line">;

function actionAt(word: string, at: number, cut: Cut): Action | undefined {
  const { words } = cut;
  const named = (start: number) => nameFrom(skip(start, cut), cut);
  switch (word) {
    case "DELETE": {
      const from = words.indexOf("FROM", at);
      if (words[at - 1] === "ON" || from < 0) return undefined;
      return { kind: "deletes", what: `deletes rows of ${named(from + 1)}` };
    }
    case "TRUNCATE":
      return at === 0 ? { kind: "deletes", what: `empties ${named(1)}` } : undefined;
    case "UPDATE": {
      const last = words[at - 1] ?? "";
      // INSERT … ON CONFLICT DO UPDATE, … ON DUPLICATE KEY UPDATE
      if (words[0] === "INSERT" && ["DO", "KEY"].includes(last))
        return { kind: "updates", what: `updates rows of ${named(words.indexOf("INTO") + 1)}` };
      if (["ON", "FOR", "DO", "KEY"].includes(last) || !words.includes("SET", at)) return undefined;
      return { kind: "updates", what: `updates rows of ${named(at + 1)}` };
    }
    case "REPLACE":
      return words[at + 1] === "INTO" || words[at - 1] === "OR"
        ? { kind: "deletes", what: `replaces rows of ${named(words.indexOf("INTO", at) + 1)}` }
        : undefined;
    case "MERGE":
      return at === 0
        ? {
            kind: words.includes("DELETE") ? "deletes" : "updates",
            what: `merges into ${named(words.indexOf("INTO") + 1)}`,
          }
        : undefined;
    case "DROP":
      return dropAt(at, cut);
    case "DO":
    case "CALL":
    case "EXECUTE":
    case "PREPARE":
      return at === 0 ? { kind: "opaque", what: `runs code by ${word}` } : undefined;
    default:
      return undefined;
  }
}

/** What holds no rows of its own. */
const EMPTY =
  /^(?:INDEX|CONSTRAINT|DEFAULT|NOT|KEY|PRIMARY|FOREIGN|CHECK|VIEW|TRIGGER|FUNCTION|PROCEDURE|ROUTINE|EVENT|TYPE|DOMAIN|SEQUENCE|POLICY|RULE|IDENTITY|EXPRESSION|USER|ROLE|EXTENSION|PERIOD|SYSTEM|PARTITION|TEMPORARY)$/;

function dropAt(at: number, cut: Cut): Action | undefined {
  const { words } = cut;
  const next = words[at + 1] ?? "";
  if (at === 0) {
    if (!/^(?:TABLE|SCHEMA|DATABASE)$/.test(next)) return undefined;
    return { kind: "drops", what: `drops ${next.toLowerCase()} ${nameFrom(skip(2, cut), cut)}` };
  }
  if (words[0] !== "ALTER" || EMPTY.test(next)) return undefined;
  const table = nameFrom(skip(2, cut), cut);
  return {
    kind: "drops",
    what: `drops column ${table}.${nameFrom(skip(next === "COLUMN" ? at + 2 : at + 1, cut), cut)}`,
  };
}

/** Past words that may stand before a name. */
function skip(start: number, { words }: Cut): number {
  let at = start;
  while (
    /^(?:TABLE|ONLY|IF|NOT|EXISTS|LOW_PRIORITY|IGNORE|QUICK|OR|ROLLBACK|ABORT|FAIL|REPLACE)$/.test(
      words[at] ?? "",
    )
  )
    at += 1;
  return at;
}

/** A name with what qualifies it. */
function nameFrom(start: number, { tokens }: Cut): string {
  const first = tokens[start];
  if (!first) return "?";
  const parts = [nameOf(first)];
  for (let at = start; tokens[at + 1]?.text === "." && tokens[at + 2]; at += 2)
    parts.push(nameOf(tokens[at + 2]!));
  return parts.join(".");
}

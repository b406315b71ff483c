import { ATTIC } from "../../core/schema/internal-tables.js";
import { readHead } from "../../core/sql/object-head.js";
import type { Statement } from "../../core/sql/statements.js";
import { matters, nameOf, tokenize, type Token, type TokenRules } from "../../core/sql/tokens.js";

/** A table, or one of its columns, that is no more called so when a script is done. */
export interface TakenAway {
  readonly table: string;
  readonly column?: string;
}

/**
 * Tables and columns that statements drop or call otherwise, the attic's aside; of a qualified name the last part. A column whose
 * place another takes, which they have added themselves, is not taken away.
 */
export function takenAway(statements: readonly Statement[], rules: TokenRules): TakenAway[] {
  const replaced = replacedColumns(statements, rules);
  return statements.flatMap(({ sql }) => {
    const tokens = tokenize(sql, rules).filter(matters);
    // The first name is that of the table, or of the namespace it stands in.
    const first = tokens.find(
      ({ kind, text }) => kind === "name" || (kind === "word" && !KEYWORDS.test(text)),
    );
    if (first && nameOf(first).startsWith(ATTIC)) return [];
    return takenBy(tokens, rules).filter(
      ({ table, column = "" }) =>
        !replaced.some(each => each.table === table && [each.column, each.by].includes(column)),
    );
  });
}

/** A column in whose place another comes. */
export interface ReplacedColumn {
  readonly table: string;
  readonly column: string;
  /** What the other is called until then. */
  readonly by: string;
  /** The table as it is written. */
  readonly place: string;
}

/** Columns in whose place statements put others, which they have added themselves. */
export function replacedColumns(statements: readonly Statement[], rules: TokenRules): ReplacedColumn[] {
  const added = new Set<string>();
  return statements.flatMap(({ sql }): ReplacedColumn[] => {
    if (!/^alter\s+table\b/i.test(sql)) return [];
    const tokens = tokenize(sql, rules).filter(matters);
    const table = calledAt(tokens, 2, rules);
    return tokens.flatMap(({ text }, at): ReplacedColumn[] => {
      if (!/^column$/i.test(text)) return [];
      const [does = "", name] = [tokens[at - 1]?.text, calledAt(tokens, at + 1, rules)];
      if (/^add$/i.test(does)) added.add(JSON.stringify([table, name]));
      const isReplacing = /^rename$/i.test(does) && added.has(JSON.stringify([table, name]));
      if (!isReplacing) return [];
      const place = tokens.slice(2, at - 1).map(each => each.text);
      return [{ table, column: calledAt(tokens, at + 3, rules), by: name, place: place.join("") }];
    });
  });
}

const KEYWORDS = /^(?:alter|drop|rename|table|if|exists|only)$/i;

function takenBy(tokens: readonly Token[], rules: TokenRules): TakenAway[] {
  const words = tokens.map(({ kind, text }) => (kind === "word" ? text.toUpperCase() : ""));
  const called = (at: number) => calledAt(tokens, at, rules);
  if (words[0] === "DROP" && words[1] === "TABLE") return [{ table: called(words[2] === "IF" ? 4 : 2) }];
  if (words[0] === "RENAME" && words[1] === "TABLE") return [{ table: called(2) }];
  if (words[0] !== "ALTER" || words[1] !== "TABLE") return [];
  const table = called(2);
  return words.flatMap((word, at): TakenAway[] => {
    const next = words[at + 1];
    if ((word === "RENAME" && next === "TO") || (word === "SET" && next === "SCHEMA")) return [{ table }];
    if (next !== "COLUMN") return [];
    const column = called(at + 2);
    if (word === "DROP" || word === "RENAME") return [{ table, column }];
    return word === "CHANGE" && column !== called(at + 3) ? [{ table, column }] : [];
  });
}

/** The last part of the name that begins there: `"studio"."pieces"` is `pieces`. */
function calledAt(tokens: readonly Token[], start: number, rules: TokenRules): string {
  let at = start;
  while (tokens[at + 1]?.text === "." && tokens[at + 2]) at += 2;
  const token = tokens[at];
  if (!token) return "";
  return rules.folds && token.kind === "word" ? token.text.toLowerCase() : nameOf(token);
}

/** The views and triggers that statements drop or make, by their names in small letters: they are seen to. */
export function seenTo(statements: readonly Statement[], rules: TokenRules): ReadonlySet<string> {
  const names = statements.flatMap(({ sql }) => {
    if (/^create\b/i.test(sql)) return readHead(sql, rules)?.name ?? [];
    if (!/^drop\s+(?:materialized\s+)?(?:view|trigger)\b/i.test(sql)) return [];
    const tokens = tokenize(sql, rules).filter(matters);
    const first = tokens.findIndex(
      ({ kind, text }) => kind === "name" || (kind === "word" && !DROP_WORDS.test(text)),
    );
    return first < 0 ? [] : calledAt(tokens, first, rules);
  });
  return new Set(names.map(name => name.toLowerCase()));
}

const DROP_WORDS = /^(?:drop|materialized|view|trigger|if|exists)$/i;

/** Whether a body of code speaks of something by its name. */
export function speaksOf(body: string, name: string, rules: TokenRules): boolean {
  const plain = name.toLowerCase();
  return tokenize(body, rules).some(
    token => (token.kind === "word" || token.kind === "name") && nameOf(token).toLowerCase() === plain,
  );
}

import { ATTIC } from "../../schema/internal-tables.js";
import { matters, nameOf, tokenize, type Token } from "../../sql/tokens.js";
import type { Made, Step, StepSyntax } from "../shared/steps.js";
import { quote } from "./names.js";
import { TOKENS } from "./settle.js";

/** https://mariadb.com/kb/en/sql-statements-that-cause-an-implicit-commit/ */
const KINDS: Readonly<Record<string, Step["kind"]>> = {
  INSERT: "rows",
  UPDATE: "rows",
  DELETE: "rows",
  REPLACE: "rows",
  SELECT: "rows",
  WITH: "rows",
  VALUES: "rows",
  DO: "rows",
  CALL: "rows",
  SET: "session",
  USE: "session",
  LOCK: "lock",
  UNLOCK: "unlock",
};

export const steps: StepSyntax = {
  stepOf: sql => {
    const tokens = tokenize(sql, TOKENS).filter(matters);
    const kind = PROVES.test(sql) ? "rows" : (KINDS[wordAt(tokens, 0)] ?? "schema");
    const remade = ["DROP", "ADD"].every(word =>
      tokens.some((_, at) => at > 0 && wordAt(tokens, at) === word),
    );
    return { kind, about: kind === "schema" ? aboutOf(tokens) : [], ...(remade && { remade }) };
  },
  makes: sql => madeBy(tokenize(sql, TOKENS).filter(matters)),
  lockingToo: (sql, tables) => `${sql}${tables.map(table => `, ${quote(table)} WRITE`).join("")}`,
  prepares: sql => /^ALTER TABLE `(?:[^`]|``)+` ADD COLUMN `emberset_new_[^`]*` [^,]*$/.test(sql),
  copiedAnew: (sql, behind) => {
    const [, table] = COPIES.exec(sql) ?? [];
    if (table !== undefined) {
      if (!behind.some(each => writesOver(each, sql))) return [`DELETE FROM ${table}`, sql];
      // Of what was filled since, others can only have added more.
      return ONLY_NULL.test(sql) ? [sql] : [];
    }
    return WORKS_OUT.test(sql) || (/^UPDATE /.test(sql) && ONLY_NULL.test(sql)) ? [sql] : [];
  },
  sets: sql => /^SET\s+((?:SESSION\s+)?@{0,2}[\w$.]+)/i.exec(sql)?.[1],
};

/** Such a statement changes nothing. */
const PROVES = /^EXECUTE IMMEDIATE IF\(@emberset_\w+ = 0, 'DO 0', /;

const COPIES = new RegExp(`^INSERT INTO (\`${ATTIC}(?:[^\`]|\`\`)+\`) `);
/** What a column is to hold, beside it. */
const WORKS_OUT = /^UPDATE `(?:[^`]|``)+` (?:AS t )?SET `emberset_new_/;
const ONLY_NULL = / WHERE `(?:[^`]|``)+` IS NULL$/;

/** Whether a statement may have changed what a copy was made of. */
function writesOver(sql: string, copy: string): boolean {
  if (steps.stepOf(sql).kind !== "rows" || COPIES.test(sql) || WORKS_OUT.test(sql)) return false;
  const copied = new Set(tokenize(copy, TOKENS).filter(isName).map(nameOf));
  const tokens = tokenize(sql, TOKENS).filter(matters);
  if (wordAt(tokens, 0) !== "UPDATE") return tokens.filter(isName).some(each => copied.has(nameOf(each)));
  const set = tokens.findIndex((_, at) => wordAt(tokens, at) === "SET");
  return (
    tokens
      .slice(1, set)
      .filter(isName)
      .some(each => copied.has(nameOf(each))) &&
    columnsSet(tokens.slice(set + 1)).some(name => copied.has(name))
  );
}

function isName({ kind }: Token): boolean {
  return kind === "word" || kind === "name";
}

/** The columns that get another value, by what stands behind SET; one that is set to itself gets none. */
function columnsSet(tokens: readonly Token[]): string[] {
  const found: string[] = [];
  let depth = 0;
  for (const [at, { text }] of tokens.entries()) {
    if (text === "(") depth += 1;
    if (text === ")") depth -= 1;
    if (depth > 0 || (at > 0 && text !== ",")) continue;
    const column = nameAt(tokens, at === 0 ? 0 : at + 1);
    const value = nameAt(tokens, column.next + 1);
    const isItself = column.name === value.name && /^(?:,|WHERE|)$/i.test(tokens[value.next]?.text ?? "");
    if (!isItself) found.push(column.name);
  }
  return found;
}

function wordAt(tokens: readonly Token[], at: number): string {
  const token = tokens[at];
  return token?.kind === "word" ? token.text.toUpperCase() : "";
}

/**
 * What a CREATE TABLE makes, or an ALTER TABLE that only adds: each is done whole or not at all, and refused where that is
 * there. https://mariadb.com/kb/en/atomic-ddl/
 */
function madeBy(tokens: readonly Token[]): Made | undefined {
  const [verb, what] = [wordAt(tokens, 0), wordAt(tokens, 1)];
  const [name, behind] = [tokens[2], tokens[3]];
  if (what !== "TABLE" || name?.kind !== "name" || behind?.text === ".") return undefined;
  const table = nameOf(name);
  // What comes from a query is committed row by row.
  if (verb === "CREATE")
    return tokens.some((_, at) => wordAt(tokens, at) === "SELECT") ? undefined : { table };
  if (verb !== "ALTER") return undefined;
  const starts = clausesFrom(tokens, 3);
  const added = tokens[3 + 2];
  const isColumn = wordAt(tokens, 3) === "ADD" && wordAt(tokens, 4) === "COLUMN" && added?.kind === "name";
  const onlyAdds = starts.every(at => /^(?:ADD|ALGORITHM|LOCK)$/.test(wordAt(tokens, at)));
  return isColumn && onlyAdds ? { table, column: nameOf(added) } : undefined;
}

/** Where the clauses of a statement begin, of which the first begins there. */
function clausesFrom(tokens: readonly Token[], first: number): number[] {
  const starts = [first];
  let depth = 0;
  for (let at = first; at < tokens.length; at += 1) {
    const { text } = tokens[at]!;
    if (text === "(") depth += 1;
    if (text === ")") depth -= 1;
    if (depth === 0 && text === ",") starts.push(at + 1);
  }
  return starts;
}

/** Words before the name of what is made, changed or dropped: https://mariadb.com/kb/en/create-table/ */
const BEFORE_NAME = /^(?:OR|REPLACE|ONLINE|IGNORE|TEMPORARY|IF|NOT|EXISTS)$/;

function aboutOf(tokens: readonly Token[]): string[] {
  const words = tokens.map((_, at) => wordAt(tokens, at));
  const verb = words[0]!;
  const what = words.findIndex(
    (word, at) => at > 0 && at < 6 && /^(?:TABLES?|VIEW|INDEX|SEQUENCE)$/.test(word),
  );
  if (!/^(?:CREATE|ALTER|DROP|RENAME)$/.test(verb) || what < 0) return [];
  if (words[what] === "INDEX") {
    const on = words.indexOf("ON");
    return on < 0 ? [] : [nameAt(tokens, on + 1).name];
  }
  let at = what + 1;
  while (BEFORE_NAME.test(words[at] ?? "")) at += 1;
  const first = nameAt(tokens, at);
  if (verb === "ALTER") {
    const renamed = words.findIndex(
      (word, place) => word === "RENAME" && !/^(?:COLUMN|INDEX|KEY)$/.test(words[place + 1] ?? ""),
    );
    if (renamed < 0) return [first.name];
    return [
      first.name,
      nameAt(tokens, /^(?:TO|AS)$/.test(words[renamed + 1] ?? "") ? renamed + 2 : renamed + 1).name,
    ];
  }
  if (verb === "CREATE") return [first.name];
  // DROP TABLE a, b · RENAME TABLE a TO b, c TO d
  const names = [first.name];
  for (let next = first.next; next < tokens.length;) {
    if (tokens[next]!.text !== "," && words[next] !== "TO") {
      next += 1;
      continue;
    }
    const named = nameAt(tokens, next + 1);
    names.push(named.name);
    next = named.next;
  }
  return names;
}

/** The name that begins there, of a qualified one the last part, and what stands behind it. */
function nameAt(tokens: readonly Token[], start: number): { readonly name: string; readonly next: number } {
  let at = start;
  while (tokens[at + 1]?.text === "." && tokens[at + 2]) at += 2;
  const token = tokens[at];
  return { name: token ? nameOf(token) : "", next: at + 1 };
}

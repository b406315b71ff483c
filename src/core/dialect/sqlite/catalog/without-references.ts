import { matters, tokenize, type Token } from "../../../sql/tokens.js";
import { TOKENS } from "../settle.js";

/**
 * The text of a CREATE TABLE with every reference cut out, and nothing else touched: a foreign key is a condition on
 * rows only, so the rows on disk fit either text (https://sqlite.org/lang_altertable.html#otheralter).
 */
export function withoutReferences(sql: string): string {
  const tokens = tokenize(sql, TOKENS).filter(matters);
  const word = (at: number): string => (tokens[at]?.kind === "word" ? tokens[at].text.toUpperCase() : "");
  const cuts: { from: number; to: number }[] = [];
  let depth = 0;
  for (let at = 0; at < tokens.length; at += 1) {
    const { text } = tokens[at]!;
    if (text === "(") depth += 1;
    if (text === ")") depth -= 1;
    if (depth !== 1 || !(word(at) === "REFERENCES" || (word(at) === "FOREIGN" && word(at + 1) === "KEY")))
      continue;
    const ofTable = word(at) === "FOREIGN";
    const named = word(at - 2) === "CONSTRAINT" ? at - 2 : at;
    const comma = ofTable && tokens[named - 1]?.text === "," ? named - 1 : named;
    const references = ofTable ? endOfGroup(tokens, at + 2) : at;
    const end = endOfReference(tokens, references, word);
    cuts.push({ from: tokens[comma]!.at, to: tokens[end - 1]!.at + tokens[end - 1]!.text.length });
    at = end - 1;
  }
  return cuts.reduceRight((text, { from, to }) => text.slice(0, from) + text.slice(to), sql);
}

/** Behind the parentheses that open at a token, if any do. */
function endOfGroup(tokens: readonly Token[], at: number): number {
  if (tokens[at]?.text !== "(") return at;
  let depth = 0;
  for (let end = at; end < tokens.length; end += 1) {
    if (tokens[end]!.text === "(") depth += 1;
    if (tokens[end]!.text === ")" && (depth -= 1) === 0) return end + 1;
  }
  return tokens.length;
}

/** Behind `REFERENCES potters (id) ON DELETE SET NULL DEFERRABLE INITIALLY DEFERRED`. */
function endOfReference(tokens: readonly Token[], at: number, word: (at: number) => string): number {
  let end = endOfGroup(tokens, at + 2);
  for (;;) {
    if (word(end) === "ON" && /^(?:DELETE|UPDATE)$/.test(word(end + 1))) {
      end += /^(?:SET|NO)$/.test(word(end + 2)) ? 4 : 3;
    } else if (word(end) === "MATCH") end += 2;
    else if (word(end) === "NOT" && word(end + 1) === "DEFERRABLE") end += 2;
    else if (word(end) === "DEFERRABLE") end += 1;
    else if (word(end) === "INITIALLY") end += 2;
    else return Math.min(end, tokens.length);
  }
}

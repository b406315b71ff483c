import { equal } from "../schema/canonical.js";
import type { SqlText } from "../schema/types.js";

/** What of a text is otherwise, in few words: `weight → grams`; of several dialects each that differs. */
export function differenceOfTexts(before: SqlText, after: SqlText): string {
  const texts = (sql: SqlText): Readonly<Record<string, string>> =>
    typeof sql === "string" ? { "": sql } : sql;
  const [was, now] = [texts(before), texts(after)];
  const byWords = new Map<string, string[]>();
  const dialects = new Set([...Object.keys(was), ...Object.keys(now)]);
  if (dialects.size > 1) dialects.delete("");
  for (const dialect of dialects) {
    const [old, young] = [was[dialect] ?? was[""], now[dialect] ?? now[""]];
    if (old === young) continue;
    const words = old === undefined ? "new" : young === undefined ? "no more" : differenceOfText(old, young);
    byWords.set(words, [...(byWords.get(words) ?? []), dialect]);
  }
  return [...byWords]
    .map(([words, dialects]) => [dialects.filter(Boolean).join(", "), words].filter(Boolean).join(": "))
    .join("; ");
}

function differenceOfText(before: string, after: string): string {
  const [old, young] = [partsOfText(before), partsOfText(after)];
  const words = ([text]: Part) => text;
  if (equal(old.map(words), young.map(words))) return "only blanks";
  let start = 0;
  while (start < old.length && old[start]?.[0] === young[start]?.[0]) start += 1;
  let end = 0;
  while (
    end < old.length - start &&
    end < young.length - start &&
    old.at(-1 - end)?.[0] === young.at(-1 - end)?.[0]
  )
    end += 1;
  const middle = (text: string, parts: readonly Part[]) => {
    const [first, last] = [parts[start], parts.at(-1 - end)];
    const isEmpty = !first || !last || parts.length - end <= start;
    return isEmpty ? "" : text.slice(first[1], last[1] + last[0].length).replace(/\s+/g, " ");
  };
  const apart = (some: readonly Part[], others: readonly Part[]) => {
    const known = new Set(others.map(words));
    return [...new Set(some.map(words).filter(part => !known.has(part)))];
  };
  const [gone, come] = [apart(old, young), apart(young, old)];
  // Signs say nothing without what stands around them.
  const isOfWords = [...gone, ...come].every(part => /[\p{L}\p{N}]/u.test(part));
  const [shortest = ""] = [
    isOfWords ? sayGoneAndCome(gone.join(" "), come.join(" ")) : "",
    sayGoneAndCome(middle(before, old), middle(after, young)),
  ]
    .filter(said => said !== "")
    .sort((a, b) => a.length - b.length);
  if (shortest.length <= SHORT) return shortest;
  const [lines, others] = [linesOf(before), linesOf(after)];
  const count = (some: readonly string[], others: readonly string[]) =>
    some.filter(each => !others.includes(each)).length;
  return `${count(lines, others)} of ${lines.length} lines go, ${count(others, lines)} come`;
}

function sayGoneAndCome(gone: string, come: string): string {
  if (gone === "") return come === "" ? "" : `+ ${come}`;
  return come === "" ? `− ${gone}` : `${gone} → ${come}`;
}

/** As much as stands in a line beside what it is about. */
const SHORT = 70;

/** A word or signs, and where they stand. */
type Part = readonly [text: string, at: number];

function partsOfText(text: string): Part[] {
  return [...text.matchAll(/[\p{L}\p{N}_$]+|[^\s\p{L}\p{N}_$]/gu)].map(match => [match[0], match.index]);
}

/** Its lines, each without blanks around it. */
export function linesOf(text: string): string[] {
  return text.split("\n").flatMap(line => line.trim().replace(/\s+/g, " ") || []);
}

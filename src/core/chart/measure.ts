import { LETTER_WIDTHS } from "./letter-widths.js";

export type Weight = keyof typeof LETTER_WIDTHS;

/** Width in pixels of a text in the chart's font, without kerning, which is turned off where it is drawn. */
export function widthOf(text: string, size: number, weight: Weight = "regular"): number {
  const widths = widthsOf(weight);
  let sum = 0;
  for (const letter of text) sum += widths.get(letter.codePointAt(0)!) ?? UNKNOWN_LETTER;
  return (sum * size) / 1000;
}

/** As wide as its size: what other fonts draw in place of a letter that this one lacks is hardly wider. */
const UNKNOWN_LETTER = 1000;

const read = new Map<Weight, ReadonlyMap<number, number>>();

function widthsOf(weight: Weight): ReadonlyMap<number, number> {
  const known = read.get(weight);
  if (known) return known;
  const widths = new Map<number, number>();
  for (const run of LETTER_WIDTHS[weight].split(";")) {
    const [from = "", list = ""] = run.split(":");
    list.split(",").forEach((width, at) => widths.set(parseInt(from, 36) + at, parseInt(width, 36)));
  }
  read.set(weight, widths);
  return widths;
}

/** Breaks a text into lines that fit, within words where it must. The last of too many ends with `…`. */
export function wrap(text: string, width: number, size: number, lines: number): string[] {
  const result: string[] = [];
  let line = "";
  for (const word of text.split(/\s+/).flatMap(each => broken(each, width, size))) {
    const longer = line === "" ? word : `${line} ${word}`;
    if (line === "" || widthOf(longer, size) <= width) line = longer;
    else {
      result.push(line);
      line = word;
    }
  }
  if (line !== "") result.push(line);
  if (result.length <= lines) return result;
  const last = [...result[lines - 1]!];
  while (widthOf(`${last.join("")}…`, size) > width) last.pop();
  return [...result.slice(0, lines - 1), `${last.join("")}…`];
}

/** A word in pieces that fit, broken behind a comma where there is one. */
function broken(word: string, width: number, size: number): string[] {
  const result: string[] = [];
  let piece = "";
  for (const letters of word
    .split(/(?<=[,|])/)
    .flatMap(each => (widthOf(each, size) > width ? [...each] : [each]))) {
    if (piece !== "" && widthOf(piece + letters, size) > width) {
      result.push(piece);
      piece = "";
    }
    piece += letters;
  }
  return piece === "" ? result : [...result, piece];
}

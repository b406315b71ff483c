import type { AST } from "@eslint-community/regexpp";

/** What no engine says as JavaScript means it; the message says which part that is. */
export class Unsaid extends Error {}

/** Code points from one to another. */
export type Range = readonly [from: number, to: number];

export const LAST = 0x10_ff_ff;
export const LAST_UNIT = 0xff_ff;
export const DIGITS: readonly Range[] = [[0x30, 0x39]];
export const WORD: readonly Range[] = [...DIGITS, [0x41, 0x5a], [0x5f, 0x5f], [0x61, 0x7a]];
/** WhiteSpace and LineTerminator: https://tc39.es/ecma262/#sec-white-space */
export const SPACE: readonly Range[] = [
  ...([[0x09, 0x0d]] as const),
  ...[0x20, 0xa0, 0x16_80].map(at => [at, at] as const),
  [0x20_00, 0x20_0a],
  ...[0x20_28, 0x20_29, 0x20_2f, 0x20_5f, 0x30_00, 0xfe_ff].map(at => [at, at] as const),
];
export const LINE_ENDS: readonly Range[] = [
  [0x0a, 0x0a],
  [0x0d, 0x0d],
  [0x20_28, 0x20_29],
];
/** The character that two halves in a row are. */
export function pairOf(one: AST.Character, next: AST.Character): number | undefined {
  const isPair = pairHalf(one.value) === "first" && pairHalf(next.value) === "second";
  return isPair ? 0x1_00_00 + ((one.value - 0xd8_00) << 10) + (next.value - 0xdc_00) : undefined;
}

/** Which half of a character beyond 16 bits a unit is. */
export function pairHalf(unit: number): "first" | "second" | undefined {
  if (unit < 0xd8_00 || unit > 0xdf_ff) return undefined;
  return unit < 0xdc_00 ? "first" : "second";
}

/** In order, those that touch as one. */
export function joined(ranges: readonly Range[]): Range[] {
  const all: [number, number][] = [];
  for (const [from, to] of ranges.toSorted(([a], [b]) => a - b)) {
    const last = all.at(-1);
    if (last && from <= last[1] + 1) last[1] = Math.max(last[1], to);
    else all.push([from, to]);
  }
  return all;
}

/** All code points up to a last one that are in none of some ranges. */
export function allBut(ranges: readonly Range[], last: number): Range[] {
  const others: Range[] = [];
  let next = 0;
  for (const [from, to] of joined(ranges)) {
    if (from > next) others.push([next, from - 1]);
    next = to + 1;
  }
  return next <= last ? [...others, [next, last]] : others;
}

/** ASCII letters in both cases. Of others, which are the same differs. https://tc39.es/ecma262/#sec-runtime-semantics-canonicalize-ch */
export function withOtherCase(unicode: boolean): (range: Range) => Range[] {
  return ([from, to]) => {
    const others = (first: number, last: number, by: number): Range[] => {
      const [low, high] = [Math.max(from, first), Math.min(to, last)];
      return low <= high ? [[low + by, high + by]] : [];
    };
    if (to > 0x7f && hasCase(Math.max(from, 0x80), to))
      throw new Unsaid("its flag i is about letters beyond ASCII");
    const both: Range[] = [[from, to], ...others(0x41, 0x5a, 32), ...others(0x61, 0x7a, -32)];
    const has = (letter: number) => both.some(([first, last]) => first <= letter && letter <= last);
    // With the flag u, the long s and the sign of Kelvin are an s and a k.
    return unicode
      ? [
          ...both,
          ...(has(0x73) ? [[0x1_7f, 0x1_7f] as const] : []),
          ...(has(0x6b) ? [[0x21_2a, 0x21_2a] as const] : []),
        ]
      : both;
  };
}

function hasCase(from: number, to: number): boolean {
  if (to - from > 2000) return true;
  for (let at = from; at <= to; at += 1) {
    const text = String.fromCodePoint(at);
    if (text.toLowerCase() !== text.toUpperCase()) return true;
  }
  return false;
}

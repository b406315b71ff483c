import { RegExpParser, type AST } from "@eslint-community/regexpp";

/** How an engine writes what patterns are made of. */
export interface PatternWords {
  /** The beginning and the end of the text, whatever lines are in it. */
  readonly start: string;
  readonly end: string;
  /** Any character, ends of lines too. */
  readonly any: string;
  /** One character by its code point, by itself or within a set; undefined: no text holds it. */
  readonly character: (codePoint: number, inSet: boolean) => string | undefined;
  /** Whether what is looked ahead for may be written. */
  readonly looksAhead: boolean;
  /** The most times that one repetition may say. */
  readonly mostTimes: number;
}

/** A pattern in an engine's words, or why there are none that mean exactly the same. */
export type Translated =
  | { readonly text: string; readonly reason?: undefined }
  | { readonly text?: undefined; readonly reason: string };

/** A character as engines write it that take a backslash before what would mean something; others by their number. */
export function escapedCharacter(
  codePoint: number,
  inSet: boolean,
  byNumber: (hex: string) => string,
): string {
  const text = String.fromCodePoint(codePoint);
  if (codePoint < 0x20 || /\s/.test(text) !== (text === " ")) return byNumber(codePoint.toString(16));
  return (inSet ? /[\]\[\\^-]/ : /[.^$*+?()[\]{}|\\]/).test(text) ? `\\${text}` : text;
}

type Range = readonly [from: number, to: number];

const LAST = 0x10_ff_ff;
const LAST_UNIT = 0xff_ff;
const DIGITS: readonly Range[] = [[0x30, 0x39]];
const WORD: readonly Range[] = [...DIGITS, [0x41, 0x5a], [0x5f, 0x5f], [0x61, 0x7a]];
/** WhiteSpace and LineTerminator: https://tc39.es/ecma262/#sec-white-space */
const SPACE: readonly Range[] = [
  ...([[0x09, 0x0d]] as const),
  ...[0x20, 0xa0, 0x16_80].map(at => [at, at] as const),
  [0x20_00, 0x20_0a],
  ...[0x20_28, 0x20_29, 0x20_2f, 0x20_5f, 0x30_00, 0xfe_ff].map(at => [at, at] as const),
];
const LINE_ENDS: readonly Range[] = [
  [0x0a, 0x0a],
  [0x0d, 0x0d],
  [0x20_28, 0x20_29],
];
/** More repetitions than these make a pattern that engines give up on. */
const TOO_MANY = 1000;

class Unsaid extends Error {}

/**
 * A pattern of JavaScript in an engine's words, node by node: sets of characters are written out, capitals beside small
 * letters, the ends are those of the text. What an engine reads otherwise is not translated, and the reason says which
 * part that is. https://tc39.es/ecma262/#sec-patterns
 */
export function translatePattern(pattern: string, flags: string, words: PatternWords): Translated {
  try {
    for (const [flag, what] of [
      ["m", "its flag m makes ends of lines of ^ and $"],
      ["v", "its flag v knows operations on sets"],
      ["y", "its flag y remembers where it was"],
    ] as const)
      if (flags.includes(flag)) throw new Unsaid(what);
    const translator = new Translator(words, flags);
    return { text: translator.disjunction(parse(pattern, flags).alternatives) };
  } catch (error) {
    if (error instanceof Unsaid) return { reason: error.message };
    throw error;
  }
}

function parse(pattern: string, flags: string): AST.Pattern {
  try {
    return new RegExpParser().parsePattern(pattern, 0, pattern.length, { unicode: flags.includes("u") });
  } catch {
    throw new Unsaid("it is no pattern of JavaScript");
  }
}

class Translator {
  private readonly unicode: boolean;
  private readonly caseless: boolean;
  private readonly dotAll: boolean;
  /** Whether a part was met whose characters JavaScript counts in its own way. */
  private counts = false;

  constructor(
    private readonly words: PatternWords,
    flags: string,
  ) {
    this.unicode = flags.includes("u");
    this.caseless = flags.includes("i");
    this.dotAll = flags.includes("s");
  }

  disjunction(alternatives: readonly AST.Alternative[]): string {
    return alternatives.map(({ elements }) => this.sequence(elements)).join("|");
  }

  private sequence(elements: readonly AST.Element[]): string {
    let text = "";
    for (let at = 0; at < elements.length; at += 1) {
      const [one, next] = [elements[at]!, elements[at + 1]];
      const pair = one.type === "Character" && next?.type === "Character" ? pairOf(one, next) : undefined;
      text += pair === undefined ? this.element(one) : this.set([[pair, pair]], false);
      if (pair !== undefined) at += 1;
    }
    return text;
  }

  private element(element: AST.Element): string {
    switch (element.type) {
      case "Character":
        return this.set([[element.value, element.value]], false);
      case "CharacterSet":
        return this.characterSet(element);
      case "CharacterClass":
        return this.set(this.rangesOf(element), element.negate);
      case "Group":
      case "CapturingGroup":
        if (element.type === "Group" && element.modifiers) throw new Unsaid("a group has flags of its own");
        return `(?:${this.disjunction(element.alternatives)})`;
      case "Quantifier":
        return this.quantifier(element);
      case "Assertion":
        return this.assertion(element);
      case "Backreference":
        throw new Unsaid("it speaks of what a group found");
      case "ExpressionCharacterClass":
        throw new Unsaid("it knows operations on sets");
      default:
        return element satisfies never;
    }
  }

  private characterSet(element: AST.CharacterSet): string {
    if (element.kind === "property")
      throw new Unsaid(`what ${element.raw} means differs by version of Unicode`);
    if (element.kind === "any" || element.negate) this.refuseUnits(element);
    if (element.kind === "any") return this.dotAll ? this.words.any : this.set(LINE_ENDS, true);
    return this.set(this.kindOf(element.kind), element.negate);
  }

  private kindOf(kind: "digit" | "word" | "space"): readonly Range[] {
    if (kind === "word" && this.unicode && this.caseless)
      throw new Unsaid("with the flags i and u, \\w has letters beyond ASCII");
    return kind === "digit" ? DIGITS : kind === "word" ? WORD : SPACE;
  }

  private rangesOf(element: AST.CharacterClass): Range[] {
    const ranges = element.elements.flatMap((each): readonly Range[] => {
      switch (each.type) {
        case "Character":
          return [[each.value, each.value]];
        case "CharacterClassRange":
          return [[each.min.value, each.max.value]];
        case "CharacterSet": {
          if (each.kind === "property")
            throw new Unsaid(`what ${each.raw} means differs by version of Unicode`);
          const own = this.kindOf(each.kind);
          return each.negate ? allBut(own, this.unicode ? LAST : LAST_UNIT) : own;
        }
        default:
          throw new Unsaid("it knows operations on sets");
      }
    });
    if (element.negate || ranges.some(([, to]) => to >= LAST_UNIT)) this.refuseUnits(element);
    if (ranges.length === 0 && !element.negate) throw new Unsaid("a set of no characters fits nothing");
    return ranges;
  }

  /** One of some characters, or of all others. */
  private set(given: readonly Range[], negate: boolean): string {
    const { words } = this;
    const ranges = this.caseless ? given.flatMap(withOtherCase(this.unicode)) : given;
    if (ranges.some(([from, to]) => from <= 0xdf_ff && to >= 0xd8_00 && to - from < 0x800))
      throw new Unsaid("it has half of a character");
    if (ranges.length === 0) return words.any;
    const [[from, to] = [0, 0]] = ranges;
    if (!negate && ranges.length === 1 && from === to) return this.character(from, false);
    // Every character: a set of them all has no bounds to write.
    if (!negate && allBut(ranges, this.unicode ? LAST : LAST_UNIT).length === 0) return words.any;
    const parts = joined(ranges).map(([first, last]) => {
      const [low, high] = [Math.max(first, 1), last === LAST_UNIT && !this.unicode ? LAST : last];
      return low === high
        ? this.character(low, true)
        : `${this.character(low, true)}-${this.character(high, true)}`;
    });
    return `[${negate ? "^" : ""}${parts.join("")}]`;
  }

  private character(codePoint: number, inSet: boolean): string {
    const text = this.words.character(codePoint, inSet);
    if (text === undefined) throw new Unsaid("it has a character that no text holds");
    return text;
  }

  /**
   * Without the flag u, JavaScript counts a character beyond 16 bits as two, and engines as one: the same only where
   * any number of them is meant, and nothing else in the pattern counts.
   */
  private refuseUnits(element: AST.Node): void {
    if (this.unicode) return;
    const { parent } = element;
    const isAnyNumber = parent?.type === "Quantifier" && parent.min <= 1 && parent.max === Infinity;
    if (!isAnyNumber || this.counts || isRepeated(parent))
      throw new Unsaid("without the flag u it counts characters beyond 16 bits as two");
    this.counts = true;
  }

  private quantifier({ element, min, max }: AST.Quantifier): string {
    if (element.type === "Assertion") throw new Unsaid("it repeats what has no length");
    if ((max === Infinity ? min : max) > TOO_MANY) throw new Unsaid("it repeats too often");
    if (element.type === "Character" && pairHalf(element.value))
      throw new Unsaid("it has half of a character");
    const atom = this.element(element);
    if (max === 0) return "";
    if (max === Infinity && min <= 1) return `${atom}${min === 0 ? "*" : "+"}`;
    if (min === 0 && max === 1) return `${atom}?`;
    const most = this.words.mostTimes;
    const times = (count: number, word: (some: number) => string) =>
      Array.from({ length: Math.ceil(count / most) }, (_, at) =>
        word(Math.min(most, count - at * most)),
      ).join("");
    if (max <= most) return `${atom}{${min === max ? min : `${min},${max}`}}`;
    const least = times(min, some => `${atom}{${some}}`);
    return max === Infinity
      ? `${least}${atom}*`
      : `${least}${times(max - min, some => `${atom}{0,${some}}`)}`;
  }

  private assertion(element: AST.Assertion): string {
    switch (element.kind) {
      case "start":
        return this.words.start;
      case "end":
        return this.words.end;
      case "lookahead":
        if (!this.words.looksAhead) throw new Unsaid("it looks ahead");
        return `(?${element.negate ? "!" : "="}${this.disjunction(element.alternatives)})`;
      case "lookbehind":
        throw new Unsaid("it looks behind");
      case "word": {
        // Between the halves of a character there is no edge.
        if (element.negate) this.refuseUnits(element);
        const word = this.set(this.kindOf("word"), false);
        const [edge, within] = [
          [`(?<!${word})(?=${word})`, `(?<=${word})(?!${word})`],
          [`(?<=${word})(?=${word})`, `(?<!${word})(?!${word})`],
        ];
        return `(?:${(element.negate ? within! : edge!).join("|")})`;
      }
      default:
        return element satisfies never;
    }
  }
}

/** Whether it stands within something that may come more than once. */
function isRepeated({ parent }: AST.Node): boolean {
  for (let at: AST.Node | null = parent; at; at = at.parent)
    if (at.type === "Quantifier" && at.max > 1) return true;
  return false;
}

/** The character that two halves in a row are. */
function pairOf(one: AST.Character, next: AST.Character): number | undefined {
  const isPair = pairHalf(one.value) === "first" && pairHalf(next.value) === "second";
  return isPair ? 0x1_00_00 + ((one.value - 0xd8_00) << 10) + (next.value - 0xdc_00) : undefined;
}

function pairHalf(unit: number): "first" | "second" | undefined {
  if (unit < 0xd8_00 || unit > 0xdf_ff) return undefined;
  return unit < 0xdc_00 ? "first" : "second";
}

/** In order, those that touch as one. */
function joined(ranges: readonly Range[]): Range[] {
  const all: [number, number][] = [];
  for (const [from, to] of ranges.toSorted(([a], [b]) => a - b)) {
    const last = all.at(-1);
    if (last && from <= last[1] + 1) last[1] = Math.max(last[1], to);
    else all.push([from, to]);
  }
  return all;
}

function allBut(ranges: readonly Range[], last: number): Range[] {
  const others: Range[] = [];
  let next = 0;
  for (const [from, to] of joined(ranges)) {
    if (from > next) others.push([next, from - 1]);
    next = to + 1;
  }
  return next <= last ? [...others, [next, last]] : others;
}

/** ASCII letters in both cases. Of others, which are the same differs. https://tc39.es/ecma262/#sec-runtime-semantics-canonicalize-ch */
function withOtherCase(unicode: boolean): (range: Range) => Range[] {
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

import { RegExpParser, type AST } from "@eslint-community/regexpp";
import {
  allBut,
  DIGITS,
  joined,
  LAST,
  LAST_UNIT,
  LINE_ENDS,
  pairHalf,
  pairOf,
  SPACE,
  Unsaid,
  withOtherCase,
  WORD,
  type Range,
} from "./characters.js";

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

/** More repetitions than these make a pattern that engines give up on. */
const TOO_MANY = 1000;

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

/** How many characters a text may have at most that fits a pattern from its beginning to its end; Infinity: any number. */
export function longestMatch(pattern: string, flags: string): number {
  if (/[mvy]/.test(flags)) return Infinity;
  try {
    return Math.max(...parse(pattern, flags).alternatives.map(wholeLength));
  } catch (error) {
    if (error instanceof Unsaid) return Infinity;
    throw error;
  }
}

function wholeLength({ elements }: AST.Alternative): number {
  const isEdge = (at: number, kind: "start" | "end") => {
    const element = elements.at(at);
    return element?.type === "Assertion" && element.kind === kind;
  };
  return isEdge(0, "start") && isEdge(-1, "end") ? lengthOf(elements) : Infinity;
}

function lengthOf(elements: readonly AST.Element[]): number {
  const lengths = elements.map((element): number => {
    switch (element.type) {
      case "Assertion":
        return 0;
      case "Group":
      case "CapturingGroup":
        return Math.max(...element.alternatives.map(each => lengthOf(each.elements)));
      case "Quantifier":
        return element.max === 0 ? 0 : lengthOf([element.element]) * element.max;
      case "Backreference":
        return Infinity;
      default:
        return 1;
    }
  });
  return lengths.reduce((sum, length) => sum + length, 0);
}

/** One character of a set, so many times. */
export interface Atom {
  readonly ranges: readonly Range[];
  /** One that is in none of them. */
  readonly negate: boolean;
  readonly min: number;
  readonly max: number;
}

/** Characters in a row, from the beginning of a text or to its end where it says so. */
export interface Row {
  readonly atoms: readonly Atom[];
  readonly begins: boolean;
  readonly ends: boolean;
}

/** A pattern as rows of characters of which one must fit; undefined: it is another kind of pattern, or no engine's. */
export function rowsOfPattern(pattern: string, flags: string): readonly Row[] | undefined {
  if (/[mvy]/.test(flags)) return undefined;
  try {
    const reader = new Translator(ROWS, flags);
    const rows = parse(pattern, flags).alternatives.flatMap(({ elements }) => reader.rows(elements));
    return rows.length <= MOST_ROWS ? rows : undefined;
  } catch (error) {
    if (error instanceof Unsaid) return undefined;
    throw error;
  }
}

/** More of them than anybody would read. */
const MOST_ROWS = 8;

const ROWS: PatternWords = {
  start: "",
  end: "",
  any: "",
  character: codePoint => (codePoint === 0 ? undefined : ""),
  looksAhead: false,
  mostTimes: Infinity,
};

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

  /** Alternatives within a row make rows of their own. */
  rows(elements: readonly AST.Element[]): Row[] {
    const isEdge = (element: AST.Element | undefined, kind: "start" | "end") =>
      element?.type === "Assertion" && element.kind === kind;
    const [begins, ends] = [isEdge(elements[0], "start"), isEdge(elements.at(-1), "end")];
    const inner = elements.slice(begins ? 1 : 0, ends ? -1 : undefined);
    return this.atomLists(inner).map(atoms => ({ atoms, begins, ends }));
  }

  private atomLists(elements: readonly AST.Element[]): Atom[][] {
    let lists: Atom[][] = [[]];
    for (let at = 0; at < elements.length; at += 1) {
      const [one, next] = [elements[at]!, elements[at + 1]];
      const pair = one.type === "Character" && next?.type === "Character" ? pairOf(one, next) : undefined;
      if (pair !== undefined) at += 1;
      const found = pair === undefined ? this.atomsOf(one) : [[onceOf([[pair, pair]], false)]];
      lists = lists.flatMap(list => found.map(each => [...list, ...each]));
      if (lists.length > MOST_ROWS) throw new Unsaid("it has many alternatives");
    }
    return lists;
  }

  private atomsOf(element: AST.Element): Atom[][] {
    switch (element.type) {
      case "Group":
      case "CapturingGroup":
        if (element.type === "Group" && element.modifiers) throw new Unsaid("a group has flags of its own");
        return element.alternatives.flatMap(each => this.atomLists(each.elements));
      case "Quantifier": {
        const [[atom, ...others] = [], ...more] = this.atomsOf(element.element);
        if (!atom || others.length > 0 || more.length > 0 || atom.min !== 1 || atom.max !== 1)
          throw new Unsaid("it repeats more than one character");
        const { min, max } = element;
        return min === 0 && max === 1 ? [[atom], []] : [[{ ...atom, min, max }]];
      }
      case "Character":
        return [[this.atom([[element.value, element.value]], false)]];
      case "CharacterClass":
        return [[this.atom(this.rangesOf(element), element.negate)]];
      case "CharacterSet":
        return [[this.atomOfSet(element)]];
      default:
        throw new Unsaid("it is no row of characters");
    }
  }

  private atomOfSet(element: AST.CharacterSet): Atom {
    if (element.kind === "property")
      throw new Unsaid(`what ${element.raw} means differs by version of Unicode`);
    if (element.kind === "any" || element.negate) this.refuseUnits(element);
    if (element.kind === "any") return onceOf(this.dotAll ? [] : LINE_ENDS, true);
    return this.atom(this.kindOf(element.kind), element.negate);
  }

  /** The same checks as where it is written. */
  private atom(ranges: readonly Range[], negate: boolean): Atom {
    this.set(ranges, negate);
    const both = this.caseless ? ranges.flatMap(withOtherCase(this.unicode)) : ranges;
    const whole = joined(both).map(([from, to]): Range => [
      from,
      to === LAST_UNIT && !this.unicode ? LAST : to,
    ]);
    return allBut(whole, LAST).length === 0 ? onceOf([], !negate) : onceOf(whole, negate);
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
      // Where no text holds NUL, no set may name it.
      const least = this.words.character(0, true) === undefined ? 1 : 0;
      const [low, high] = [Math.max(first, least), last === LAST_UNIT && !this.unicode ? LAST : last];
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

function onceOf(ranges: readonly Range[], negate: boolean): Atom {
  return { ranges, negate, min: 1, max: 1 };
}

/** Whether it stands within something that may come more than once. */
function isRepeated({ parent }: AST.Node): boolean {
  for (let at: AST.Node | null = parent; at; at = at.parent)
    if (at.type === "Quantifier" && at.max > 1) return true;
  return false;
}

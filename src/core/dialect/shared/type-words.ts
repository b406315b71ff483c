import { NO_WORDS, type TypeWords } from "../../change/widening.js";
import { parseNativeType } from "../../sql/native-type.js";

/**
 * A native type in portable words. What says more than words and sizes (`unsigned`, an array, a list of values) has none.
 * @param synonyms portable words by the dialect's own
 */
export function typeWords(text: string, synonyms: Readonly<Record<string, string>>): TypeWords {
  const { name, numbers, values, behind, dimensions } = parseNativeType(text);
  if (values || behind !== "" || dimensions !== "" || !/^[a-z ]+$/.test(name)) return NO_WORDS;
  return { name: synonyms[name] ?? name, numbers };
}

/** How far a type goes whose size is beyond that: `varchar goes to varchar(16383)`; undefined: it is not. */
export function sizeBeyond(
  { name, numbers }: TypeWords,
  most: Readonly<Record<string, readonly number[]>>,
): string | undefined {
  const sizes = most[name];
  const isBeyond = numbers.some((number, at) => number > (sizes?.[at] ?? Infinity));
  return sizes && isBeyond ? `${name} goes to ${name}(${sizes.join(",")})` : undefined;
}

/** The same answers, each worked out once: a catalog has few words for many columns. */
export function remembered(spell: (text: string) => string): (text: string) => string {
  const known = new Map<string, string>();
  return text => {
    const spelled = known.get(text) ?? spell(text);
    known.set(text, spelled);
    return spelled;
  };
}

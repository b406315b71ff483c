/** A type in a database's own words, taken apart: `enum('raw','bisque')`, `int(10) unsigned`, `numeric(8,2)[]`. */
interface NativeType {
  /** Its words up to the first parenthesis, in small letters: `character varying`. */
  readonly name: string;
  /** The sizes in parentheses; none where texts or nothing stand there. */
  readonly numbers: readonly number[];
  /** The texts in parentheses, as they are meant: the values of an enum or a set. */
  readonly values?: readonly string[];
  /** What stands behind the parentheses, in small letters: `unsigned`, `with time zone`. */
  readonly behind: string;
  /** `[]` for each dimension of an array. */
  readonly dimensions: string;
}

const parsed = new Map<string, NativeType>();

/** Takes a type apart by its form alone: what its words mean is each dialect's to say. */
export function parseNativeType(text: string): NativeType {
  const known = parsed.get(text) ?? parse(text);
  parsed.set(text, known);
  return known;
}

function parse(text: string): NativeType {
  const [, base = "", dimensions = ""] = /^([^]*?)((?:\[\])*)$/.exec(text.trim()) ?? [];
  const [, name = base, inside, behind = ""] = /^([^(]*)\(([^]*)\)([^()]*)$/.exec(base) ?? [];
  const list = inside === undefined ? null : /^\s*'/.test(inside) ? inside.match(/'(?:[^']|'')*'/g) : null;
  const sizes = inside !== undefined && /^[\d, ]+$/.test(inside) ? inside.split(",").map(Number) : [];
  return {
    name: name.trim().toLowerCase(),
    numbers: sizes,
    ...(list && { values: list.map(value => value.slice(1, -1).replaceAll("''", "'")) }),
    behind: behind.trim().toLowerCase(),
    dimensions,
  };
}

/** The parts of an SQL list of texts and numbers, texts as they are meant: `'it''s', 7` → ["it's", 7]. */
export function parseSqlList(list: string): (string | number)[] {
  const items = list.match(/'(?:[^']|'')*'|-?\d+(?:\.\d+)?/g) ?? [];
  return items.map(item => (item.startsWith("'") ? item.slice(1, -1).replaceAll("''", "'") : Number(item)));
}

/**
 * SQLite has no regular expressions, but GLOB knows sets of characters (https://sqlite.org/lang_expr.html#glob). Enough
 * for patterns of single characters in a row, of which the last may be repeated:
 * `^[A-Z]-[0-9]+$` → `{label} GLOB '[A-Z]-[0-9]*' AND substr({label}, 3) NOT GLOB '*[^0-9]*'`
 * @returns undefined for any other pattern
 */
export function globSql(column: string, pattern: string, flags: string): string | undefined {
  if (/[mvy]/.test(flags)) return undefined;
  const caseless = flags.includes("i");
  const atoms = readAtoms(caseless ? pattern.toLowerCase().replaceAll("\\d", "[0-9]") : pattern);
  const last = atoms?.pop();
  if (!atoms || !last || !atoms.every(({ min, max }) => min === max)) return undefined;
  const text = caseless ? `lower(${column})` : column;
  const fixed = atoms.flatMap(({ set, min }) => Array.from({ length: min }, () => globSetSql(set)));
  if (last.min === last.max && last.min <= WRITTEN_OUT)
    return `${text} GLOB '${[...fixed, ...Array.from({ length: last.min }, () => globSetSql(last.set))].join("")}'`;
  const begin = [...fixed, ...(last.min > 0 ? [globSetSql(last.set)] : []), "*"].join("");
  const rest = fixed.length > 0 ? `substr(${text}, ${fixed.length + 1})` : text;
  return [
    ...(begin === "*" ? [] : [`${text} GLOB '${begin}'`]),
    `${rest} NOT GLOB '*[^${last.set}]*'`,
    ...(last.min > 1 ? [`length(${column}) >= ${fixed.length + last.min}`] : []),
    ...(last.max < Infinity ? [`length(${column}) <= ${fixed.length + last.max}`] : []),
  ].join(" AND ");
}

/** More characters of one set than these are counted instead. */
const WRITTEN_OUT = 4;

/** One character of a set, so many times. */
interface Atom {
  /** As it stands between brackets. */
  readonly set: string;
  readonly min: number;
  readonly max: number;
}

const ATOM =
  /(?:\[([A-Za-z0-9_.:/ -]+)\]|\\(d)|\\([-.:/+*?()[\]])|([A-Za-z0-9_:/ #@=-]))(?:(\+|\*)|\{(\d+)(?:(,)(\d*))?\})?/y;

function readAtoms(pattern: string): Atom[] | undefined {
  if (!pattern.startsWith("^") || !pattern.endsWith("$")) return undefined;
  const inner = pattern.slice(1, -1);
  const atoms: Atom[] = [];
  for (ATOM.lastIndex = 0; ATOM.lastIndex < inner.length;) {
    const match = ATOM.exec(inner);
    if (!match) return undefined;
    const [, set, digit, escaped, plain, repeated, least, comma, most] = match;
    const [min, max] =
      repeated !== undefined
        ? [repeated === "+" ? 1 : 0, Infinity]
        : least === undefined
          ? [1, 1]
          : [Number(least), comma === undefined ? Number(least) : Number(most || Infinity)];
    const characters = digit === undefined ? (set ?? escaped ?? plain!) : "0-9";
    // A bracket or a hyphen cannot stand for itself just anywhere in a set.
    if (/[[\]]/.test(characters) || /^-|-.+-$/.test(characters)) {
      if (characters.length > 1) return undefined;
    }
    atoms.push({ set: characters, min, max });
  }
  return atoms;
}

function globSetSql(set: string): string {
  return set.length === 1 && !/[*?[]/.test(set) ? set : `[${set}]`;
}

import type { Range } from "../../lower/characters.js";
import { rowsOfPattern, type Atom, type Row } from "../../lower/pattern.js";

/**
 * SQLite has no regular expressions, but GLOB knows sets of characters (https://sqlite.org/lang_expr.html#glob). Enough
 * for patterns of single characters in a row, of which the last may be repeated, and for some of those:
 * `^[A-Z]-[0-9]+$` → `{label} GLOB '[A-Z]-[0-9]*' AND substr({label}, 3) NOT GLOB '*[^0-9]*'`
 * @returns undefined for any other pattern
 */
export function globSql(column: string, pattern: string, flags: string): string | undefined {
  const rows = rowsOfPattern(pattern, flags)?.map(row => rowSql(column, row));
  if (!rows || !rows.every(row => row !== undefined)) return undefined;
  if (rows.some(row => row === "")) return "TRUE";
  return rows.length === 1
    ? rows[0]
    : rows.map(row => (row.includes(" AND ") ? `(${row})` : row)).join(" OR ");
}

function rowSql(column: string, { atoms, begins, ends }: Row): string | undefined {
  const last = atoms.at(-1);
  const isFixed = ({ min, max }: Atom) => min === max;
  if (!last) return begins && ends ? `${column} = ''` : "";
  if (!atoms.slice(0, -1).every(isFixed)) return undefined;
  const before = atoms.slice(0, -1).flatMap(atom => written(atom, atom.min));
  const fixed = before.join("");
  const [left, right] = [begins ? "" : "*", ends ? "" : "*"];
  if (isFixed(last) && (last.min <= WRITTEN_OUT || !(begins && ends)))
    return globOf(column, `${left}${fixed}${written(last, last.min).join("")}${right}`);
  // Behind what is not looked at, any number of them is as good as the least.
  if (!ends) return globOf(column, `${left}${fixed}${written(last, last.min).join("")}*`);
  if (!begins) return undefined;
  const begin = `${fixed}${last.min > 0 ? setSql(last) : ""}*`;
  const rest = before.length > 0 ? `substr(${column}, ${before.length + 1})` : column;
  const others =
    last.negate && last.ranges.length === 0 ? undefined : setSql({ ...last, negate: !last.negate });
  return [
    ...(begin === "*" ? [] : [globOf(column, begin)]),
    ...(others === undefined ? [] : [`${rest} NOT GLOB ${literal(`*${others}*`)}`]),
    ...(last.min > 1 ? [`length(${column}) >= ${before.length + last.min}`] : []),
    ...(last.max < Infinity ? [`length(${column}) <= ${before.length + last.max}`] : []),
  ].join(" AND ");
}

/** More characters of one set than these are counted instead. */
const WRITTEN_OUT = 4;

function globOf(column: string, text: string): string {
  return /^\*+$/.test(text) ? "" : `${column} GLOB ${literal(text)}`;
}

/** What cannot be seen is written by its number: a script is read by people, and by editors that change ends of lines. */
function literal(text: string): string {
  const parts = text.split(/([\p{Cc}\p{Cf}\p{Zl}\p{Zp}]+|(?! )\p{Zs}+)/u).filter(part => part !== "");
  const words = parts.map(part =>
    /^(?! )[\p{Cc}\p{Cf}\p{Z}]/u.test(part)
      ? `char(${[...part].map(code).join(", ")})`
      : `'${part.replaceAll("'", "''")}'`,
  );
  return words.length === 1 ? words.join("") : `(${words.join(" || ")})`;
}

function written(atom: Atom, times: number): string[] {
  return Array.from({ length: times }, () => setSql(atom));
}

/** One character of a set as GLOB has it: a closing bracket stands first in it, a hyphen last, a caret not first. */
function setSql({ ranges, negate }: Atom): string {
  if (negate && ranges.length === 0) return "?";
  const [[from, to] = [0, 0]] = ranges;
  if (!negate && ranges.length === 1 && from === to && !/[*?[]/.test(String.fromCodePoint(from)))
    return String.fromCodePoint(from);
  const parts = ranges.flatMap(withoutMarks);
  const has = (mark: string) => ranges.some(([low, high]) => low <= code(mark) && code(mark) <= high);
  const inside = parts.map(([low, high]) => {
    const [first, end] = [String.fromCodePoint(Math.max(low, 1)), String.fromCodePoint(high)];
    return first === end ? first : `${first}-${end}`;
  });
  const [bracket, caret, hyphen] = [has("]") ? "]" : "", has("^") ? "^" : "", has("-") ? "-" : ""];
  // Alone with a hyphen, the caret must not be first.
  const marks = bracket === "" && inside.length === 0 && !negate ? `${hyphen}${caret}` : `${caret}${hyphen}`;
  return `[${negate ? "^" : ""}${bracket}${inside.join("")}${marks}]`;
}

/** A range without the characters that mean something within brackets. */
function withoutMarks(range: Range): Range[] {
  let parts: Range[] = [range];
  for (const mark of ["]", "^", "-"].map(code))
    parts = parts.flatMap(([from, to]): Range[] =>
      mark < from || mark > to
        ? [[from, to]]
        : [
            ...(from < mark ? [[from, mark - 1] as const] : []),
            ...(mark < to ? [[mark + 1, to] as const] : []),
          ],
    );
  return parts;
}

function code(mark: string): number {
  return mark.codePointAt(0)!;
}

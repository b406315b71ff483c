/** TypeScript source from plain values. Texts stand in double quotes, escaped as JSON: no text can break out. */
export type CodeValue =
  | string
  | number
  | boolean
  | null
  | undefined
  | Code
  | readonly CodeValue[]
  | { readonly [key: string]: CodeValue };

/** Source that stands as it is. */
export class Code {
  constructor(readonly text: string) {}
}

/** `{ table: "pieces", unique: [["a", "b"]] }`; what is undefined is left out. */
export function codeOf(value: CodeValue): string {
  if (value instanceof Code) return value.text;
  if (typeof value !== "object" || value === null) return JSON.stringify(value) ?? "undefined";
  if (isList(value)) return `[${value.map(codeOf).join(", ")}]`;
  const entries = Object.entries(value).filter(([, item]) => item !== undefined);
  return entries.length === 0
    ? "{}"
    : `{ ${entries.map(([key, item]) => `${keyOf(key)}: ${codeOf(item)}`).join(", ")} }`;
}

/** Lists that cannot be written to: what `Array.isArray` says tells nothing of the others. */
function isList(value: CodeValue): value is readonly CodeValue[] {
  return Array.isArray(value);
}

/** The same, an entry a line where it would be too long for one. */
export function codeInLines(value: CodeValue, indent: string, room: number): string {
  const short = codeOf(value);
  if (short.length <= room || value instanceof Code || typeof value !== "object" || value === null)
    return short;
  const inner = `${indent}  `;
  const items = isList(value)
    ? value.map(item => codeInLines(item, inner, LINE - inner.length))
    : Object.entries(value)
        .filter(([, item]) => item !== undefined)
        .map(
          ([key, item]) => `${keyOf(key)}: ${codeInLines(item, inner, LINE - inner.length - key.length - 2)}`,
        );
  const [open, close] = isList(value) ? ["[", "]"] : ["{", "}"];
  return `${open}\n${items.map(item => `${inner}${item},\n`).join("")}${indent}${close}`;
}

export const LINE = 110;

function keyOf(key: string): string {
  return isIdentifier(key) ? key : JSON.stringify(key);
}

/** Whether a text can stand in TypeScript as a name. */
export function isIdentifier(text: string): boolean {
  return /^[\p{ID_Start}$_][\p{ID_Continue}$]*$/u.test(text);
}

/** Words that mean something where a class or a property is named. */
const TAKEN_CLASSES = new Set(
  (
    "Array Boolean Buffer Date Error Function JSON Map Math Number Object Promise Proxy RegExp Set String Symbol " +
    "Uint8Array WeakMap BigInt Infinity NaN Record Partial Readonly Pick Omit " +
    "Stored Key Field RefersTo ReferredBy PairedWith Stamp"
  ).split(" "),
);
const TAKEN_PROPERTIES = new Set([
  "constructor",
  "prototype",
  "__proto__",
  "toString",
  "valueOf",
  "hasOwnProperty",
]);

/** `glaze test` → ["glaze", "test"]; what no name can hold parts words. */
function wordsIn(text: string): string[] {
  return text
    .replace(/([\p{Ll}\d])(\p{Lu})/gu, "$1 $2")
    .replace(/(\p{Lu})(\p{Lu}\p{Ll})/gu, "$1 $2")
    .split(/[^\p{ID_Continue}$]+|_+/u)
    .filter(Boolean);
}

const capital = (word: string) => word.charAt(0).toUpperCase() + word.slice(1).toLowerCase();

/** A class for a table: `kiln_logs` → `KilnLog`, not one of those that are there already. */
export function classNameFor(
  table: string,
  taken: ReadonlySet<string>,
  singular: (word: string) => string,
): string {
  const words = wordsIn(table);
  const last = words.pop();
  const name = [...words, ...(last === undefined ? [] : [last.length > 3 ? singular(last) : last])]
    .map(capital)
    .join("");
  const free = isIdentifier(name) ? name : `Table${name}`;
  return unused(TAKEN_CLASSES.has(free) || /^Is[A-Z]/.test(free) ? `${free}Row` : free, taken);
}

/** A property for a column or a relation: `tower_height` → `towerHeight`. */
export function propertyFor(text: string, taken: ReadonlySet<string>): string {
  const [first = "", ...rest] = wordsIn(text);
  const name = [first.toLowerCase(), ...rest.map(capital)].join("");
  const free = isIdentifier(name) ? name : `field${capital(name)}`;
  return unused(TAKEN_PROPERTIES.has(free) ? `${free}Field` : free, taken);
}

function unused(name: string, taken: ReadonlySet<string>): string {
  let at = 2;
  let free = name;
  while (taken.has(free)) free = `${name}${at++}`;
  return free;
}

/** `KilnLog` → `kiln-log` */
export function fileNameFor(className: string): string {
  return wordsIn(className).join("-").toLowerCase();
}

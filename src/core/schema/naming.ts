import pluralize from "pluralize";
import { sha256 } from "../sha256.js";

/** The completed naming settings. */
export interface NamingRules {
  readonly tables: "plural" | "singular";
  readonly case: "snake" | "camel" | "pascal";
}

/** `Piece` → `pieces`, `KilnLog` → `kiln_logs`. */
export function tableName(className: string, naming: NamingRules): string {
  const words = wordsOf(className);
  const last = words.at(-1) ?? "";
  return spell([...words.slice(0, -1), naming.tables === "plural" ? pluralize(last) : last], naming);
}

/** `towerHeight` → `tower_height`. */
export function columnName(property: string, naming: NamingRules): string {
  return spell(wordsOf(property), naming);
}

/** `potter` and `id` → `potter_id`. */
export function referenceColumnName(property: string, keyColumn: string, naming: NamingRules): string {
  return spell([...wordsOf(property), ...wordsOf(keyColumn)], naming);
}

/** The reference columns of a pair table are called after one row of each side: `piece_id`. */
export function pairColumnName(className: string, keyColumn: string, naming: NamingRules): string {
  return referenceColumnName(className, keyColumn, naming);
}

/** The pair table of two tables: `pieces_glazes`. */
export function pairTableName(owner: string, other: string, naming: NamingRules): string {
  return spell([...wordsOf(owner), ...wordsOf(other)], naming);
}

/** `uq_pieces_potter_id_title`: what it is, whose, over which columns. */
export function constraintName(
  prefix: "pk" | "uq" | "ix" | "fk" | "ck",
  table: string,
  columns: readonly string[],
): string {
  return [prefix, table, ...columns].join("_");
}

/**
 * A name cut to a dialect's limit, told apart from others that begin alike by eight digits of its hash.
 * @param limit in bytes of UTF-8; undefined: no limit
 */
export function cutName(name: string, limit: number | undefined): string {
  if (limit === undefined || Buffer.byteLength(name) <= limit) return name;
  const hash = sha256(name).toString("hex").slice(0, 8);
  const characters = [...name];
  while (Buffer.byteLength(characters.join("")) > limit - hash.length - 1) characters.pop();
  return `${characters.join("")}_${hash}`;
}

/** Names are asked for over and over: by tables, columns, constraints, and references from elsewhere. */
const knownWords = new Map<string, readonly string[]>();

/** `HTTPServerName2` → ["http", "server", "name2"]; underscores part words too. */
function wordsOf(name: string): readonly string[] {
  const known = knownWords.get(name) ?? splitWords(name);
  knownWords.set(name, known);
  return known;
}

function splitWords(name: string): string[] {
  return name
    .replace(/([\p{Ll}\d])(\p{Lu})/gu, "$1_$2")
    .replace(/(\p{Lu})(\p{Lu}\p{Ll})/gu, "$1_$2")
    .split(/[_\s]+/)
    .filter(word => word !== "")
    .map(word => word.toLowerCase());
}

function spell(words: readonly string[], naming: NamingRules): string {
  if (naming.case === "snake") return words.join("_");
  const capitals = words.map(word => word.charAt(0).toUpperCase() + word.slice(1)).join("");
  return naming.case === "pascal" ? capitals : capitals.charAt(0).toLowerCase() + capitals.slice(1);
}

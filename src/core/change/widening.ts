import { equal } from "../schema/canonical.js";
import type { DataType } from "../schema/types.js";

/**
 * Whether every value of one type is a value of the other, and comes out of it as it went in. Where that cannot be told
 * it is not so. Native types are judged by their words: https://www.postgresql.org/docs/15/datatype.html,
 * https://mariadb.com/kb/en/data-types/, https://sqlite.org/datatype3.html
 */
export function isWidening(before: DataType, after: DataType): boolean {
  if (equal(before, after)) return true;
  if (before.kind !== "native" || after.kind !== "native") return holdsAll(wordsOf(before), wordsOf(after));
  return Object.entries(before.sql).every(([dialect, text]) => {
    const other = after.sql[dialect];
    if (other === undefined) return false;
    if (dialect === "sqlite") return affinityOf(text) === affinityOf(other);
    return holdsAll(readWords(text), readWords(other));
  });
}

/** `decimal(8,2)` → decimal, 8, 2 */
interface TypeWords {
  readonly name: string;
  readonly numbers: readonly number[];
}

function wordsOf(type: DataType): TypeWords {
  switch (type.kind) {
    case "native":
      return { name: "", numbers: [] };
    case "decimal":
      return { name: "decimal", numbers: [type.precision, type.scale] };
    case "char":
    case "varchar":
      return { name: type.kind, numbers: [type.length] };
    default:
      return { name: type.kind, numbers: [] };
  }
}

/** A native type in portable words, as far as they say the same. */
export function readWords(text: string): TypeWords {
  const [, name = "", numbers = ""] = /^([a-z ]+?)\s*(?:\(([\d, ]+)\))?$/i.exec(text.trim()) ?? [];
  const plain = name.toLowerCase();
  const given = numbers.split(",").map(Number);
  const word = WORDS[plain] ?? plain;
  // MariaDB's int(11) says how wide it is shown, and is no other type.
  if (INTEGERS.includes(word)) return { name: word, numbers: [] };
  return { name: word, numbers: numbers === "" ? [] : given };
}

const WORDS: Readonly<Record<string, string>> = {
  int: "integer",
  numeric: "decimal",
  "character varying": "varchar",
  "double precision": "double",
  float: "real",
  longtext: "text",
};

const INTEGERS = ["tinyint", "smallint", "mediumint", "integer", "bigint"];

/** How many digits a decimal needs for every value of an integer type. */
const DIGITS: Readonly<Record<string, number>> = {
  tinyint: 3,
  smallint: 5,
  mediumint: 7,
  integer: 10,
  bigint: 19,
};

function holdsAll(before: TypeWords, after: TypeWords): boolean {
  const [from, to] = [before.name, after.name];
  const [[size = Infinity, scale = 0], [room = Infinity, places = 0]] = [before.numbers, after.numbers];
  if (INTEGERS.includes(from) && INTEGERS.includes(to)) return INTEGERS.indexOf(from) <= INTEGERS.indexOf(to);
  if (INTEGERS.includes(from) && to === "decimal") return room - places >= DIGITS[from]!;
  if (from === "decimal" && to === "decimal") return places >= scale && room - places >= size - scale;
  if (from === "varchar" && to === "varchar") return size <= room;
  if (from === "real" && to === "double") return true;
  return to === "text" && (from === "varchar" || from === "text");
}

/** https://sqlite.org/datatype3.html#determination_of_column_affinity */
function affinityOf(text: string): string {
  const type = text.toUpperCase();
  if (type.includes("INT")) return "integer";
  if (/CHAR|CLOB|TEXT/.test(type)) return "text";
  if (type.includes("BLOB") || type === "") return "blob";
  return /REAL|FLOA|DOUB/.test(type) ? "real" : "numeric";
}

import type { Action, Check, ForeignKey, Index, IndexPart, Key } from "../../../schema/types.js";
import type { CatalogRow } from "../../shared/dialect.js";
import { quote } from "../names.js";
import type { CatalogIndex } from "./catalog-index.js";
import { deferrableOf, lastName, listOf, nullsOf, numbersOf, optionsOf, settingsOf } from "./values.js";

/** A key or a unique constraint. @param own the names of the table's columns by their numbers */
export function readKey(part: CatalogRow, own: (numbers: readonly number[]) => string[]): Key {
  const columns = numbersOf(part["columns"]);
  const carried = numbersOf(part["carried"]).slice(columns.length);
  return {
    name: String(part["name"]),
    columns: own(columns),
    ...deferrableOf(part),
    ...(carried.length > 0 && { include: own(carried) }),
    ...optionsOf({ ...nullsOf(part), ...settingsOf(part) }),
  };
}

/** A check from its row of pg_constraint. */
export function readCheck(part: CatalogRow, spell: (text: unknown) => string): Check {
  return {
    name: String(part["name"]),
    rules: [{ kind: "sql", sql: spell(part["expression"]) }],
    ...optionsOf({
      ...(part["valid"] === false && { "not valid": "yes" }),
      ...(part["alone"] === true && { "no inherit": "yes" }),
    }),
  };
}

const ACTIONS: Readonly<Record<string, Action>> = {
  a: "no action",
  r: "restrict",
  c: "cascade",
  n: "set null",
  d: "set default",
};

/** A foreign key from its row of pg_constraint. */
export function readReference(
  part: CatalogRow,
  own: (numbers: readonly number[]) => string[],
  { addresses, names }: Pick<CatalogIndex, "addresses" | "names">,
): ForeignKey {
  const target = String(part["target"]);
  const set = part["set_columns"];
  return {
    name: String(part["name"]),
    columns: own(numbersOf(part["columns"])),
    references: {
      table: addresses.get(target) ?? "",
      columns: numbersOf(part["target_columns"]).map(number => names.get(target)?.get(number) ?? ""),
    },
    onDelete: ACTIONS[String(part["on_delete"])] ?? "no action",
    onUpdate: ACTIONS[String(part["on_update"])] ?? "no action",
    ...deferrableOf(part),
    ...optionsOf({
      ...(part["matching"] === "f" && { match: "full" }),
      ...(typeof set === "string" && {
        "set columns": own(numbersOf(set)).map(quote).join(", "),
      }),
      ...(part["valid"] === false && { "not valid": "yes" }),
    }),
  };
}

interface IndexReading {
  readonly own: (numbers: readonly number[]) => string[];
  readonly spell: (text: unknown) => string;
  /** Names of operator classes that are not their types' usual ones. */
  readonly classes: ReadonlyMap<string, string>;
}

/** Bits of pg_index.indoption: 1 descending, 2 nulls first. */
export function readIndex(row: CatalogRow, { own, spell, classes }: IndexReading): Index {
  const [numbers, options] = [numbersOf(row["columns"]), numbersOf(row["options"])];
  const [texts, used] = [listOf(row["texts"]), String(row["classes"]).split(" ")];
  const collations = listOf(row["collations"]);
  const count = Number(row["parts"]);
  const parts = numbers.slice(0, count).map((number, at): IndexPart => {
    const option = options[at] ?? 0;
    const [descending, first] = [(option & 1) === 1, (option & 2) === 2];
    const operatorClass = classes.get(used[at] ?? "");
    const collation = collations[at];
    return {
      ...(number === 0 ? { sql: spell(texts[at]) } : { column: own([number]).join() }),
      ...(descending && { descending }),
      ...(descending !== first && { nulls: first ? "first" : "last" }),
      ...(operatorClass !== undefined && { operatorClass }),
      ...(typeof collation === "string" && { collation: lastName(collation) }),
    };
  });
  return {
    name: String(row["name"]),
    parts,
    ...(row["is_unique"] === true && { unique: true }),
    ...(row["predicate"] !== null && { where: spell(row["predicate"]) }),
    ...(row["method"] !== null && { method: String(row["method"]) }),
    ...(numbers.length > count && { include: own(numbers.slice(count)) }),
    ...optionsOf({ ...nullsOf(row), ...settingsOf(row) }),
  };
}

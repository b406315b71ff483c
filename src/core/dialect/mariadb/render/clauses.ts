import { renameInPart } from "../../../change/rename.js";
import { addressOf } from "../../../schema/address.js";
import { equal } from "../../../schema/canonical.js";
import { columnsOfPart } from "../../../schema/lookups.js";
import { partsOf, type PartKind, type Parts } from "../../../schema/types.js";
import { quote } from "../names.js";
import type { TablePair } from "./table-pair.js";
import { dropPartSql } from "./tables.js";

/**
 * Parts that go and parts that arrive; an index that only gets another name is renamed.
 * @param remade columns, by their names in the end, that are made anew
 * @param staying the columns that stay, as they were called
 */
export function partClauses(
  kind: Exclude<PartKind, "foreign key">,
  { was, now, names }: Pick<TablePair, "was" | "now" | "names">,
  remade: ReadonlySet<string>,
  staying: ReadonlySet<string>,
): { readonly drops: string[]; readonly adds: Parts[PartKind][] } {
  const left = new Set<Parts[PartKind]>(partsOf(now, kind).filter(hasOwnClause));
  const drops: string[] = [];
  const renames: string[] = [];
  for (const part of partsOf(was, kind).filter(hasOwnClause)) {
    const renamed: Parts[PartKind] = renameInPart(kind, part, addressOf(was), names);
    const untouched =
      columnsOfPart(kind, part).every(column => staying.has(column)) &&
      !columnsOfPart(kind, renamed).some(column => remade.has(column));
    const same = untouched ? [...left].find(each => equal(each, renamed)) : undefined;
    const twin =
      same ??
      (untouched && (kind === "index" || kind === "unique")
        ? [...left].find(each => equal({ ...each, name: part.name }, renamed))
        : undefined);
    if (twin) left.delete(twin);
    if (!twin) drops.push(dropPartSql(kind, part));
    else if (!same) renames.push(`RENAME INDEX ${quote(part.name)} TO ${quote(twin.name)}`);
  }
  return { drops: [...drops, ...renames], adds: [...left] };
}

/** Whether a part is stated by itself rather than with a column. */
function hasOwnClause(part: Parts[PartKind]): boolean {
  return !("column" in part && part.column !== undefined);
}

/** What differs of a table's engine, character set and settings; a setting that goes gets its usual value. */
export function optionsSql(
  was: Readonly<Record<string, string>>,
  now: Readonly<Record<string, string>>,
): string[] {
  const settings = (text = "") => text.split(" ").filter(Boolean);
  const nameOf = (setting: string) => setting.replace(/=[^]*$/, "");
  const wanted = settings(now["with"]);
  const gone = settings(was["with"])
    .map(nameOf)
    .filter(name => !wanted.some(setting => nameOf(setting) === name));
  return [
    ...(was["engine"] !== now["engine"] ? [`ENGINE = ${now["engine"] ?? "InnoDB"}`] : []),
    ...(now["collation"] && was["collation"] !== now["collation"] ? [`COLLATE = ${now["collation"]}`] : []),
    ...wanted.filter(setting => !settings(was["with"]).includes(setting)),
    ...gone.map(name => `${name} = ${name === "key_block_size" ? "0" : "DEFAULT"}`),
  ];
}

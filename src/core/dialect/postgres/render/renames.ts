import { renameSteps } from "../../../change/rename.js";
import type { Change } from "../../../change/types.js";
import { parseAddress } from "../../../schema/address.js";

type RenamePart = Extract<Change, { readonly kind: "rename part" }>;

/** Renames of parts in an order in which none takes a name that is still in use: tables may have traded their names. */
export function renamesInTurn(renames: readonly RenamePart[]): RenamePart[] {
  const groups = new Map<string, RenamePart[]>();
  for (const rename of wholeWays(renames)) {
    const beside = sharedWith(rename);
    groups.set(beside, [...(groups.get(beside) ?? []), rename]);
  }
  return [...groups.values()].flatMap(group => {
    const holders = new Map(group.map(rename => [rename.from, rename]));
    const names = new Map(group.map(({ from, to }) => [from, to]));
    return renameSteps(names, new Set(names.keys())).flatMap(([from, to]): RenamePart[] => {
      const holder = holders.get(from);
      if (!holder) return [];
      const step = { ...holder, from, to };
      holders.set(to, step);
      return [step];
    });
  });
}

/** Each renamed part once, from its first name to its last: two that traded their names went by way of a spare one. */
function wholeWays(renames: readonly RenamePart[]): RenamePart[] {
  const ways: RenamePart[] = [];
  for (const rename of renames) {
    const at = ways.findIndex(
      ({ table, what, to }) => table === rename.table && what === rename.what && to === rename.from,
    );
    const before = ways[at];
    if (before) ways[at] = { ...before, to: rename.to };
    else ways.push(rename);
  }
  return ways;
}

/** What an index stands for shares its names with all relations of the namespace, the rest only with its table's. */
function sharedWith({ table, what }: RenamePart): string {
  return what === "check" || what === "foreign key" ? table : (parseAddress(table).namespace ?? "");
}

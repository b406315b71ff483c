import { namesThrough, type NamesThrough } from "../change/names.js";
import type { Change } from "../change/types.js";
import { addressOf } from "../schema/address.js";
import type { Chart, ChartLink, ChartRow, ChartTable } from "./types.js";
import { shortAction } from "./words.js";

/** A chart of what is there after some changes, with what is new, changed and gone since the one before. */
export function differenceOf(before: Chart, after: Chart, changes: readonly Change[]): Chart {
  const names = namesThrough(changes);
  const altered = new Set(
    changes.flatMap(change => (change.kind === "alter definition" ? [addressOf(change.after)] : [])),
  );
  const earlier = new Map(before.tables.map(table => [table.address, table]));
  const tables = after.tables.map(table => {
    const was = names.arrives(table.address) ? undefined : earlier.get(names.before(table.address));
    if (!was) return { ...table, state: "new" as const };
    const isAltered = table.role === "view" && altered.has(table.address);
    return { ...compared(was, table, names), ...(isAltered && { state: "changed" as const }) };
  });
  const there = new Set(after.tables.map(({ address }) => address));
  const goneTables = before.tables.filter(
    ({ address }) => !there.has(names.after(address)) || names.arrives(names.after(address)),
  );
  const renamed = (address: string) =>
    goneTables.some(each => each.address === address) ? address : names.after(address);
  const keyOf = ({ from, columns, to, pair }: ChartLink) => JSON.stringify([pair ?? from, columns, to]);
  const earlierLinks = new Map(
    before.links.map(link => {
      const from = renamed(link.from);
      const moved = {
        ...link,
        ...{ from, to: renamed(link.to) },
        columns: link.columns.map(column => names.after(link.from, column)),
        ...(link.pair !== undefined && { pair: names.after(link.pair) }),
      };
      return [keyOf(moved), moved];
    }),
  );
  const links = after.links.map((link): ChartLink => {
    const was = earlierLinks.get(keyOf(link));
    earlierLinks.delete(keyOf(link));
    if (!was) return { ...link, state: "new" };
    const isSame = was.onDelete === link.onDelete && was.toEnd === link.toEnd && was.fromEnd === link.fromEnd;
    return isSame ? link : { ...link, state: "changed" };
  });
  return {
    tables: [...tables, ...goneTables.map(table => ({ ...table, state: "gone" as const }))],
    links: [
      ...links,
      ...[...earlierLinks.values()].map(link => ({ ...link, id: `${link.id} gone`, state: "gone" as const })),
    ],
    isDifference: true,
  };
}

function compared(was: ChartTable, now: ChartTable, names: NamesThrough): ChartTable {
  const earlier = new Map(was.rows.map(row => [row.name, row]));
  const rows = now.rows.map((row): ChartRow => {
    const old = names.arrives(now.address, row.name)
      ? undefined
      : earlier.get(names.before(now.address, row.name));
    if (!old) return { ...row, state: "new" };
    earlier.delete(old.name);
    const moved = { ...old, refers: old.refers.map(each => names.after(each)) };
    const words = wordsOf(row);
    const lost = wordsOf(moved).filter(word => !words.includes(word));
    if (lost.length === 0 && wordsOf(moved).length === words.length && sameRemarks(old, row)) return row;
    return { ...row, state: "changed", ...(lost.length > 0 && { was: lost.join(", ") }) };
  });
  const gone = [...earlier.values()].map(row => ({ ...row, state: "gone" as const }));
  const isRenamed = was.address !== now.address;
  const isSame =
    !isRenamed &&
    gone.length === 0 &&
    rows.every(({ state }) => state === undefined) &&
    was.note === now.note &&
    JSON.stringify(was.rules) === JSON.stringify(now.rules);
  return {
    ...now,
    rows: [...rows, ...gone],
    ...(!isSame && { state: "changed" }),
    ...(isRenamed && { was: was.address }),
  };
}

/** What is shown of a row, a word each. */
function wordsOf({ name, type, mark, unique, refers, onDelete }: ChartRow): string[] {
  return [
    ...[name, type, mark, ...(unique ? ["unique"] : []), ...refers.map(each => `→ ${each}`)],
    ...(onDelete === undefined ? [] : [shortAction(onDelete)].filter(Boolean)),
  ];
}

/** Whether the same is said of two columns, each in its own name. */
function sameRemarks(was: ChartRow, now: ChartRow): boolean {
  const own = ({ name, remarks }: ChartRow) => remarks.map(each => each.replaceAll(name, "{}")).join("\n");
  return own(was) === own(now);
}

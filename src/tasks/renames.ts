import type { DiffHints } from "../core/change/diff.js";
import { problems } from "../core/problems.js";
import { parseAddress, addressOf, tablesByAddress } from "../core/schema/address.js";
import type { Schema } from "../core/schema/types.js";

/**
 * The hints with renames as they are given on the command line: `shelves=racks` for a table,
 * `pieces.weight=pieces.weight_grams` for a column; the table of a column may be given by its old or its new name.
 * @throws Problem E110 when the old name is not in the history, or the new one not in the models
 */
export function withRenames(
  hints: DiffHints,
  renames: readonly string[],
  from: Schema,
  to: Schema,
): DiffHints {
  const tables = new Map(hints.tables);
  const columns = new Map([...(hints.columns ?? [])].map(([table, names]) => [table, new Map(names)]));
  const [old, fresh] = [tablesByAddress(from), tablesByAddress(to)];
  for (const rename of renames) {
    const [left = "", right = "", ...rest] = rename.split("=").map(side => side.trim());
    const wrong = (reason: string) => problems.wrongRename({ rename, reason });
    if (left === "" || right === "" || rest.length > 0) throw wrong("it must be OLD=NEW");
    if (old.has(left) || fresh.has(right)) {
      if (!old.has(left)) throw wrong(`the history has no table ${left}`);
      if (!fresh.has(right)) throw wrong(`the models have no table ${right}`);
      tables.set(left, right);
      continue;
    }
    const [was, now] = [splitColumn(left), splitColumn(right)];
    if (!was || !now) throw wrong(`there is no table ${was ? right : left}`);
    const address = fresh.has(now.table) ? now.table : (tables.get(now.table) ?? now.table);
    const before =
      old.get(was.table) ?? old.get([...tables].find(([, name]) => name === was.table)?.[0] ?? "");
    if (!before?.columns.some(({ name }) => name === was.column))
      throw wrong(`the history has no column ${left}`);
    if (!fresh.get(address)?.columns.some(({ name }) => name === now.column)) {
      throw wrong(`the models have no column ${right}`);
    }
    columns.set(address, (columns.get(address) ?? new Map<string, string>()).set(was.column, now.column));
  }
  return { ...hints, tables, columns };
}

/** `pieces.weight`; a table in a namespace has a dot of its own. */
export function splitColumn(text: string): { table: string; column: string } | undefined {
  const at = text.lastIndexOf(".");
  if (at <= 0) return undefined;
  return { table: addressOf(parseAddress(text.slice(0, at))), column: text.slice(at + 1) };
}

import { namesThrough } from "../change/names.js";
import type { AlterColumn, Change } from "../change/types.js";
import { addressOf } from "../schema/address.js";
import type { Column, Rule, Schema } from "../schema/types.js";
import { textsFor, thereRule } from "./made-up.js";

/** How many texts made-up rows choose from. */
const TEXTS = 500;

/**
 * Rules, by column, that the columns of a table will have to keep to after some changes, so that rows made up before
 * are not in the way of them.
 * @param after the schema after the changes, in portable words
 * @param address the table's, before the changes
 */
export function rulesToCome(
  after: Schema,
  changes: readonly Change[],
  address: string,
): ReadonlyMap<string, readonly Rule[]> {
  const names = namesThrough(changes);
  const found = new Map<string, readonly Rule[]>();
  const table = after.tables.find(each => isMeant(addressOf(each)));
  for (const rule of table?.checks.flatMap(check => check.rules) ?? []) {
    if (!table || !("column" in rule)) continue;
    const name = names.before(addressOf(table), rule.column);
    found.set(name, [...(found.get(name) ?? []), rule]);
  }
  for (const change of changes) {
    if (change.kind !== "alter column" || !isMeant(change.table)) continue;
    const name = names.before(change.table, change.after.name);
    // Of what is filled, both are tried: rows that have a value, and rows that get one.
    if (change.before.nullable && !change.after.nullable && change.fill === undefined)
      found.set(name, [...(found.get(name) ?? []), thereRule(name)]);
    const values = textsToBe(change, found.get(name) ?? []);
    if (values.length > 0)
      found.set(name, [{ kind: "in", column: name, values }, ...(found.get(name) ?? []).filter(isThere)]);
  }
  return found;

  function isMeant(now: string): boolean {
    return !names.arrives(now) && names.before(now) === address;
  }
}

/** Texts that are to become numbers or dates are such already. */
function textsToBe({ before, after, convert }: AlterColumn, rules: readonly Rule[]): string[] {
  if (convert !== undefined || !isText(before) || isText(after)) return [];
  const { type } = before;
  return textsFor(after, rules, TEXTS).filter(text => !("length" in type) || text.length <= type.length);
}

function isThere({ kind }: Rule): boolean {
  return kind === "sql";
}

function isText({ type }: Column): boolean {
  return ["char", "varchar", "text"].includes(type.kind);
}

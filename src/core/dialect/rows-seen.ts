import { groupBy } from "../lists.js";
import { addressOf } from "../schema/address.js";
import { isObject, type Schema } from "../schema/types.js";
import { textFor } from "../sql/placeholders.js";
import type { Dialect } from "./shared/dialect.js";

/** By the address of each table which rows its roles see, with columns in placeholders, where models can say it so. */
export function rowsSeen(
  { tables, definitions = [] }: Schema,
  { name, roles }: Pick<Dialect, "name" | "roles">,
): ReadonlyMap<string, ReadonlyMap<string, string>> {
  const policies = definitions.filter(isObject).flatMap(each => {
    const sql = each.kind === "policy" ? textFor(each.sql, name) : undefined;
    return sql === undefined ? [] : [{ ...each, sql }];
  });
  const byTable = groupBy(policies, ({ on }) => on);
  return new Map(
    tables.flatMap(table => {
      const own = byTable.get(addressOf(table)) ?? [];
      const seen = own.length > 0 ? roles?.rows?.read(table, own) : undefined;
      return seen ? [[addressOf(table), seen] as const] : [];
    }),
  );
}

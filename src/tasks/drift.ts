import { diff } from "../core/change/diff.js";
import type { Dialect } from "../core/dialect/dialect.js";
import { addressOf } from "../core/schema/address.js";
import type { Schema } from "../core/schema/types.js";
import type { Change } from "../core/change/types.js";

/**
 * How a database differs from the schema its ledger says it has, as changes from the latter to the former. Tables the
 * migrations do not know are none of their business.
 * @param expected in portable words
 * @param found as the catalog says
 */
export function driftBetween(expected: Schema, found: Schema, dialect: Dialect): Change[] {
  const settled = dialect.settle(expected);
  const known = new Set(settled.tables.map(addressOf));
  return diff(settled, { tables: found.tables.filter(table => known.has(addressOf(table))) });
}

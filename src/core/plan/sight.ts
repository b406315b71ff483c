import { addressOf } from "../schema/address.js";
import { uniqueLists } from "../schema/lookups.js";
import type { Sight } from "./probe.js";
import type { Asking } from "./values-to-be.js";

interface Looking {
  /** How the table is called in the condition. @default "t" */
  readonly alias?: string;
  /** Columns beside the key, as they are called at the end. */
  readonly columns?: readonly string[];
  /** Absent: all rows. */
  readonly where?: string;
}

/**
 * A look at rows of a table that stays or goes: its key, and some of its columns.
 * @param address as it is called at the end, or at the start when it goes
 */
export function sightOf(
  address: string,
  asking: Asking,
  { alias = "t", columns = [], where }: Looking,
): Sight | undefined {
  const { plan, names, table, dialect } = asking;
  const { quote } = dialect.names;
  const was = plan.before.tables.find(each => addressOf(each) === names.before(address));
  if (!was) return undefined;
  const key = was.key?.columns ?? uniqueLists(was)[0] ?? [];
  const values = columns
    .filter(name => !names.arrives(address, name))
    .map(name => names.before(address, name))
    .filter(name => !key.includes(name) && was.columns.some(each => each.name === name));
  if (key.length + values.length === 0) return undefined;
  const shown = [...key, ...values].map(name => `${alias}.${quote(name)}`).join(", ");
  const rest = where === undefined ? "" : ` WHERE ${where}`;
  return { sql: `SELECT ${shown} FROM ${table(address)} AS ${alias}${rest}`, key, values };
}

/** Columns by which people tell the rows of a table: the first few that are no key. */
export function tellingColumns(address: string, { plan, names }: Asking): string[] {
  const was = plan.before.tables.find(each => addressOf(each) === names.before(address));
  return (was?.columns ?? [])
    .map(({ name }) => name)
    .filter(name => !was?.key?.columns.includes(name))
    .slice(0, 2);
}

import { isWidening, type Widens } from "../change/widening.js";
import type { Dialect } from "./shared/dialect.js";
import { mariadb } from "./mariadb/index.js";
import { postgres } from "./postgres/index.js";
import { sqlite } from "./sqlite/index.js";
import { keysOf } from "../lists.js";

/** Every dialect: the types, the choices on the command line and the lists in messages come from here. */
export const dialects = { sqlite, postgres, mariadb } as const satisfies Record<string, Dialect>;

export type DialectName = keyof typeof dialects;

export const DIALECT_NAMES = keysOf(dialects);

/** What a project begins with where nobody says: it needs no server. */
export const DEFAULT_DIALECT: DialectName = "sqlite";

/** As their makers write them, by name. */
export const DIALECT_TITLES = Object.fromEntries(
  Object.entries(dialects).map(([name, { title }]) => [name, title]),
) as Readonly<Record<DialectName, string>>;

const BY_NAME: ReadonlyMap<string, Dialect> = new Map(Object.entries(dialects));

/** The same for any name; undefined for one that is none. */
export function dialectNamed(name: string): Dialect | undefined {
  return BY_NAME.get(name);
}

/** Whether one portable or native type widens to another, on every dialect that it is native to. */
export const widens: Widens = (before, after) =>
  isWidening(before, after, (name, from, to) => dialectNamed(name)?.types.widens(from, to) ?? false);

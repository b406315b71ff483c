import { isWidening, type Widens } from "../change/widening.js";
import type { Dialect } from "./dialect.js";
import { mariadb } from "./mariadb/index.js";
import { postgres } from "./postgres/index.js";
import { sqlite } from "./sqlite/index.js";

/** Every dialect: the types, the choices on the command line and the lists in messages come from here. */
export const dialects = { sqlite, postgres, mariadb } as const satisfies Record<string, Dialect>;

export type DialectName = keyof typeof dialects;

export const DIALECT_NAMES = Object.keys(dialects) as DialectName[];

/** The same for any name; undefined for one that is none. */
export function dialectNamed(name: string): Dialect | undefined {
  return (dialects as Readonly<Record<string, Dialect>>)[name];
}

/** Whether one portable or native type widens to another, on every dialect that it is native to. */
export const widens: Widens = (before, after) =>
  isWidening(before, after, (name, from, to) => dialectNamed(name)?.types.widens(from, to) ?? false);

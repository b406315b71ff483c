import type { Dialect } from "./dialect.js";
import { mariadb } from "./mariadb/index.js";
import { postgres } from "./postgres/index.js";
import { sqlite } from "./sqlite/index.js";

/** Every dialect: the types, the choices on the command line and the lists in messages come from here. */
export const dialects = { sqlite, postgres, mariadb } as const satisfies Record<string, Dialect>;

export type DialectName = keyof typeof dialects;

export const DIALECT_NAMES = Object.keys(dialects) as DialectName[];

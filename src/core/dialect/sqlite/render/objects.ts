import { createStatements } from "../../shared/object-text.js";
import type { ObjectSyntax } from "../../shared/objects.js";
import { quote } from "../names.js";
import { TOKENS } from "../settle.js";

/**
 * SQLite writes into views and triggers what a table or a column is called now, and drops triggers with a table that is
 * made anew (https://sqlite.org/lang_altertable.html): what speaks of a table is off while that changes.
 */
export const OBJECTS: ObjectSyntax = {
  tokens: TOKENS,
  minds: (_, change) => !("what" in change && change.what === "index"),
  isOff: () => true,
  replaces: () => false,
  isForTables: () => false,
  dropSql: object => [`DROP ${object.kind.toUpperCase()} ${quote(object.name)}`],
  createSql: object => createStatements(object, false, TOKENS),
};

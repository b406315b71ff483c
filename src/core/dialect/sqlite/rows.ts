import { explain } from "./explain.js";
import type { DialectRows } from "../shared/dialect.js";
import { literalSql } from "./expressions.js";
import { quote } from "./names.js";

export const rows: DialectRows = {
  literalSql: literalSql,
  bytesLiteral: digits => `X'${digits}'`,
  explain,
  lengthSql: columns => columns.map(name => `coalesce(length(t.${name}), 0)`).join(" + "),
  emptyRow: "DEFAULT VALUES",
  orReplace: (key, column) => `ON CONFLICT (${key}) DO UPDATE SET ${column} = excluded.${column}`,
  checked: "PRAGMA foreign_keys = ON",
  jsonPairs: (first, second) => `json_group_array(json_array(${first}, ${second}))`,
  // There is no TRUNCATE: https://sqlite.org/lang_delete.html#the_truncate_optimization
  emptySql: table => `DELETE FROM ${table}`,
  copying: {
    exactly: ({ name }) => quote(name),
    overriding: "",
    // Off on every connection that changes anything: what is run is checked before it is committed.
    unchecked: { start: "PRAGMA foreign_keys = OFF", end: "PRAGMA foreign_keys = OFF" },
    after: () => [],
  },
  // One row comes with a Buffer, all of them with an ArrayBuffer each.
  driver: { name: "libsql", types: { bytes: "Buffer | ArrayBuffer" } },
};

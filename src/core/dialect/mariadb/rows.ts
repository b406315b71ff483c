import { explain } from "./explain.js";
import type { DialectRows } from "../shared/dialect.js";
import { literalSql } from "./expressions.js";
import { quote } from "./names.js";

export const rows: DialectRows = {
  literalSql: literalSql,
  bytesLiteral: digits => `X'${digits}'`,
  explain,
  // Else it fills a table by its index, row by row: https://mariadb.com/kb/en/select/#select-clauses
  manyGroups: "SQL_BIG_RESULT",
  lengthSql: columns => columns.map(name => `coalesce(length(t.${name}), 0)`).join(" + "),
  emptyRow: "() VALUES ()",
  orReplace: (_, column) => `ON DUPLICATE KEY UPDATE ${column} = VALUES(${column})`,
  jsonPairs: (first, second) => `CAST(JSON_ARRAYAGG(JSON_ARRAY(${first}, ${second})) AS char)`,
  emptySql: table => `TRUNCATE TABLE ${table}`,
  copying: {
    exactly: ({ name }) => quote(name),
    overriding: "",
    unchecked: { start: "SET foreign_key_checks = 0", end: "SET foreign_key_checks = 1" },
    after: () => [],
  },
  driver: {
    // https://sidorares.github.io/node-mysql2/docs/api-and-configurations
    name: "mysql2",
    types: { decimal: "string", date: "Date", timestamp: "Date", timestamptz: "Date" },
  },
};

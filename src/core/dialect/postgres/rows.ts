import { explain } from "./explain.js";
import type { DialectRows, GuardedCount, RowCondition } from "../shared/dialect.js";
import { literalSql } from "./expressions.js";
import { dollarQuoted, quote } from "./names.js";
import { goOnCountingSql } from "./render/sequences.js";

export const rows: DialectRows = {
  literalSql: literalSql,
  bytesLiteral: digits => `'\\x${digits}'`,
  explain,
  lengthSql: () => "length(t::text)",
  // With a limit the planner hopes to be done soon, and asks nobody to help: https://www.postgresql.org/docs/15/parallel-plans.html
  fewOf: (sql, most) => `SELECT * FROM (${sql} OFFSET 0) AS few LIMIT ${most}`,
  emptyRow: "DEFAULT VALUES",
  orReplace: (key, column) => `ON CONFLICT (${key}) DO UPDATE SET ${column} = excluded.${column}`,
  jsonPairs: (first, second) => `json_agg(json_build_array(${first}, ${second}))::text`,
  countGuarded,
  emptySql: table => `TRUNCATE TABLE ${table}`,
  copying: {
    // Drivers turn moments and numbers into values of JavaScript, which hold less.
    exactly: ({ name }) => `${quote(name)}::text AS ${quote(name)}`,
    overriding: "OVERRIDING SYSTEM VALUE ",
    after: goOnCountingSql,
  },
  driver: {
    // https://node-postgres.com/features/types
    name: "pg",
    types: {
      boolean: "boolean",
      bigint: "string",
      decimal: "string",
      date: "Date",
      timestamp: "Date",
      timestamptz: "Date",
      json: "unknown",
    },
  },
};

/** Where the number is left by one statement for the next; it ends with the session. */
const FOUND = "emberset.found";

/** The same of what is to be seen of the first few rows. */
const SEEN = "emberset.seen";
const FEW = 3;

/** A block whose exceptions are caught: https://www.postgresql.org/docs/15/plpgsql-control-structures.html#PLPGSQL-ERROR-TRAPPING */
function countGuarded(count: string, oneByOne?: RowCondition): GuardedCount {
  const note = oneByOne?.shown
    ? ` IF found_rows <= ${FEW} THEN seen := seen || jsonb_build_array(jsonb_build_array(${oneByOne.shown.map(each => `${each}::text`).join(", ")})); END IF;`
    : "";
  const counted = `found_rows := found_rows + 1;${note}`;
  const loop = oneByOne
    ? [
        "    DECLARE t record;",
        "    BEGIN",
        `      FOR t IN SELECT * FROM ${oneByOne.table} LOOP`,
        "        BEGIN",
        `          IF ${oneByOne.condition} THEN ${counted} END IF;`,
        `        EXCEPTION WHEN OTHERS THEN ${counted}`,
        "        END;",
        "      END LOOP;",
        "    END;",
      ]
    : [];
  const block = [
    "DECLARE found_rows bigint := 0; seen jsonb := '[]';",
    "BEGIN",
    "  BEGIN",
    `    found_rows := (${count});`,
    "  EXCEPTION WHEN OTHERS THEN",
    "    found_rows := 0;",
    ...loop,
    "  END;",
    `  PERFORM set_config('${FOUND}', found_rows::text, false);`,
    `  PERFORM set_config('${SEEN}', seen::text, false);`,
    "END",
  ].join("\n");
  return {
    before: `DO ${dollarQuoted(`\n${block}\n`, "emberset0")}`,
    sql: `SELECT current_setting('${FOUND}')::bigint AS n, current_setting('${SEEN}') AS seen`,
  };
}

import type { Engine } from "./engine.js";
import { mariadbEngine } from "./mariadb.js";
import { ownMariadb } from "./own-servers.js";

/** What no session can do without being told: https://mariadb.com/kb/en/server-system-variables/ */
const ODD_FLAGS = [
  // Its rows are nobody's.
  "--innodb-flush-log-at-trx-commit=0",
  "--innodb-flush-method=nosync",
  "--innodb-doublewrite=0",
  "--sql-mode=",
  "--default-time-zone=+05:45",
  "--character-set-server=latin1",
  "--collation-server=latin1_german1_ci",
  "--innodb-strict-mode=OFF",
  "--explicit-defaults-for-timestamp=OFF",
  "--default-storage-engine=Aria",
  "--group-concat-max-len=20",
  "--div-precision-increment=0",
  "--autocommit=0",
  "--transaction-isolation=SERIALIZABLE",
  "--innodb-default-row-format=redundant",
];
const ODD_GLOBALS = [
  "foreign_key_checks = OFF",
  "unique_checks = OFF",
  "check_constraint_checks = OFF",
  "sql_auto_is_null = ON",
  "sql_safe_updates = ON",
  "sql_select_limit = 2",
  "sql_quote_show_create = OFF",
  "alter_algorithm = 'INPLACE'",
];

/** A MariaDB server of the tests' own, set as nobody would; undefined where the machine has none to start. */
export async function oddMariadbEngine(): Promise<Engine | undefined> {
  const server = await ownMariadb(ODD_FLAGS, ODD_GLOBALS);
  if (!server) return undefined;
  await server.start();
  const engine = await mariadbEngine(server.url);
  if (!engine) throw new Error("the server of the tests' own does not answer");
  return {
    ...engine,
    close: async () => {
      await engine.close();
      await server.remove();
    },
  };
}

import { execFileSync, spawn, spawnSync } from "node:child_process";
import { chmodSync, existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { setTimeout as wait } from "node:timers/promises";
import type { Engine } from "./engine.js";
import { mariadbEngine } from "./mariadb.js";

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
  const missing = ["mariadbd", "mariadb-install-db"].some(name => !commandPath(name));
  if (missing || process.env["EMBERSET_TEST_MARIADB"] === "") return undefined;
  const folder = mkdtempSync(join(tmpdir(), "emberset-odd-"));
  chmodSync(folder, 0o755);
  const data = join(folder, "data");
  const owner = process.getuid?.() === 0 ? ["--user=mysql"] : [];
  mkdirSync(data);
  if (owner.length > 0) execFileSync("chown", ["mysql", data, folder]);
  const own = ["--no-defaults", ...owner, `--datadir=${data}`];
  execFileSync(
    commandPath("mariadb-install-db")!,
    [...own, "--auth-root-authentication-method=normal", "--skip-test-db"],
    { stdio: "ignore" },
  );
  const start = join(folder, "start.sql");
  writeFileSync(start, ODD_GLOBALS.map(text => `SET GLOBAL ${text};\n`).join(""));
  const port = await freePort();
  const places = [`--port=${port}`, "--bind-address=127.0.0.1", `--socket=${join(folder, "s")}`];
  const server = spawn(
    commandPath("mariadbd")!,
    [...own, ...places, `--pid-file=${join(folder, "pid")}`, `--init-file=${start}`, ...ODD_FLAGS],
    { stdio: "ignore" },
  );
  process.once("exit", () => server.kill("SIGKILL"));
  for (let tries = 0; tries < 100; tries += 1) {
    const engine = await mariadbEngine(`mariadb://root@127.0.0.1:${port}/`);
    if (engine)
      return {
        ...engine,
        close: async () => {
          await engine.close();
          const ended = new Promise(resolve => server.once("exit", resolve));
          server.kill();
          await ended;
          rmSync(folder, { recursive: true, force: true });
        },
      };
    await wait(200);
  }
  server.kill("SIGKILL");
  throw new Error("the server of the tests' own does not answer");
}

function commandPath(name: string): string | undefined {
  const found = spawnSync("sh", ["-c", `command -v ${name}`], { encoding: "utf8" }).stdout.trim();
  return [found, `/usr/sbin/${name}`].find(path => path !== "" && existsSync(path));
}

async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>(resolve => server.listen(0, "127.0.0.1", resolve));
  const address = server.address();
  await new Promise(resolve => server.close(resolve));
  return typeof address === "object" && address ? address.port : 0;
}

import { execFileSync, spawn, spawnSync, type ChildProcess } from "node:child_process";
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { setTimeout as wait } from "node:timers/promises";
import { createConnection } from "mysql2/promise";
import pg from "pg";

/** A server of the tests' own, which they may start and kill as they like. */
export interface OwnServer {
  /** Of the server, without a database. */
  readonly url: string;
  readonly start: () => Promise<void>;
  /** As a power cut would: nothing is written down any more. */
  readonly kill: () => Promise<void>;
  /** Stops it and removes all that it had. */
  readonly remove: () => Promise<void>;
}

/** @returns undefined where the machine has none to start */
export async function ownMariadb(
  flags: readonly string[],
  globals: readonly string[] = [],
): Promise<OwnServer | undefined> {
  const [server, install] = [commandPath("mariadbd"), commandPath("mariadb-install-db")];
  if (!server || !install || process.env["EMBERSET_TEST_MARIADB"] === "") return undefined;
  const folder = ownFolder("mysql");
  const data = join(folder, "data");
  // A server that starts clears the folder of temporary tables, another's among them.
  const places = [`--datadir=${data}`, `--tmpdir=${folder}`];
  const own = ["--no-defaults", ...(isRoot() ? ["--user=mysql"] : []), ...places];
  execFileSync(install, [...own, "--auth-root-authentication-method=normal", "--skip-test-db"], {
    stdio: "ignore",
  });
  const start = join(folder, "start.sql");
  writeFileSync(start, globals.map(text => `SET GLOBAL ${text};\n`).join(""));
  const port = await freePort();
  const reached = [
    `--port=${port}`,
    "--bind-address=127.0.0.1",
    `--socket=${join(folder, "s")}`,
    `--pid-file=${join(folder, "pid")}`,
  ];
  const url = `mariadb://root@127.0.0.1:${port}/`;
  return runner(url, folder, [server, ...own, ...reached, `--init-file=${start}`, ...flags], async () => {
    await (await createConnection({ uri: url, connectTimeout: 1000 })).end();
  });
}

/** The same of PostgreSQL, which does not run as root. */
export async function ownPostgres(flags: readonly string[] = []): Promise<OwnServer | undefined> {
  const bin = existsSync("/usr/lib/postgresql") ? readdirSync("/usr/lib/postgresql").at(-1) : undefined;
  if (bin === undefined || !isRoot() || process.env["EMBERSET_TEST_POSTGRES"] === "") return undefined;
  const [programs, folder] = [`/usr/lib/postgresql/${bin}/bin`, ownFolder("postgres")];
  const data = join(folder, "data");
  const as = ["setpriv", "--reuid=postgres", "--regid=postgres", "--clear-groups"];
  execFileSync(
    as[0]!,
    [...as.slice(1), `${programs}/initdb`, "-D", data, "-U", "root", "--auth=trust", "-E", "UTF8"],
    { stdio: "ignore" },
  );
  const port = await freePort();
  const url = `postgres://root@127.0.0.1:${port}/postgres`;
  const command = [
    ...as,
    `${programs}/postgres`,
    "-D",
    data,
    "-p",
    String(port),
    "-k",
    folder,
    "-h",
    "127.0.0.1",
    ...flags,
  ];
  return runner(url, folder, command, async () => {
    const client = new pg.Client({ connectionString: url, connectionTimeoutMillis: 1000 });
    await client.connect();
    await client.end();
  });
}

function runner(
  url: string,
  folder: string,
  command: readonly string[],
  answers: () => Promise<void>,
): OwnServer {
  let server: ChildProcess | undefined;
  const stop = async (signal: NodeJS.Signals) => {
    const running = server;
    if (!running || running.exitCode !== null || running.signalCode !== null) return;
    const ended = new Promise(resolve => running.once("exit", resolve));
    running.kill(signal);
    await ended;
  };
  process.once("exit", () => server?.kill("SIGKILL"));
  return {
    url,
    start: async () => {
      server = spawn(command[0]!, command.slice(1), { stdio: "ignore" });
      for (let tries = 0; tries < 150; tries += 1) {
        if (
          await answers().then(
            () => true,
            () => false,
          )
        )
          return;
        await wait(200);
      }
      throw new Error("the server of the tests' own does not answer");
    },
    kill: () => stop("SIGKILL"),
    remove: async () => {
      await stop("SIGTERM");
      rmSync(folder, { recursive: true, force: true });
    },
  };
}

const isRoot = () => process.getuid?.() === 0;

/** A folder that a server's own user may write to. */
function ownFolder(owner: string): string {
  const folder = mkdtempSync(join(tmpdir(), "emberset-own-"));
  chmodSync(folder, 0o755);
  mkdirSync(join(folder, "data"), { mode: 0o700 });
  if (isRoot()) execFileSync("chown", ["-R", owner, folder]);
  return folder;
}

function commandPath(name: string): string | undefined {
  const found = spawnSync("sh", ["-c", `command -v ${name}`], { encoding: "utf8" }).stdout.trim();
  return [found, `/usr/sbin/${name}`].find(path => path !== "" && existsSync(path));
}

/** A port that nobody listens at. */
export async function freePort(): Promise<number> {
  const server = createServer();
  await new Promise<void>(resolve => server.listen(0, "127.0.0.1", resolve));
  const address = server.address();
  await new Promise(resolve => server.close(resolve));
  return typeof address === "object" && address ? address.port : 0;
}

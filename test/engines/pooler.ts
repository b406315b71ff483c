import { spawn } from "node:child_process";
import { chmodSync, existsSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { setTimeout as wait } from "node:timers/promises";
import pg from "pg";
import { freePort } from "./own-servers.js";

const PROGRAM = "/usr/sbin/pgbouncer";

/** A transaction pooler before a PostgreSQL server. */
export interface Pooler {
  /** The same database by way of the pool. */
  readonly url: string;
  /** What each connection of the pool has set, and the locks that it holds. */
  readonly connections: () => Promise<readonly unknown[]>;
  readonly stop: () => void;
}

/** How many connections of the server's there are for all clients. */
export const POOL_SIZE = 3;

/** @param url of a database that anybody may open @returns undefined where the machine has no pooler */
export async function poolerBefore(url: string): Promise<Pooler | undefined> {
  if (!existsSync(PROGRAM)) return undefined;
  const { hostname, port, username, password, pathname } = new URL(url);
  const folder = mkdtempSync(join(tmpdir(), "emberset-pooler-"));
  chmodSync(folder, 0o755);
  const own = await freePort();
  const login = `user=${decodeURIComponent(username)}${password ? ` password=${decodeURIComponent(password)}` : ""}`;
  writeFileSync(
    join(folder, "pooler.ini"),
    [
      "[databases]",
      `* = host=${hostname} port=${port || 5432} ${login}`,
      "[pgbouncer]",
      `listen_addr = 127.0.0.1\nlisten_port = ${own}\nunix_socket_dir =`,
      `auth_type = any\npool_mode = transaction\ndefault_pool_size = ${POOL_SIZE}`,
      "ignore_startup_parameters = extra_float_digits",
    ].join("\n"),
  );
  // It does not run as root.
  const isRoot = process.getuid?.() === 0;
  const as = isRoot ? ["setpriv", "--reuid=postgres", "--regid=postgres", "--clear-groups"] : [];
  const [command, ...rest] = [...as, PROGRAM, join(folder, "pooler.ini")];
  const server = spawn(command!, rest, { stdio: "ignore" });
  const stop = () => {
    server.kill("SIGKILL");
    rmSync(folder, { recursive: true, force: true });
  };
  process.once("exit", stop);
  const pooled = `postgres://${username}@127.0.0.1:${own}${pathname}`;
  for (let tries = 0; tries < 50; tries += 1) {
    if (await answers(pooled)) return { url: pooled, connections: () => connectionsOf(pooled), stop };
    await wait(100);
  }
  throw new Error("the pooler does not answer");
}

async function answers(url: string): Promise<boolean> {
  const client = new pg.Client({ connectionString: url, connectionTimeoutMillis: 1000 });
  try {
    await client.connect();
    return true;
  } catch {
    return false;
  } finally {
    await client.end().catch(() => undefined);
  }
}

/** As many transactions as there are connections, all at once: each has another one. */
async function connectionsOf(url: string): Promise<unknown[]> {
  const clients = await Promise.all(
    Array.from({ length: POOL_SIZE }, async () => {
      const client = new pg.Client({ connectionString: url });
      await client.connect();
      await client.query("BEGIN");
      return client;
    }),
  );
  const found = await Promise.all(
    clients.map(async client => {
      const { rows } = await client.query(OF_A_CONNECTION);
      return rows[0] as { readonly pid: number };
    }),
  );
  for (const client of clients) {
    await client.query("COMMIT");
    await client.end();
  }
  return found.toSorted((a, b) => a.pid - b.pid);
}

/** Its own transaction has a lock of its own, and those on what it reads. */
const OF_A_CONNECTION = `SELECT pg_backend_pid() AS pid,
  (SELECT json_object_agg(name, setting ORDER BY name) FROM pg_settings WHERE name <> 'application_name') AS settings,
  (SELECT count(*)::int FROM pg_locks WHERE pid = pg_backend_pid() AND locktype = 'advisory') AS locks,
  (SELECT count(*)::int FROM pg_class WHERE relpersistence = 't' AND relnamespace = pg_my_temp_schema()) AS temporary,
  (SELECT count(*)::int FROM pg_prepared_statements) AS prepared`;

// The servers that are measured, and their own clients.
import { spawnSync } from "node:child_process";

export const NAMES = { postgres: "PostgreSQL", mariadb: "MariaDB", sqlite: "SQLite" };

export const SERVERS = {
  postgres: process.env["EMBERSET_TEST_POSTGRES"] ?? "postgres://root@127.0.0.1:5432/postgres",
  mariadb: process.env["EMBERSET_TEST_MARIADB"] ?? "mariadb://root@127.0.0.1:3306/",
};

/** The address of another database on a server. */
export function at(url, database) {
  const changed = new URL(url);
  changed.pathname = `/${database}`;
  return changed.href;
}

export function mariadbArgs(url) {
  const { hostname, port, username } = new URL(url);
  return ["-h", hostname, "-P", port || "3306", "-u", decodeURIComponent(username)];
}

/** Runs SQL with the server's own client. */
export function admin(dialect, url, sql) {
  if (dialect === "postgres")
    return spawnSync("psql", ["-qX", "-v", "ON_ERROR_STOP=1", "-d", url], { input: sql });
  const database = new URL(url).pathname.slice(1);
  return spawnSync("mariadb", [...mariadbArgs(url), ...(database ? [database] : [])], { input: sql });
}

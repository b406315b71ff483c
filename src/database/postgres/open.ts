import type { EventEmitter } from "node:events";
import type pg from "pg";
import { postgres } from "../../core/dialect/postgres/index.js";
import { problems } from "../../core/problems.js";
import type { TargetSettings } from "../../project/settings.js";
import type { Database } from "../session/database.js";
import { cancelling } from "../session/cancelling.js";
import type { OpenOptions } from "../session/engine.js";
import { explainFailure } from "../session/failures.js";
import { whoAmI } from "../session/who.js";
import { FAILURES } from "./failures.js";
import { inReadOnlyTransactions } from "./read-only.js";
import { databaseOver, LOCAL_SETTINGS, SETTINGS, type Connection } from "./session.js";

/** The oldest server whose catalog is read right. */
const OLDEST = 14;

/** Opens a database on a PostgreSQL server. @throws Problem E400, E410 to E412 */
export async function openPostgres(
  target: TargetSettings,
  { mode, ...watched }: OpenOptions,
): Promise<Database> {
  if (mode === "create") await createDatabase(target);
  const client = await connect(target, target.address);
  let cut: Error | undefined;
  client.on("error", error => (cut = error));
  const stop = cancelling(watched, async () => {
    const other = await connect(target, target.address);
    await other.query("SELECT pg_cancel_backend($1)", [serverProcessOf(client)]).finally(() => other.end());
  });
  const connection: Connection = {
    // In a message of its own the server takes one statement only, whatever a text is made to hide.
    query: (sql, values) => client.query({ text: sql, values, queryMode: "extended" } as pg.QueryConfig),
    // Asked for several statements, the driver gives a list of results; for one, that one.
    queries: async sql =>
      [(await client.query(sql)) as pg.QueryResult | pg.QueryResult[]].flat().map(({ rows }) => rows),
    script: async (sql, onDone) => {
      const messages = messagesOf(client);
      messages.on("commandComplete", onDone);
      await client.query(sql).finally(() => messages.off("commandComplete", onDone));
    },
    cut: () => cut,
    end: () => {
      stop();
      return client.end();
    },
  };
  const isRead = mode === "read";
  const database = databaseOver(
    isRead ? inReadOnlyTransactions(connection, LOCAL_SETTINGS) : connection,
    target,
    watched,
  );
  try {
    const [shown] = await database.lastRows(`${isRead ? "" : `${SETTINGS}; `}SHOW server_version`);
    refuseOld(target, String(shown?.["server_version"]));
  } catch (error) {
    await database.close();
    throw error;
  }
  return database;
}

/**
 * The driver asks what runs it by making a Response where there is no `navigator`, as on Node 20, which loads all of
 * Node's fetch: a third of Node's own start.
 */
async function loadDriver(): Promise<typeof pg> {
  const holder = globalThis as { navigator?: unknown };
  const missing = !("navigator" in holder);
  if (missing) holder.navigator = { userAgent: `Node.js/${process.versions.node}` };
  try {
    return (await import("pg")).default;
  } finally {
    if (missing) delete holder.navigator;
  }
}

/** `sslmode` as the server's own client reads it: https://www.postgresql.org/docs/15/libpq-ssl.html */
function inLibpqWords(url: string): string {
  const parsed = new URL(url);
  if (!parsed.searchParams.has("sslmode") || parsed.searchParams.has("uselibpqcompat")) return url;
  parsed.searchParams.set("uselibpqcompat", "true");
  return parsed.href;
}

async function connect(target: TargetSettings, url: string): Promise<pg.Client> {
  const { Client } = await loadDriver();
  let client: pg.Client;
  try {
    client = new Client({
      connectionString: inLibpqWords(url),
      connectionTimeoutMillis: 10_000,
      // At most 63 bytes; who waits for us is told by it.
      application_name: `emberset, ${whoAmI()}`.slice(0, 63),
    });
    // Whole numbers beyond 32 bits are rare in a catalog, and exact within 53.
    client.setTypeParser(20, Number);
    // Days and moments as the server writes them: a Date knows no day without an hour, and no microseconds.
    for (const type of [1082, 1083, 1114, 1184]) client.setTypeParser(type, String);
    await client.connect();
    return client;
  } catch (error) {
    throw explainFailure(error, { target, failures: FAILURES });
  }
}

/** The server's process that serves a connection, which the driver knows and its types do not tell. */
function serverProcessOf(client: pg.Client): number {
  return (client as unknown as { readonly processID: number }).processID;
}

/** What the server says, message by message: https://www.postgresql.org/docs/15/protocol-flow.html */
function messagesOf(client: pg.Client): EventEmitter {
  return (client as unknown as { readonly connection: EventEmitter }).connection;
}

/** On the server's own database, since the one to be made cannot be connected to. */
async function createDatabase(target: TargetSettings): Promise<void> {
  const url = new URL(target.address);
  const name = decodeURIComponent(url.pathname.slice(1));
  url.pathname = "/postgres";
  const client = await connect(target, url.href);
  try {
    const { rowCount } = await client.query("SELECT 1 FROM pg_database WHERE datname = $1", [name]);
    if (rowCount === 0) await client.query(`CREATE DATABASE ${postgres.names.quote(name)}`);
  } catch (error) {
    throw explainFailure(error, { target, failures: FAILURES, sql: "CREATE DATABASE" });
  } finally {
    await client.end();
  }
}

function refuseOld(target: TargetSettings, version: string): void {
  if (parseInt(version, 10) < OLDEST) {
    throw problems.tooOld({
      target: target.name,
      version: `PostgreSQL ${version}`,
      oldest: `PostgreSQL ${OLDEST}`,
    });
  }
}

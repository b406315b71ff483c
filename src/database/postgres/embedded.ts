import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { pathToFileURL } from "node:url";
import { cacheFile, readCache, writeCache } from "../../cache.js";
import { problems } from "../../core/problems.js";
import type { TargetSettings } from "../../project/settings.js";
import type { Database } from "../session/database.js";
import type { Watched } from "../session/engine.js";
import { databaseOver, SETTINGS } from "./session.js";

/** What is used of the embedded PostgreSQL; it is an optional dependency, so its types may not be there. */
interface Embedded {
  readonly query: (sql: string, values?: unknown[]) => Promise<{ readonly rows: readonly unknown[] }>;
  readonly exec: (sql: string) => Promise<readonly { readonly rows: readonly unknown[] }[]>;
  readonly dumpDataDir: (compression: "none") => Promise<Blob>;
  readonly close: () => Promise<void>;
}

interface EmbeddedModule {
  readonly PGlite: { create: (options?: { loadDataDir?: Blob }) => Promise<Embedded> };
}

/**
 * An empty database on an embedded PostgreSQL, in memory. Making a cluster takes seconds, so one is kept in the user's
 * cache folder and copied. @throws Problem E414 where it is not installed
 */
export async function openEmbedded(target: TargetSettings, watched: Watched = {}): Promise<Database> {
  const { PGlite } = await load();
  const kept = cacheFile(`cluster-${await versionOf()}.tar`);
  const cluster = readCache(kept);
  const embedded = await (cluster
    ? PGlite.create({ loadDataDir: new Blob([new Uint8Array(cluster)]) })
    : createAndKeep(PGlite, kept));
  await embedded.exec(SETTINGS);
  const connection = {
    query: (sql: string, values: unknown[]) => embedded.query(sql, values),
    queries: async (sql: string) => (await embedded.exec(sql)).map(({ rows }) => rows),
    cut: () => undefined,
    end: () => embedded.close(),
  };
  return databaseOver(connection, target, watched);
}

async function load(): Promise<EmbeddedModule> {
  try {
    return (await import("@electric-sql/pglite")) as unknown as EmbeddedModule;
  } catch (error) {
    throw problems.noScratch({ embeddable: true }, error);
  }
}

async function createAndKeep(PGlite: EmbeddedModule["PGlite"], kept: string): Promise<Embedded> {
  const embedded = await PGlite.create();
  const blob = await embedded.dumpDataDir("none");
  writeCache(kept, Buffer.from(await blob.arrayBuffer()));
  return embedded;
}

/** A cluster of one version is none of another's. */
async function versionOf(): Promise<string> {
  const main = pathToFileURL(createRequire(import.meta.url).resolve("@electric-sql/pglite"));
  const { version } = JSON.parse(readFileSync(new URL("../package.json", main), "utf8")) as {
    version: string;
  };
  return version;
}

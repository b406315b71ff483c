import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { dialects } from "../core/dialect/registry.js";
import { Problem } from "../core/problems.js";
import type { TargetSettings } from "../project/settings.js";
import type { Database, Trace } from "./database.js";
import { openDatabase, withDatabase } from "./open.js";

/** A database that is there for some work only, beside a target and of its kind. */
export interface Scratch {
  readonly database: Database;
  /** Where it is, in words: `a scratch database on the same server`. */
  readonly where: string;
}

/**
 * Does some work on an empty scratch database of a target's dialect, and lets go of it: a file for SQLite; for the
 * others one on the target's own server, and for PostgreSQL, where the server does not allow it, an embedded one.
 * @throws Problem E403, E410 to E414
 */
export async function withScratch<T>(
  target: TargetSettings,
  trace: Trace | undefined,
  work: (scratch: Scratch) => Promise<T>,
): Promise<T> {
  if (target.dialect === "sqlite") return withFile(target, trace, work);
  try {
    return await withServer(target, trace, work);
  } catch (error) {
    const refused = error instanceof NoScratch;
    if (!refused || target.dialect !== "postgres") throw refused ? error.cause : error;
  }
  const { openEmbedded } = await import("./postgres/embedded.js");
  const database = await openEmbedded(target, trace);
  try {
    return await work({ database, where: "an embedded PostgreSQL" });
  } finally {
    await database.close();
  }
}

async function withFile<T>(
  target: TargetSettings,
  trace: Trace | undefined,
  work: (scratch: Scratch) => Promise<T>,
): Promise<T> {
  const folder = mkdtempSync(join(tmpdir(), "emberset-scratch-"));
  try {
    const address = join(folder, "scratch.db");
    return await withDatabase({ ...target, address, label: address }, { mode: "write", trace }, database =>
      work({ database, where: "a scratch file" }),
    );
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

/** The server does not let us make a database. */
class NoScratch extends Error {}

async function withServer<T>(
  target: TargetSettings,
  trace: Trace | undefined,
  work: (scratch: Scratch) => Promise<T>,
): Promise<T> {
  const name = `emberset_scratch_${process.pid}_${Math.random().toString(36).slice(2, 8)}`;
  const quoted = dialects[target.dialect].names.quote(name);
  const owner = await openDatabase(target, { mode: "change", trace });
  try {
    await owner.run(await creation(owner, quoted)).catch((error: unknown) => {
      throw error instanceof Problem ? new NoScratch("no scratch database", { cause: error }) : error;
    });
    try {
      const url = new URL(target.address);
      url.pathname = `/${name}`;
      return await withDatabase({ ...target, address: url.href }, { mode: "change", trace }, database =>
        work({ database, where: "a scratch database on the same server" }),
      );
    } finally {
      await owner.run(`DROP DATABASE ${quoted}`);
    }
  } finally {
    await owner.close();
  }
}

/** As the target's own database is, where that matters to what is made in it. */
async function creation({ dialect, rows }: Database, name: string): Promise<string> {
  if (dialect.name === "postgres") return `CREATE DATABASE ${name} TEMPLATE template0`;
  const [row] = await rows("SELECT @@collation_database AS collation");
  return `CREATE DATABASE ${name} COLLATE ${String(row?.["collation"])}`;
}

import type { Engine } from "../session/engine.js";
import { NoScratch, SCRATCH, withServerScratch } from "../session/server-scratch.js";
import { openPostgres } from "./open.js";

const createSql = async (_: unknown, name: string): Promise<string> =>
  `CREATE DATABASE ${name} TEMPLATE template0`;

/** Where the server does not let us make a database, an embedded one serves. */
export const postgresEngine: Engine = {
  open: openPostgres,
  withScratch: async (target, watched, work) => {
    try {
      return await withServerScratch(
        { open: openPostgres, createSql, unused: UNUSED, always: "postgres" },
        target,
        watched,
        work,
      );
    } catch (error) {
      if (!(error instanceof NoScratch)) throw error;
    }
    const { openEmbedded } = await import("./embedded.js");
    const database = await openEmbedded(target, watched);
    try {
      return await work({ database, where: "an embedded PostgreSQL" });
    } finally {
      await database.close();
    }
  },
};

/** https://www.postgresql.org/docs/15/monitoring-stats.html#MONITORING-PG-STAT-ACTIVITY-VIEW: everybody sees who is where. */
const UNUSED = `SELECT d.datname AS name FROM pg_database d WHERE starts_with(d.datname, '${SCRATCH}')
  AND NOT EXISTS (SELECT 1 FROM pg_stat_activity a WHERE a.datname = d.datname)`;

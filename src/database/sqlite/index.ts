import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Engine } from "../session/engine.js";
import { openSqlite } from "./open.js";

export const sqliteEngine: Engine = {
  open: openSqlite,
  withScratch: async (target, watched, work) => {
    const folder = mkdtempSync(join(tmpdir(), "emberset-scratch-"));
    try {
      const address = join(folder, "scratch.db");
      const database = await openSqlite(
        { ...target, address, label: address },
        { mode: "write", ...watched },
      );
      try {
        // Nobody needs it after a power cut.
        await database.run("PRAGMA synchronous = OFF");
        return await work({ database, where: "a scratch file" });
      } finally {
        await database.close();
      }
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  },
};

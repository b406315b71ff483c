import { dialects } from "../../core/dialect/registry.js";
import { Problem, problems } from "../../core/problems.js";
import type { TargetSettings } from "../../project/settings.js";
import type { Database, Trace } from "./database.js";
import type { Engine, ScratchWork } from "./engine.js";

/** The server does not let us make a database; the cause says why. */
export class NoScratch extends Error {}

interface ServerScratch {
  readonly open: Engine["open"];
  /** The statement that makes a database as the target's own is, where that matters to what is made in it. */
  readonly createSql: (owner: Database, quotedName: string) => Promise<string>;
  /** A database that every server has, for when the target's own is yet to be made. */
  readonly always: string;
}

/** A scratch database on a target's own server. @throws NoScratch; Problem E403, E410 to E413 */
export async function withServerScratch<T>(
  { open, createSql, always }: ServerScratch,
  target: TargetSettings,
  trace: Trace | undefined,
  work: ScratchWork<T>,
): Promise<T> {
  const name = `emberset_scratch_${process.pid}_${Math.random().toString(36).slice(2, 8)}`;
  const quoted = dialects[target.dialect].names.quote(name);
  const owner = await open(target, { mode: "change", trace }).catch((error: unknown) => {
    if (!(error instanceof Problem) || error.code !== problems.noDatabase.code) throw error;
    return open({ ...target, address: beside(target.address, always) }, { mode: "change", trace });
  });
  try {
    await owner.run(await createSql(owner, quoted)).catch((error: unknown) => {
      throw error instanceof Problem ? new NoScratch("no scratch database", { cause: error }) : error;
    });
    try {
      const address = beside(target.address, name);
      const database = await open({ ...target, address }, { mode: "change", trace });
      try {
        return await work({ database, where: "a scratch database on the same server" });
      } finally {
        await database.close();
      }
    } finally {
      await owner.run(`DROP DATABASE ${quoted}`);
    }
  } finally {
    await owner.close();
  }
}

/** The address of another database on the same server. */
function beside(address: string, name: string): string {
  const url = new URL(address);
  url.pathname = `/${name}`;
  return url.href;
}

import { dialects } from "../../core/dialect/registry.js";
import { Problem, problems } from "../../core/problems.js";
import type { TargetSettings } from "../../project/settings.js";
import type { Database } from "./database.js";
import type { Engine, ScratchWork, Watched } from "./engine.js";

/** The server does not let us make a database; the cause says why. */
export class NoScratch extends Error {}

interface ServerScratch {
  readonly open: Engine["open"];
  /** The statement that makes a database as the target's own is, where that matters to what is made in it. */
  readonly createSql: (owner: Database, quotedName: string) => Promise<string>;
  /** A query for scratch databases, by `name`, that nobody uses any more. */
  readonly unused: string;
  /** What says, as long as its owner is connected, that one is in use; absent: being connected to it does. */
  readonly use?: (name: string) => string;
  /** A database that every server has, for when the target's own is yet to be made. */
  readonly always: string;
}

/** A scratch database on a target's own server. @throws NoScratch; Problem E403, E410 to E413 */
export async function withServerScratch<T>(
  { open, createSql, unused, use, always }: ServerScratch,
  target: TargetSettings,
  watched: Watched,
  work: ScratchWork<T>,
): Promise<T> {
  const words = [process.pid, Math.random().toString(36).slice(2, 8), Math.floor(Date.now() / 1000)];
  const name = `${SCRATCH}${words.join("_")}`;
  const quoted = dialects[target.dialect].names.quote(name);
  const owner = await open(target, { mode: "change", ...watched }).catch((error: unknown) => {
    if (!(error instanceof Problem) || error.code !== problems.noDatabase.code) throw error;
    return open({ ...target, address: beside(target.address, always) }, { mode: "change", ...watched });
  });
  try {
    await sweep(owner, unused);
    if (use) await owner.rows(use(name));
    await owner.run(await createSql(owner, quoted)).catch((error: unknown) => {
      throw error instanceof Problem ? new NoScratch("no scratch database", { cause: error }) : error;
    });
    try {
      const address = beside(target.address, name);
      const database = await open({ ...target, address }, { mode: "change", ...watched });
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

/** What the names of scratch databases begin with. */
export const SCRATCH = "emberset_scratch_";

/** In seconds: one that is younger may be about to be used. */
const YOUNG = 60;

/** A run that was killed has left its scratch database behind. What cannot be dropped is somebody else's. */
async function sweep(owner: Database, unused: string): Promise<void> {
  for (const { name } of await owner.rows(unused).catch(() => [])) {
    const made = Number(/_(\d{9,})$/.exec(String(name))?.[1] ?? 0);
    if (Date.now() / 1000 - made < YOUNG) continue;
    await owner.run(`DROP DATABASE ${owner.dialect.names.quote(String(name))}`).catch(() => undefined);
  }
}

/** The address of another database on the same server. */
function beside(address: string, name: string): string {
  const url = new URL(address);
  url.pathname = `/${name}`;
  return url.href;
}

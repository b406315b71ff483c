import type { TargetSettings } from "../../project/settings.js";
import type { Database, Trace, Waiting } from "./database.js";

/** Who takes part in what happens on a database. */
export interface Watched {
  readonly trace?: Trace | undefined;
  /** Called when another run has the database, before that is waited for, with what is known of it. */
  readonly onWait?: Waiting | undefined;
  /** Ends what is going on, before the next statement. */
  readonly signal?: AbortSignal | undefined;
}

export interface OpenOptions extends Watched {
  /**
   * "read": only looked at. "change": changed, but never made. "write": a file is made when it does not exist.
   * "create": a database on a server is made too.
   */
  readonly mode: "read" | "change" | "write" | "create";
}

/** A database that is there for some work only, beside a target and of its kind. */
interface Scratch {
  readonly database: Database;
  /** Where it is, in words: `a scratch database on the same server`. */
  readonly where: string;
}

export type ScratchWork<T> = (scratch: Scratch) => Promise<T>;

/** What is to be had of one kind of database: how it is opened, and where an empty one is for some work. */
export interface Engine {
  /** @throws Problem E400 to E404, E410 to E412 */
  readonly open: (target: TargetSettings, options: OpenOptions) => Promise<Database>;
  /** @throws Problem E403, E410 to E414 */
  readonly withScratch: <T>(target: TargetSettings, watched: Watched, work: ScratchWork<T>) => Promise<T>;
}

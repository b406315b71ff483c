import type { Trace } from "../database/session/database.js";

/** What every task takes. */
export interface TaskOptions {
  /** A folder of the project. @default the current folder */
  readonly project?: string | undefined;
  /** Called with every statement sent to a database. */
  readonly trace?: Trace | undefined;
}

/** What tasks on one database take. */
export interface TargetOptions extends TaskOptions {
  /** @default the project's home target */
  readonly target?: string | undefined;
}

/** Asked before rows or values are taken away from a target; true: go on. */
export type MayLose = (
  losses: readonly string[],
  target: { readonly name: string; readonly guarded: boolean },
) => Promise<boolean>;

import { dialects } from "../core/dialect/registry.js";
import type { Direction } from "../core/direction.js";
import type { Watched } from "../database/session/engine.js";
import type { TargetSettings } from "../project/settings.js";

/** What every task takes. */
export interface TaskOptions {
  /** A folder of the project. @default the current folder */
  readonly project?: string | undefined;
  /** Told what happens, as it happens. What it throws, the task throws. */
  readonly onEvent?: ((event: TaskEvent) => void) | undefined;
  /** Whether it is told of every statement that is sent to a database, too. @default false */
  readonly statements?: boolean | undefined;
  /**
   * Ends the task before its next statement, with E126; on a server, the statement that it waits for is cancelled. What
   * is not committed is undone, and on MariaDB goes on with the next run.
   */
  readonly signal?: AbortSignal | undefined;
}

/** A migration that ran, or was undone. */
export interface RanMigration {
  readonly number: number;
  readonly name: string;
  readonly title: string;
  /** false: another process had run it by the time it was its turn. */
  readonly here: boolean;
  readonly tookMs: number;
  /** Where it went on, when an earlier run had stopped in the midst: the statement, counted from 1, and how many there are. */
  readonly goneOn?: { readonly from: number; readonly of: number };
}

/** Something that happened on a target. */
export type TaskEvent = { readonly target: string } &
  /** A database is about to be connected to. */
  (
    | { readonly kind: "opening"; readonly onServer: boolean }
    | { readonly kind: "statement"; readonly sql: string; readonly tookMs: number }
    /** Another run has the database; with what is known of it: `process 123 on kiln, since 10:15:03 UTC`. */
    | { readonly kind: "waiting"; readonly whom: string }
    | { readonly kind: "migration begins"; readonly name: string; readonly direction: Direction }
    | { readonly kind: "migration done"; readonly run: RanMigration; readonly direction: Direction }
    /** Rows were put into a table; how many are by now, and of how many. */
    | { readonly kind: "rows"; readonly table: string; readonly done: number; readonly of: number }
    /** One of many; how many are by now, and of how many. `outcome` is the one of the task's result. */
    | {
        readonly kind: "database done";
        readonly state: "done" | "failed";
        readonly done: number;
        readonly of: number;
        readonly outcome: unknown;
      }
  );

/** What tasks on one database take. */
export interface TargetOptions extends TaskOptions {
  /** @default the project's home target */
  readonly target?: string | undefined;
}

/** Asked before rows or values are taken away from a target; true: go on. */
export type MayLose = (
  losses: readonly string[],
  target: {
    /** Of one of many databases, the name of them all. */
    readonly name: string;
    readonly guarded: boolean;
    readonly many?: boolean;
  },
) => Promise<boolean>;

/** What a task's options say of how a target is opened. */
export function watched(
  { onEvent, statements, signal }: TaskOptions,
  { name: target, dialect }: Pick<TargetSettings, "name" | "dialect">,
): Watched {
  onEvent?.({ target, kind: "opening", onServer: dialects[dialect].onServer });
  return {
    signal,
    ...(onEvent && { onWait: whom => onEvent({ target, kind: "waiting", whom }) }),
    ...(onEvent &&
      statements && { trace: (sql, tookMs) => onEvent({ target, kind: "statement", sql, tookMs }) }),
  };
}

/** What is asked for by name; undefined: all. */
export function namesIn(table: string | readonly string[] | undefined): readonly string[] | undefined {
  const names = table === undefined ? [] : [table].flat();
  return names.length === 0 ? undefined : names;
}

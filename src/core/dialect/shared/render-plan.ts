import type { Change } from "../../change/types.js";
import type { Schema } from "../../schema/types.js";
import type { Attic } from "./kept.js";

/** Settled schemas before and after, and the changes between them in the order they are to be made. */
export interface RenderPlan {
  readonly before: Schema;
  readonly after: Schema;
  readonly changes: readonly Change[];
  /** What is put into the attic, or taken out of it; absent: nothing. */
  readonly attic?: Attic;
  /** Whether each step is committed by itself, and others write meanwhile. */
  readonly online?: boolean;
  /** Checks, by `checkKey`, to which every row keeps that kept to what they were; absent: none. */
  readonly looser?: ReadonlySet<string>;
}

/** A check by the address of its table and its name, both as they are at the end. */
export function checkKey(table: string, check: string): string {
  return JSON.stringify([table, check]);
}

/** What of a plan cannot be done while others write. */
export interface Hindrance {
  /** The change, in words. */
  readonly what: string;
  readonly reason: string;
}

/** Statements that belong together, under a heading. */
export interface Block {
  readonly title: string;
  /** What the heading stands for, when it is more than one change. */
  readonly details?: readonly string[];
  /** Without semicolons. */
  readonly statements: readonly string[];
}

/** A column that changes while others write, by way of a second one that takes its place; its table by the address at the end. */
export interface SecondColumn {
  readonly table: string;
  readonly column: string;
  /** What the second one is called while both are there. */
  readonly spare: string;
  /** Whether it is of another type. */
  readonly retyped: boolean;
}

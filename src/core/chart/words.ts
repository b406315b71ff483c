import type { Action } from "../../modelling/facts.js";
import type { ChartLink, State } from "./types.js";

/** What happens to those who refer to a row that is deleted, where it is not refused. */
export function shortAction(action: Action): string {
  return action === "restrict" || action === "no action" ? "" : action;
}

/** What stands on a line: a name, and what happens on delete where it is not refused. */
export function sayLink({ onDelete }: Pick<ChartLink, "onDelete">, name: string | undefined): string {
  return [name, onDelete === undefined ? "" : shortAction(onDelete)].filter(Boolean).join(", ");
}

/** States by sign and word, so that no colour alone tells them. */
export const STATES = {
  new: { sign: "+", word: "new" },
  changed: { sign: "~", word: "changed" },
  gone: { sign: "−", word: "gone" },
} as const satisfies Record<State, { readonly sign: string; readonly word: string }>;

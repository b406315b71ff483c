import { columnsOfPart } from "../schema/lookups.js";
import type { Change } from "./types.js";

/** The columns, by their names afterwards, that a change alters or says something new of. */
export function columnsOfChange(change: Change): readonly string[] {
  switch (change.kind) {
    case "alter column":
      return [change.after.name];
    case "add part":
      return columnsOfPart(change.what, change.value);
    case "alter part":
      return columnsOfPart(change.what, change.after);
    default:
      return [];
  }
}

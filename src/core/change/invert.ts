import type { PartKind } from "../schema/types.js";
import { alterPart, type Change } from "./types.js";

/** The changes that undo these: each inverted, in reverse order. */
export function invert(changes: readonly Change[]): Change[] {
  return changes.toReversed().map(invertOne);
}

function invertOne(change: Change): Change {
  switch (change.kind) {
    case "add table":
      return { ...change, kind: "drop table" };
    case "drop table":
      return { ...change, kind: "add table" };
    case "add definition":
      return { ...change, kind: "drop definition" };
    case "drop definition":
      return { ...change, kind: "add definition" };
    case "alter definition":
      return { ...change, before: change.after, after: change.before };
    case "add column":
      return { ...change, kind: "drop column" };
    case "drop column":
      return { ...change, kind: "add column" };
    case "add part":
      return { ...change, kind: "drop part" };
    case "drop part":
      return { ...change, kind: "add part" };
    case "alter table":
      return { ...change, before: change.after, after: change.before };
    case "alter part":
      return alterPart<PartKind>(change.table, change.what, change.after, change.before);
    case "alter column": {
      const { before, after, convert, convertBack, ...rest } = change;
      return {
        ...rest,
        before: after,
        after: before,
        ...(convertBack !== undefined && { convert: convertBack }),
        ...(convert !== undefined && { convertBack: convert }),
      };
    }
    case "rename table":
    case "rename column":
    case "rename part":
      return { ...change, from: change.to, to: change.from };
    default:
      return change satisfies never;
  }
}

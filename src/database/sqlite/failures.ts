import { messageOf, textOf } from "../../core/errors.js";
import type { Failures } from "../session/failures.js";

const begins =
  (...starts: readonly string[]) =>
  ({ code }: { readonly code: string }) =>
    starts.some(start => code.startsWith(start));

/** ALTER TABLE ADD COLUMN gives no code of its own for it: https://sqlite.org/lang_altertable.html */
const BROKEN_CHECK = /^CHECK constraint failed/;

/** A statement of ours that refuses what it finds says so as a path that is none. */
const REFUSAL = /^bad JSON path: '((?:[^']|'')*)'$/;

/** https://sqlite.org/rescode.html */
export const FAILURES: Failures = {
  read: error => {
    const message = messageOf(error).replace(REFUSAL, (_, reason: string) => reason.replaceAll("''", "'"));
    const code = textOf(error, "code") || "SQLITE_ERROR";
    return {
      code: BROKEN_CHECK.test(message) ? "SQLITE_CONSTRAINT_CHECK" : code,
      number: 0,
      message,
      reason: message,
    };
  },
  known: [
    [({ code }) => code === "SQLITE_NOTADB", "notADatabase"],
    [begins("SQLITE_READONLY"), "readOnlyFile"],
    [begins("SQLITE_BUSY", "SQLITE_LOCKED"), "locked"],
    [begins("SQLITE_CANTOPEN"), "cannotOpen"],
  ],
  remedies: {
    SQLITE_CONSTRAINT_UNIQUE:
      "some rows hold the same values; make them differ or remove the doubles, then run again",
    SQLITE_CONSTRAINT_PRIMARYKEY:
      "some rows have the same key; make them differ or remove the doubles, then run again",
    SQLITE_CONSTRAINT_NOTNULL:
      "some rows have no value for a required column; fill them, or give the field a `default` or `fill` and draft again",
    SQLITE_CONSTRAINT_CHECK: "some rows break a check; correct them, then run again",
    SQLITE_CONSTRAINT_FOREIGNKEY: "some rows refer to nothing; correct or remove them, then run again",
    SQLITE_MISMATCH:
      "some values are not integers, as a key of that type must be; correct them, then run again",
    SQLITE_FULL: "the disk is full; make room, then run again",
  },
};

import { messageOf, textOf } from "../../core/errors.js";
import { isOutOfReach, isTlsFailure, type Failures } from "../session/failures.js";

/** https://www.postgresql.org/docs/15/errcodes-appendix.html, and what the driver says by itself. */
export const FAILURES: Failures = {
  read: error => {
    const message = messageOf(error);
    const reason = [message, textOf(error, "detail")].filter(Boolean).join(": ");
    return { code: textOf(error, "code"), number: 0, message, reason };
  },
  known: [
    [isTlsFailure, "noTls"],
    [({ code }) => code === "3D000", "noDatabase"],
    [({ code }) => code.startsWith("28"), "notLetIn"],
    [({ code }) => code === "55P03", "locked"],
    [({ code }) => code === "25006" || code === "42501", "readOnly"],
    [error => isOutOfReach(error) || /timeout expired/i.test(error.message), "unreachable"],
    [
      ({ code, message }) =>
        /^(?:ECONNRESET|EPIPE|57P0[123]|08)/.test(code) ||
        /connection.*(?:terminated|closed)|not queryable/i.test(message),
      "cutOff",
    ],
  ],
  remedies: {
    "22P02":
      "some values cannot be turned into the new type; correct them, or say `convert` in @Field and draft again",
    "22001":
      "some values are too long for the column; shorten them, or say `convert` in @Field and draft again",
    "23505": "some rows hold the same values; make them differ or remove the doubles, then run again",
    "23502":
      "some rows have no value for a required column; fill them, or give the field a `default` or `fill` and draft again",
    "23514": "some rows break a check; correct them, then run again",
    "23503": "some rows refer to nothing; correct or remove them, then run again",
    "2BP01": "drop or change what depends on it first, or keep it",
    "0A000": "drop or change what stands in the way first, or keep it",
  },
};

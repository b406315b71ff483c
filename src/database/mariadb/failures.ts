import { detailOf, messageOf, textOf } from "../../core/errors.js";
import { isOutOfReach, isTlsFailure, type Failures } from "../session/failures.js";

/** https://mariadb.com/kb/en/mariadb-error-code-reference/ */
export const FAILURES: Failures = {
  read: error => {
    const message = messageOf(error);
    return {
      code: textOf(error, "code"),
      number: Number(detailOf(error, "errno") ?? 0),
      message,
      reason: message,
    };
  },
  known: [
    [isTlsFailure, "noTls"],
    [({ number }) => number === 1049, "noDatabase"],
    [({ number }) => [1045, 1044, 1698].includes(number), "notLetIn"],
    [({ number }) => number === 1205, "locked"],
    [({ number }) => [1792, 1142, 1290].includes(number), "readOnly"],
    [isOutOfReach, "unreachable"],
    [
      ({ code, number }) =>
        /^(?:ECONNRESET|EPIPE|PROTOCOL_CONNECTION_LOST|PROTOCOL_ENQUEUE)/.test(code) || number === 1927,
      "cutOff",
    ],
  ],
  remedies: {
    1062: "some rows hold the same values; make them differ or remove the doubles, then run again",
    // What it says of a row held twice, in a table that others refer to.
    1834: "some rows hold the same values; make them differ or remove the doubles, then run again",
    1364: "some rows have no value for a required column; give the field a `default` or `fill` and draft again",
    1265: "some values do not fit the column's new type, or are null; correct them, then run again",
    1292: "some values cannot be turned into the new type; correct them, or say `convert` in @Field and draft again",
    1366: "some values cannot be turned into the new type; correct them, or say `convert` in @Field and draft again",
    1406: "some values are too long for the column; shorten them, then run again",
    4025: "some rows break a check; correct them, then run again",
    1452: "some rows refer to nothing; correct or remove them, then run again",
  },
};

import type { Cost } from "../../core/dialect/shared/costs.js";
import type { Sized, Span } from "../../tasks/costs.js";
import { count, sayBytes } from "../terminal/layout.js";

type Told = Sized<Pick<Cost, "work" | "waits">>;

/** What becomes of the rows of a table. */
export function sayWork({ work }: Pick<Cost, "work">): string {
  return work === "written" ? "written anew" : "read";
}

/** Who cannot use it meanwhile; of one statement also what it locks: `everyone waits (ACCESS EXCLUSIVE)`. */
export function sayWaiting({ waits, lock }: Pick<Cost, "waits"> & Partial<Pick<Cost, "lock">>): string {
  return `${WAITING[waits]}${lock === undefined ? "" : ` (${lock})`}`;
}

const WAITING = {
  nobody: "nobody waits",
  writers: "who writes to it waits",
  everyone: "everyone waits",
} as const satisfies Record<Cost["waits"], string>;

/** About how much there is of it, and how long it takes: `1,000,000 rows, 120 MB, 0.8 to 1.4 s`. */
export function sayAbout({ rows, bytes, seconds }: Told): string {
  return [
    ...(rows === undefined ? [] : [count(rows, "row")]),
    ...(bytes === undefined ? [] : [sayBytes(bytes)]),
    ...(seconds === undefined ? [] : [saySpan(seconds)]),
  ].join(", ");
}

/** `0.8 to 1.4 s`, `2 to 3 min` */
function saySpan({ from, to }: Span): string {
  if (to < 0.1) return "under 0.1 s";
  const isLong = from >= 120;
  const [unit, word] = isLong ? [60, "min"] : [1, "s"];
  const show = (seconds: number) => {
    const value = seconds / unit;
    return value >= 10 ? value.toFixed(0) : value.toFixed(1);
  };
  return show(from) === show(to) ? `${show(from)} ${word}` : `${show(from)} to ${show(to)} ${word}`;
}

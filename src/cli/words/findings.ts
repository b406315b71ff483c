import type { Finding } from "../../core/model/read/findings.js";

/** A finding's remedy with the option that says the same on the command line. */
export function remedyFor({ remedy, answer }: Finding): string {
  if (!answer) return remedy;
  const option = "rename" in answer ? `--rename ${answer.rename}` : `--fill ${answer.fill}`;
  const [first = "", ...rest] = remedy.split("; ");
  return [`${first}, or ${"rename" in answer ? `with ${option}` : option}`, ...rest].join("; ");
}

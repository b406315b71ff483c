import { hostname } from "node:os";

/** Who runs this, as others are told who wait for it. */
export function whoAmI(): string {
  return `process ${process.pid} on ${hostname()}`.slice(0, 255);
}

import { readFileSync } from "node:fs";
import { join } from "node:path";
import { programFolder } from "../version.js";

/** A file that is shipped beside the program: fonts, the script and the style of the page. */
export function asset(name: string): Buffer {
  return readFileSync(join(programFolder, "dist", "assets", name));
}

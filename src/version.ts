import { existsSync, readFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

/** The folder the program's package.json is in. */
export const programFolder = findPackage(dirname(fileURLToPath(import.meta.url)));

function findPackage(folder: string): string {
  return existsSync(join(folder, "package.json")) || dirname(folder) === folder
    ? folder
    : findPackage(dirname(folder));
}

/** The program's version. */
export const VERSION = (
  JSON.parse(readFileSync(join(programFolder, "package.json"), "utf8")) as { version: string }
).version;

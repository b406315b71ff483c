import { execFileSync } from "node:child_process";
import { existsSync, readFileSync } from "node:fs";
import type { Database } from "../../src/database/session/database.js";
import { mariadbArgs } from "../engines/dump.js";

/**
 * Schemas that others have written: a file with a line for each, `NAME DIALECT FILE`. None are shipped.
 *   EMBERSET_SCHEMAS=schemas.txt npm run laws -- --law real --runs 3
 */
const LIST = process.env["EMBERSET_SCHEMAS"] ?? "";
export const SCHEMAS = existsSync(LIST)
  ? readFileSync(LIST, "utf8")
      .split("\n")
      .flatMap(line => {
        const [name, dialect, file] = line.split(" ");
        return name && dialect && file ? [{ name, dialect, file }] : [];
      })
  : [];
/** A schema of somebody's, as its own file has it. */
export async function loadSchema(database: Database, file: string): Promise<void> {
  const { name } = database.dialect;
  if (name === "sqlite") {
    // The body of a trigger has statements of its own.
    for (const statement of readFileSync(file, "utf8").match(/[^;]*?(?:\bBEGIN\b[^]*?\bEND\s*;|;)/gi) ?? [])
      await database.run(statement);
    await database.run("PRAGMA foreign_keys = OFF");
    return;
  }
  const url = new URL(database.target.address);
  if (name === "postgres") execFileSync("psql", ["-q", "-d", url.href, "-f", file], { stdio: "pipe" });
  else
    execFileSync("mariadb", [...mariadbArgs(url), url.pathname.slice(1)], {
      input: readFileSync(file),
      stdio: "pipe",
    });
}

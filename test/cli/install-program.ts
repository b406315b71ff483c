import { execFileSync } from "node:child_process";
import { chmodSync, mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { TestProject } from "vitest/node";

declare module "vitest" {
  interface ProvidedContext {
    /** A folder where the packed program is installed, as a user would have it. */
    installed: string;
  }
}

/** Packs the program and installs the tarball into an empty project, unless there is one: that is what the command tests run. */
export default function setup(project: TestProject): () => void {
  const installed = process.env["EMBERSET_TEST_INSTALLED"];
  if (installed) {
    project.provide("installed", installed);
    return () => undefined;
  }
  const folder = mkdtempSync(join(tmpdir(), "emberset-installed-"));
  const npm = (args: readonly string[], cwd: string) =>
    execFileSync("npm", args, { cwd, encoding: "utf8", stdio: ["ignore", "pipe", "pipe"] });
  const packed = JSON.parse(
    npm(["pack", "--json", "--silent", "--pack-destination", folder], process.cwd()),
  ) as { filename: string }[] | Record<string, { filename: string }>;
  const { filename } = Object.values(packed)[0]!;
  writeFileSync(join(folder, "package.json"), '{ "name": "studio", "private": true, "type": "module" }\n');
  npm(["install", "--no-audit", "--no-fund", "--prefer-offline", join(folder, filename)], folder);
  // One test runs it as another user.
  chmodSync(folder, 0o755);
  project.provide("installed", folder);
  return () => rmSync(folder, { recursive: true, force: true });
}

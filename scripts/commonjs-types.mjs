// TypeScript takes the same declarations for CommonJS in a folder that says so.
import { cpSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";

const [from, to] = ["types", "types-cjs"].map(name => join(import.meta.dirname, "..", "dist", name));
rmSync(to, { recursive: true, force: true });
cpSync(from, to, { recursive: true });
writeFileSync(join(to, "package.json"), '{ "type": "commonjs" }\n');

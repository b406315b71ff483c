// Compiles a folder of models with esbuild and loads them, with the decorators of class-validator and emberset and nothing
// else: what any program that reads these files must do.
import { readdirSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { build } from "esbuild";

const [folder] = process.argv.slice(2);
const root = join(import.meta.dirname, "..");
const resolved = {
  emberset: join(root, "dist", "modelling.js"),
  "class-validator": join(root, "node_modules", "class-validator", "cjs", "index.js"),
};
const contents = readdirSync(folder)
  .filter(name => name.endsWith(".ts"))
  .map((name, at) => `export * as m${at} from ${JSON.stringify(join(folder, name))};`)
  .join("\n");
const { outputFiles } = await build({
  stdin: { contents, resolveDir: folder, loader: "ts" },
  bundle: true,
  write: false,
  format: "esm",
  platform: "node",
  target: "node20",
  tsconfigRaw: { compilerOptions: { experimentalDecorators: true, useDefineForClassFields: true } },
  plugins: [
    {
      name: "packages",
      setup({ onResolve }) {
        onResolve({ filter: /^(?:emberset|class-validator)$/ }, ({ path }) => ({
          path: pathToFileURL(resolved[path]).href,
          external: true,
        }));
      },
    },
  ],
});
const file = join(folder, "..", `bare-${process.pid}.mjs`);
writeFileSync(file, outputFiles[0].text);
const loaded = await import(pathToFileURL(file).href);
rmSync(file);
if (Object.keys(loaded).length !== 100) throw new Error(`loaded ${Object.keys(loaded).length} files`);
process.exit(0);

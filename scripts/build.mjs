import { chmod, readFile, rm, writeFile } from "node:fs/promises";
import { analyzeMetafile, build } from "esbuild";

// The program in one piece but for what commands load on demand. What the published package depends on stays outside:
// the drivers, the compiler, and class-validator, which the models themselves import.
await rm("dist", { recursive: true, force: true });
/**
 * yargs and cli-table3 measure text with a library that starts an Intl.Segmenter, or compiles a very long pattern, which
 * takes a good part of Node's own start. They get one that does not.
 */
const lightStringWidth = {
  name: "light-string-width",
  setup({ onLoad, onResolve, resolve }) {
    onResolve({ filter: /^string-width$/ }, ({ kind, resolveDir }) =>
      kind === "import-statement"
        ? resolve("fast-string-width", { kind, resolveDir })
        : { path: "string-width", namespace: "light", pluginData: resolveDir },
    );
    onLoad({ filter: /.*/, namespace: "light" }, ({ pluginData: resolveDir }) => ({
      contents: 'module.exports = require("fast-string-width").default;',
      resolveDir,
    }));
  },
};

const { metafile } = await build({
  metafile: process.argv.includes("--analyse"),
  entryPoints: {
    emberset: "src/cli/emberset.ts",
    modelling: "src/modelling/index.ts",
    tasks: "src/tasks/index.ts",
  },
  outdir: "dist",
  bundle: true,
  splitting: true,
  format: "esm",
  platform: "node",
  target: "node20",
  minify: true,
  legalComments: "linked",
  // The ES module builds of class-validator and class-transformer leave out what is not used.
  mainFields: ["module", "main"],
  external: ["libsql", "esbuild", "pg", "mysql2", "@electric-sql/pglite"],
  chunkNames: "parts/[name]-[hash]",
  tsconfigRaw: { compilerOptions: { experimentalDecorators: true, useDefineForClassFields: true } },
  // Some of the bundled libraries are CommonJS and ask for Node's own modules.
  banner: {
    js: 'import{createRequire as __nodeRequire}from"node:module";const require=__nodeRequire(import.meta.url);',
  },
  plugins: [lightStringWidth],
  logLevel: "warning",
});

await writeFile("dist/emberset.js", `#!/usr/bin/env node\n${await readFile("dist/emberset.js", "utf8")}`);
await chmod("dist/emberset.js", 0o755);
if (metafile) console.log(await analyzeMetafile(metafile));

import { chmod, readdir, readFile, rm, writeFile } from "node:fs/promises";
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

const common = {
  bundle: true,
  platform: "node",
  target: "node20",
  minify: true,
  legalComments: "linked",
  // The ES module builds of class-validator and class-transformer leave out what is not used.
  mainFields: ["module", "main"],
  external: ["libsql", "esbuild", "pg", "mysql2", "@electric-sql/pglite"],
  tsconfigRaw: { compilerOptions: { experimentalDecorators: true, useDefineForClassFields: true } },
  plugins: [lightStringWidth],
  logLevel: "warning",
};

// The program itself is one script, since V8 keeps what it made of a script: src/cli/load-program.ts.
const script = await build({
  ...common,
  metafile: process.argv.includes("--analyse"),
  entryPoints: ["src/cli/main.ts"],
  outdir: "dist",
  entryNames: "program-[hash]",
  outExtension: { ".js": ".cjs" },
  format: "cjs",
  // What is loaded on demand is loaded with `require`.
  supported: { "dynamic-import": false },
  define: { "import.meta.url": "scriptUrl" },
  banner: { js: 'const scriptUrl=require("node:url").pathToFileURL(__filename).href;' },
});
const [program] = (await readdir("dist")).filter(name => /^program-.*\.cjs$/.test(name));

await build({
  ...common,
  entryPoints: {
    emberset: "src/cli/emberset.ts",
    modelling: "src/modelling/index.ts",
    tasks: "src/tasks/index.ts",
  },
  outdir: "dist",
  splitting: true,
  format: "esm",
  chunkNames: "parts/[name]-[hash]",
  define: { PROGRAM_FILE: JSON.stringify(`./${program}`) },
  // Some of the bundled libraries are CommonJS and ask for Node's own modules.
  banner: {
    js: 'import{createRequire as __nodeRequire}from"node:module";const require=__nodeRequire(import.meta.url);',
  },
});

await writeFile("dist/emberset.js", `#!/usr/bin/env node\n${await readFile("dist/emberset.js", "utf8")}`);
await chmod("dist/emberset.js", 0o755);
if (script.metafile) console.log(await analyzeMetafile(script.metafile));

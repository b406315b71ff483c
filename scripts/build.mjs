import { chmod, copyFile, readdir, readFile, rm, writeFile } from "node:fs/promises";
import { join } from "node:path";
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

/** Nor does yargs need more of Node's `assert`, which is loaded at every start for it alone, than to throw. */
const lightAssert = {
  name: "light-assert",
  setup({ onLoad, onResolve }) {
    onResolve({ filter: /^assert$/ }, () => ({ path: "assert", namespace: "light-assert" }));
    onLoad({ filter: /.*/, namespace: "light-assert" }, () => ({
      contents: `const check = (holds, message) => { if (!holds) throw new Error(message); };
export const strictEqual = (a, b, message) => check(Object.is(a, b), message);
export const notStrictEqual = (a, b, message) => check(!Object.is(a, b), message);`,
    }));
  },
};

const common = {
  bundle: true,
  platform: "node",
  target: "node20",
  minify: true,
  legalComments: "linked",
  // The ES module build of class-validator leaves out what is not used.
  mainFields: ["module", "main"],
  external: ["libsql", "esbuild", "pg", "mysql2", "@electric-sql/pglite", "@viz-js/viz", "@resvg/resvg-wasm"],
  tsconfigRaw: { compilerOptions: { experimentalDecorators: true, useDefineForClassFields: true } },
  plugins: [lightStringWidth, lightAssert],
  logLevel: "warning",
};

/** A script knows its own address otherwise than a module. */
const scriptUrl = {
  define: { "import.meta.url": "scriptUrl" },
  banner: { js: 'const scriptUrl=require("node:url").pathToFileURL(__filename).href;' },
};

/** What only a few commands use stands in files of its own, by package, and is read when it is first called. */
const APART = {
  "@babel/parser": { file: "typescript-parser", functions: ["parse", "parseExpression"] },
  "magic-string": { file: "edits", classes: ["MagicString"] },
  "@faker-js/faker/locale/en": { file: "made-up-words", classes: [], values: ["faker"] },
  "supports-hyperlinks": { file: "terminal-links", functions: ["createSupportsHyperlinks"] },
  "@eslint-community/regexpp": { file: "pattern-parser", classes: ["RegExpParser"] },
};
const apart = {
  name: "apart",
  setup({ onLoad, onResolve }) {
    onResolve(
      {
        filter:
          /^(?:@babel\/parser|magic-string|supports-hyperlinks|@eslint-community\/regexpp|@faker-js\/faker\/locale\/en)$/,
      },
      ({ path }) => ({
        path,
        namespace: "apart",
      }),
    );
    onResolve({ filter: /^\.\/parts\//, namespace: "apart" }, ({ path }) => ({ path, external: true }));
    onLoad({ filter: /.*/, namespace: "apart" }, ({ path }) => {
      const { file, functions = [], classes = [], values = [] } = APART[path];
      const load = `require("./parts/${partNames.get(file)}")`;
      const lines = [
        ...functions.map(name => `export const ${name} = (...given) => ${load}.${name}(...given);`),
        ...classes.map(
          name => `export function ${name}(...given) { return new (${load}.${name})(...given); }`,
        ),
      ];
      // Of the parts of a value, each is looked up when it is used.
      for (const name of values)
        lines.push(`export const ${name} = new Proxy({}, { get: (_, part) => ${load}.${name}[part] });`);
      return { contents: lines.join("\n") };
    });
  },
};
// Each is called after what is in it, and so is the program that asks for it.
await build({
  ...common,
  entryPoints: Object.entries(APART).map(([name, { file }]) => ({ in: name, out: file })),
  outdir: "dist/parts",
  entryNames: "[name]-[hash]",
  outExtension: { ".js": ".cjs" },
  format: "cjs",
});
const partNames = new Map();
for (const name of await readdir("dist/parts")) {
  const [, file] = /^(.*)-[A-Z0-9]+\.cjs$/.exec(name) ?? [];
  if (file === undefined) continue;
  partNames.set(file, name);
  await leaveAscii(join("dist/parts", name));
}

// The program itself is one script, since V8 keeps what it made of a script: src/cli/load-program.ts.
const script = await build({
  ...common,
  metafile: process.argv.includes("--analyse"),
  entryPoints: ["src/cli/main.ts"],
  outdir: "dist",
  entryNames: "program-[hash]",
  outExtension: { ".js": ".cjs" },
  format: "cjs",
  plugins: [...common.plugins, apart],
  // What is loaded on demand is loaded with `require`.
  supported: { "dynamic-import": false },
  ...scriptUrl,
});
const [program] = (await readdir("dist")).filter(name => /^program-.*\.cjs$/.test(name));
await leaveAscii(join("dist", program));

// What starts it is a script too: an ES module would start a part of Node that most commands have no other use for.
await build({
  ...common,
  entryPoints: ["src/cli/emberset.ts"],
  outdir: "dist",
  outExtension: { ".js": ".cjs" },
  format: "cjs",
  define: { ...scriptUrl.define, PROGRAM_FILE: JSON.stringify(`./${program}`) },
  banner: scriptUrl.banner,
});
await chmod("dist/emberset.cjs", 0o755);

await build({
  ...common,
  entryPoints: {
    modelling: "src/modelling/index.ts",
    tasks: "src/tasks/index.ts",
  },
  outdir: "dist",
  splitting: true,
  format: "esm",
  chunkNames: "parts/[name]-[hash]",
  // Some of the bundled libraries are CommonJS and ask for Node's own modules.
  banner: {
    js: 'import{createRequire as __nodeRequire}from"node:module";const require=__nodeRequire(import.meta.url);',
  },
});

// For applications that are CommonJS: the same registry, by way of a symbol that all of them know.
await build({
  ...common,
  entryPoints: { modelling: "src/modelling/index.ts" },
  outdir: "dist",
  outExtension: { ".js": ".cjs" },
  format: "cjs",
  ...scriptUrl,
});

// The page of a chart runs in browsers.
await build({
  ...common,
  platform: "browser",
  target: "es2022",
  entryPoints: { page: "src/page/client.ts", "page-style": "src/page/page.css" },
  outdir: "dist/assets",
  format: "iife",
});

// What charts are drawn with: the font, for pictures whole and for files as far as Latin letters go.
const fonts = {
  "regular.ttf": "@expo-google-fonts/alegreya-sans/400Regular/AlegreyaSans_400Regular.ttf",
  "bold.ttf": "@expo-google-fonts/alegreya-sans/700Bold/AlegreyaSans_700Bold.ttf",
  "regular.woff2": "@fontsource/alegreya-sans/files/alegreya-sans-latin-400-normal.woff2",
  "bold.woff2": "@fontsource/alegreya-sans/files/alegreya-sans-latin-700-normal.woff2",
  "OFL.txt": "@fontsource/alegreya-sans/LICENSE",
};
for (const [name, from] of Object.entries(fonts))
  await copyFile(join("node_modules", from), join("dist/assets", name));

if (script.metafile) console.log(await analyzeMetafile(script.metafile));

/** A pattern is the one place where the compiler leaves letters that are not ASCII. */
async function leaveAscii(file) {
  const code = await readFile(file, "utf8");
  const escaped = code.replace(
    /[^\0-\x7f]/g,
    letter => `\\u${letter.charCodeAt(0).toString(16).padStart(4, "0")}`,
  );
  await writeFile(file, escaped);
}

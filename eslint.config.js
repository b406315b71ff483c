import { dirname, relative, resolve, sep } from "node:path";
import tseslint from "typescript-eslint";

/**
 * The rooms of docs/architecture.md, lowest first: a file may import from its own room and those before it. What is
 * in one list stands side by side, and does not import each other.
 */
const ROOMS = [
  ["modelling", "version.ts", "cache.ts"],
  ["core"],
  ["core/sql"],
  ["core/schema"],
  ["core/change"],
  ["core/lower"],
  ["core/dialect/shared"],
  ["core/dialect/sqlite", "core/dialect/postgres", "core/dialect/mariadb"],
  ["core/dialect"],
  ["core/plan"],
  ["core/model/rules"],
  ["core/model/read"],
  ["core/model/advice", "core/model/write"],
  ["core/model/sketch"],
  ["core/model", "core/rows", "core/chart"],
  ["project", "history", "page"],
  ["database/session"],
  ["database/sqlite", "database/postgres", "database/mariadb"],
  ["database"],
  ["tasks"],
  ["cli/words"],
  ["cli/terminal"],
  ["cli/commands"],
  ["cli"],
];
/** What is below, and all the same not to be known. */
const UNKNOWN = { "database/session": ["history"], database: ["history"] };

const SRC = resolve(import.meta.dirname, "src");
const floors = new Map(ROOMS.flatMap((rooms, floor) => rooms.map(room => [room, floor])));

/** The innermost room that a file is in. */
function roomOf(file) {
  let room = relative(SRC, file).split(sep).join("/");
  while (!floors.has(room) && room.includes("/")) room = room.slice(0, room.lastIndexOf("/"));
  return room;
}

const downwards = {
  create: context => {
    const from = roomOf(context.filename);
    const check = node => {
      const path = node.source?.value;
      if (typeof path !== "string" || !path.startsWith(".")) return;
      const to = roomOf(resolve(dirname(context.filename), path.replace(/\.js$/, ".ts")));
      if (from === to) return;
      if (!floors.has(from) || !floors.has(to))
        context.report({ node, message: `${floors.has(from) ? to : from} is no room of eslint.config.js` });
      else if (floors.get(to) >= floors.get(from) || UNKNOWN[from]?.includes(to))
        context.report({ node, message: `${from} may not import from ${to}: imports run downwards only.` });
    };
    return {
      ImportDeclaration: check,
      ExportNamedDeclaration: check,
      ExportAllDeclaration: check,
      ImportExpression: check,
    };
  },
};

export default tseslint.config(
  { ignores: ["dist/**", "node_modules/**"] },
  ...tseslint.configs.strict,
  {
    rules: {
      "@typescript-eslint/no-non-null-assertion": "off",
      "@typescript-eslint/no-extraneous-class": "off",
      "@typescript-eslint/consistent-type-imports": "error",
      "no-console": "error",
      eqeqeq: "error",
      "@typescript-eslint/no-unused-vars": ["error", { ignoreRestSiblings: true, argsIgnorePattern: "^_" }],
    },
  },
  { files: ["scripts/**", "bench/**", "examples/**/*.mjs"], rules: { "no-console": "off" } },
  {
    files: ["src/**/*.ts"],
    plugins: { rooms: { rules: { downwards } } },
    rules: {
      "rooms/downwards": "error",
      "max-lines-per-function": ["error", { max: 80 }],
    },
  },
  {
    // Catalogues and tables are as long as what they list.
    files: ["src/**/*.ts"],
    ignores: ["src/core/problems.ts"],
    rules: { "max-lines": ["error", { max: 450 }] },
  },
  { files: ["src/core/**/*.ts"], rules: { "no-restricted-globals": ["error", "process", "console"] } },
);

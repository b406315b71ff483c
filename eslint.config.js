import tseslint from "typescript-eslint";

/** The layers of docs/architecture.md, lowest first: a file may import from its own layer and those before it. */
const layers = ["modelling", "core", "project", "history", "database", "tasks", "cli"];
const sideways = { database: ["history"], history: ["project"] };

const downwardsOnly = layers.map((layer, at) => ({
  files: [`src/${layer}/**/*.ts`],
  rules: {
    "no-restricted-imports": [
      "error",
      {
        patterns: [...layers.slice(at + 1), ...(sideways[layer] ?? [])].map(upper => ({
          group: [`**/${upper}/**`, `**/${upper}/*.js`],
          message: `${layer} may not import from ${upper}: imports run downwards only.`,
        })),
      },
    ],
  },
}));

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
  { files: ["src/core/**/*.ts"], rules: { "no-restricted-globals": ["error", "process", "console"] } },
  ...downwardsOnly,
);

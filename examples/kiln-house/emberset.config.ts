import type { Project } from "emberset";

export default {
  models: ["models/*.ts"],
  migrations: "migrations",
  home: "local",
  naming: { tables: "plural", case: "snake" },
  targets: {
    local: { dialect: "sqlite", file: "kiln-house.db" },
  },
} satisfies Project;

import type { Project } from "emberset";

export default {
  models: ["models/*.ts"],
  migrations: "migrations",
  home: "local",
  naming: { tables: "plural", case: "snake" },
  roles: { visitor: [], potter: ["visitor"], treasurer: ["visitor"] },
  grants: { visitor: ["select"] },
  targets: {
    local: { dialect: "sqlite", file: "kiln-house.db" },
  },
} satisfies Project;

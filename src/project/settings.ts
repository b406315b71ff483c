import { join } from "node:path";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import { DIALECT_NAMES, dialects, type DialectName } from "../core/dialect/registry.js";
import { withoutForeignKeys } from "../core/dialect/without-foreign-keys.js";
import type { NamingRules } from "../core/schema/naming.js";
import { withRoles } from "../core/dialect/with-roles.js";
import type { Grants } from "../modelling/facts.js";
import type { FileTargets, Project, ServerTargets } from "../modelling/project.js";

/** A project's settings, complete: every default filled in, every path absolute. */
export interface Settings {
  /** The project's folder. */
  readonly folder: string;
  readonly configFile: string;
  readonly models: readonly string[];
  /** Patterns of files with SQL of the developer's own. */
  readonly objects: readonly string[];
  readonly migrations: string;
  readonly home: string;
  readonly naming: NamingRules;
  readonly targets: ReadonlyMap<string, TargetSettings>;
  /** Targets that are many databases alike, by their names. */
  readonly lists: ReadonlyMap<string, TargetList>;
  /** Whether what migrations take away is kept in the attic. */
  readonly keepDropped: boolean;
  /** The dialects of the targets on which all that is drafted is to run while others write. */
  readonly online: readonly DialectName[];
  /** Those on which rows get values in pieces. */
  readonly batches: readonly DialectName[];
  /** The roles that models may speak of, with those that each has all of. */
  readonly roles: Readonly<Record<string, readonly string[]>>;
  /** What roles may do where a model says nothing of them. */
  readonly grants: Grants;
}

/** A target that is many databases alike; which they are is found out when they are asked for. */
export interface TargetList {
  readonly name: string;
  /** As the config has it. */
  readonly target: FileTargets | ServerTargets;
  readonly parallel: number;
}

export interface TargetSettings {
  readonly name: string;
  /** The target that it is one of many of. */
  readonly list?: string;
  readonly dialect: DialectName;
  /** What the driver opens: a file's absolute path, or a URL with everything in it. Never shown. */
  readonly address: string;
  /** Environment variables of the config that are not set, where the URL is missing. */
  readonly unset?: readonly string[];
  /** The same as people may see it: the path, or the URL without its password. */
  readonly label: string;
  readonly guarded: boolean;
  readonly foreignKeys: boolean;
  /** The roles of which it is known what they may do, with those that each has all of; none in a scratch database. */
  readonly roles: Readonly<Record<string, readonly string[]>>;
  /** In milliseconds. */
  readonly lockTimeout: number;
  /** How many rows get a value at once, at most, where that goes in pieces. */
  readonly batches?: number;
  /** Whether it is one that is made for a while. */
  readonly scratch?: true;
}

export const DEFAULTS = {
  models: ["models/**/*.ts"],
  objects: ["objects/**/*.sql"],
  migrations: "migrations",
  naming: { tables: "plural", case: "snake" },
  guarded: false,
  foreignKeys: true,
  lockTimeout: "5s",
  keepDropped: true,
  parallel: 4,
} as const satisfies Partial<Project> & Record<string, unknown>;

/** `"500ms"` → 500, `"5s"` → 5000, `"2min"` → 120000; undefined when it is no duration. */
export function parseDuration(text: string): number | undefined {
  const match = /^(\d+(?:\.\d+)?)\s*(ms|s|min)$/.exec(text.trim());
  return match ? Number(match[1]) * (MILLISECONDS[match[2] ?? ""] ?? 1) : undefined;
}

const MILLISECONDS: Readonly<Record<string, number>> = { ms: 1, s: 1000, min: 60_000 };

/** The dialects that a project's targets use, each once. */
export function dialectsInUse(settings: Settings): Dialect[] {
  const { roles } = settings;
  const targets = [
    ...settings.targets.values(),
    ...[...settings.lists.values()].map(({ target }) => ({
      dialect: target.dialect,
      foreignKeys: target.foreignKeys ?? DEFAULTS.foreignKeys,
      roles,
    })),
  ];
  return DIALECT_NAMES.flatMap(name => {
    const target = targets.find(({ dialect }) => dialect === name);
    return target ? [dialectOf(target)] : [];
  });
}

/** The dialect as a target speaks it. */
export function dialectOf({
  dialect,
  foreignKeys,
  roles,
}: Pick<TargetSettings, "dialect" | "foreignKeys" | "roles">): Dialect {
  return withRoles(foreignKeys ? dialects[dialect] : withoutForeignKeys(dialects[dialect]), roles);
}

/** The folder that model files go to: the part of the first pattern of `models` that is no pattern. */
export function modelsFolder({ folder, models }: Settings): string {
  return startOf(folder, models);
}

/** The folder that files of objects go to. */
export function objectsFolder({ folder, objects }: Settings): string {
  return startOf(folder, objects);
}

/** `models/**\/*.ts` → `models`: the folder that the first pattern begins with. */
function startOf(folder: string, patterns: readonly string[]): string {
  const parts = (patterns[0] ?? "").split("/");
  const end = parts.findIndex(part => /[*?{[(!]/.test(part));
  return join(folder, ...parts.slice(0, end < 0 ? -1 : end));
}

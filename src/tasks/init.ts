import { existsSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { basename, dirname, join, resolve } from "node:path";
import { DEFAULT_DIALECT, dialects, type DialectName } from "../core/dialect/registry.js";
import { problems } from "../core/problems.js";
import { CONFIG_FILE } from "../project/load-settings.js";

export interface InitOptions {
  /** @default the current folder */
  readonly folder?: string | undefined;
  /** The database file, from the folder. @default `<folder's name>.db` */
  readonly file?: string | undefined;
  /** @default one that needs no server */
  readonly dialect?: DialectName | undefined;
  /** The URL of the database, for a dialect with a server. Put into .env, not into the config. */
  readonly url?: string | undefined;
}

export interface InitResult {
  readonly folder: string;
  /** What was written, from the folder. */
  readonly written: readonly string[];
}

/** Starts a project: a config with one target, a first model, ignore rules. @throws Problem E105, E122 */
export function init({ folder = ".", file, dialect = DEFAULT_DIALECT, url }: InitOptions): InitResult {
  const root = resolve(folder);
  const { onServer } = dialects[dialect];
  if (onServer && (url === undefined || !URL.canParse(url))) throw problems.noUrl({ dialect });
  const database = file ?? `${basename(root).replace(/[^\p{L}\p{N}_-]+/gu, "-") || "local"}.db`;
  const files: Record<string, string> = {
    [CONFIG_FILE]: configText(onServer ? { dialect } : { dialect, file: database }),
    ...(onServer && { ".env": `LOCAL_URL=${quotedForEnv(url ?? "")}\n` }),
    "models/potter.ts": STARTER_MODEL,
  };
  for (const name of Object.keys(files)) {
    if (existsSync(join(root, name))) throw problems.fileExists({ file: join(root, name) });
  }
  // Without it an editor does not know that the models' decorators are legacy ones; a project that has one keeps it.
  if (!existsSync(join(root, "tsconfig.json"))) files["tsconfig.json"] = TSCONFIG;
  const written = Object.keys(files);
  makeFolder(join(root, "models"));
  // What has a password in it is nobody else's to read.
  for (const [name, text] of Object.entries(files))
    writeFileSync(join(root, name), text, { mode: name === ".env" ? 0o600 : 0o666 });
  if (addIgnoreRules(join(root, ".gitignore"))) written.push(".gitignore");
  return { folder: root, written };
}

/** As .env files have it, where a # begins a comment */
function quotedForEnv(value: string): string {
  if (/^[\w:/@.?&=%+~,-]*$/.test(value)) return value;
  const quote = ["'", '"', "`"].find(each => !value.includes(each)) ?? "'";
  return `${quote}${value}${quote}`;
}

/** With those above it. Step by step: where the system takes no folder, Node would try for ever to make them all at once. */
function makeFolder(folder: string): void {
  if (existsSync(folder)) return;
  makeFolder(dirname(folder));
  mkdirSync(folder);
}

const IGNORED = ["*.db", "*.db-journal", "*.db-wal", "*.db-shm", ".env"];

function addIgnoreRules(file: string): boolean {
  const text = existsSync(file) ? readFileSync(file, "utf8") : "";
  const missing = IGNORED.filter(rule => !text.split(/\r?\n/).includes(rule));
  if (missing.length === 0) return false;
  writeFileSync(file, `${text}${text === "" || text.endsWith("\n") ? "" : "\n"}${missing.join("\n")}\n`);
  return true;
}

function configText({ dialect, file }: { dialect: DialectName; file?: string }): string {
  const location =
    file === undefined ? `url: process.env["LOCAL_URL"] ?? ""` : `file: ${JSON.stringify(file)}`;
  return `import type { Project } from "emberset";

export default {
  models: ["models/**/*.ts"],
  migrations: "migrations",
  home: "local",
  targets: {
    local: { dialect: "${dialect}", ${location} },
  },
} satisfies Project;
`;
}

/** The model that init writes to begin with. */
export const STARTER_MODEL = `import { IsEmail, IsOptional, IsString, MaxLength } from "class-validator";
import { Field, Stamp, Stored } from "emberset";

@Stored<Potter>({ note: "Whoever makes pots here" })
export class Potter {
  @IsString() @MaxLength(80) name!: string;
  @IsOptional() @IsEmail() @Field({ unique: true }) email?: string;
  @Stamp("created") createdAt!: Date;
}
`;

const TSCONFIG = `{
  "compilerOptions": {
    "target": "ES2022",
    "module": "NodeNext",
    "strict": true,
    "experimentalDecorators": true,
    "skipLibCheck": true,
    "noEmit": true
  }
}
`;

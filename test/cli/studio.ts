import { spawn, spawnSync, type ChildProcess } from "node:child_process";
import {
  cpSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import LibSql from "libsql";
import { inject, onTestFinished } from "vitest";

export interface Run {
  readonly status: number | null;
  readonly stdout: string;
  readonly stderr: string;
}

/** Where the demo's files are. */
export const KILN_HOUSE = join(import.meta.dirname, "..", "..", "examples", "kiln-house");

/** A project in a temporary folder, and the installed program to run on it. */
export class Studio {
  readonly folder = mkdtempSync(join(tmpdir(), "emberset-studio-"));

  constructor(files: Readonly<Record<string, string>> = {}) {
    for (const [name, text] of Object.entries(files)) this.write(name, text);
    onTestFinished(() => rmSync(this.folder, { recursive: true, force: true }));
  }

  path(name: string): string {
    return join(this.folder, name);
  }

  write(name: string, text: string): this {
    mkdirSync(dirname(this.path(name)), { recursive: true });
    writeFileSync(this.path(name), text);
    return this;
  }

  read(name: string): string {
    return readFileSync(this.path(name), "utf8");
  }

  /** The demo's models of one version, in place of those before; without their grants where the config has no roles. */
  useModels(version: "v1" | "v2" | "v3"): this {
    rmSync(this.path("models"), { recursive: true, force: true });
    cpSync(join(KILN_HOUSE, version, "models"), this.path("models"), { recursive: true });
    if (!this.read("emberset.config.ts").includes("roles:"))
      for (const name of readdirSync(this.path("models"))) {
        const text = this.read(`models/${name}`);
        this.write(`models/${name}`, text.replace(/,?\s*grants: (?:\{[^{}]*\}|ITS_OWN)/g, ""));
      }
    return this;
  }

  emberset(...args: readonly string[]): Run {
    const { status, stdout, stderr } = spawnSync(process.execPath, [PROGRAM(), ...args], this.options());
    return { status, stdout, stderr };
  }

  /** Runs as another user, with a home of its own. */
  as(uid: number, ...args: readonly string[]): Run {
    const options = { ...this.options(), uid, gid: uid };
    const env = { ...options.env, HOME: "/nonexistent" };
    return spawnSync(process.execPath, [PROGRAM(), ...args], { ...options, env });
  }

  /** Runs a command that must succeed. @returns what it printed */
  ok(...args: readonly string[]): string {
    const { status, stdout, stderr } = this.emberset(...args);
    if (status !== 0) throw new Error(`emberset ${args.join(" ")} ended with ${status}\n${stdout}${stderr}`);
    return stdout;
  }

  json<T = Record<string, unknown>>(...args: readonly string[]): T {
    return JSON.parse(this.emberset(...args, "--json").stdout) as T;
  }

  start(...args: readonly string[]): ChildProcess {
    return spawn(process.execPath, [PROGRAM(), ...args], { ...this.options(), stdio: "ignore" });
  }

  /**
   * Kills a command when it has sent so many statements.
   * @param later milliseconds that it has left then
   * @returns whether it was killed before its end
   */
  async killedAfter(statements: number, later: number, ...args: readonly string[]): Promise<boolean> {
    const child = spawn(process.execPath, [PROGRAM(), ...args, "--trace"], this.options());
    let traced = 0;
    child.stdout.resume();
    child.stderr.on("data", (text: Buffer) => {
      traced += String(text).match(/^ *[\d.]+ ms {2}/gm)?.length ?? 0;
      if (traced < statements) return;
      if (later > 0) setTimeout(() => child.kill("SIGKILL"), later);
      else child.kill("SIGKILL");
    });
    return new Promise(resolve => child.once("close", (_, signal) => resolve(signal === "SIGKILL")));
  }

  /** Runs a command without waiting for it. @returns how it ends */
  finish(...args: readonly string[]): Promise<Run> {
    return this.interruptible(...args)[1];
  }

  /** The same, with the process, to be sent a signal. */
  interruptible(...args: readonly string[]): readonly [ChildProcess, Promise<Run>] {
    const child = spawn(process.execPath, [PROGRAM(), ...args], this.options());
    const [stdout, stderr]: [string[], string[]] = [[], []];
    child.stdout.on("data", text => void stdout.push(String(text)));
    child.stderr.on("data", text => void stderr.push(String(text)));
    const end = new Promise<Run>(resolve =>
      child.once("close", status => resolve({ status, stdout: stdout.join(""), stderr: stderr.join("") })),
    );
    return [child, end];
  }

  sql(text: string, file = "kiln-house.db"): void {
    const database = new LibSql(this.path(file));
    database.exec(text);
    database.close();
  }

  rows(query: string, file = "kiln-house.db"): unknown[] {
    const database = new LibSql(this.path(file));
    try {
      return database.prepare(query).raw().all();
    } finally {
      database.close();
    }
  }

  /** Everything the database holds, as text; "" when there is none. */
  dump(file = "kiln-house.db"): string {
    return spawnSync("sqlite3", [this.path(file), ".dump"], { encoding: "utf8" }).stdout;
  }

  private options() {
    return {
      cwd: this.folder,
      encoding: "utf8",
      env: { ...process.env, NO_COLOR: "1", TERM: "dumb" },
    } as const;
  }
}

const PROGRAM = () => join(inject("installed"), "node_modules", ".bin", "emberset");

/** The demo's project with its first models. */
export function kilnHouse(): Studio {
  return new Studio({
    "emberset.config.ts": readFileSync(join(KILN_HOUSE, "emberset.config.ts"), "utf8"),
  }).useModels("v1");
}

/** A project with one model file and the usual config. */
export function smallStudio(model: string, config = CONFIG): Studio {
  return new Studio({ "emberset.config.ts": config, "models/all.ts": model });
}

export const CONFIG = `export default { targets: { local: { dialect: "sqlite", file: "kiln-house.db" } } };\n`;

let template: string | undefined;

/** The demo's project: the migration of version 1 ran, that of version 2 is drafted and pending. */
export function drafted(): Studio {
  const studio = new Studio();
  if (template === undefined) {
    template = mkdtempSync(join(tmpdir(), "emberset-template-"));
    const first = kilnHouse();
    first.ok("draft", "first tables");
    first.ok("forward");
    first.useModels("v2").ok("draft", "glazes");
    cpSync(first.folder, template, { recursive: true });
    process.once("exit", () => rmSync(template!, { recursive: true, force: true }));
  }
  cpSync(template, studio.folder, { recursive: true });
  return studio;
}

/** The models of a project, compiled under `strict` against the installed package. @returns what the compiler says */
export function compileStrictly(studio: Studio): string {
  symlinkSync(join(inject("installed"), "node_modules"), studio.path("node_modules"));
  studio.write("package.json", '{ "type": "module" }');
  studio.write(
    "tsconfig.json",
    JSON.stringify({
      compilerOptions: {
        target: "ES2022",
        module: "NodeNext",
        strict: true,
        experimentalDecorators: true,
        noEmit: true,
        types: [],
      },
      include: ["models"],
    }),
  );
  const tsc = join(import.meta.dirname, "..", "..", "node_modules", "typescript", "bin", "tsc");
  const { stdout } = spawnSync(process.execPath, [tsc, "-p", "."], { cwd: studio.folder, encoding: "utf8" });
  rmSync(studio.path("node_modules"));
  return stdout;
}

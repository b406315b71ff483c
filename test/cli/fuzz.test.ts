import { execFileSync, spawn } from "node:child_process";
import { once } from "node:events";
import { readdirSync } from "node:fs";
import { join } from "node:path";
import { afterAll, describe, expect, inject, test } from "vitest";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { PATIENCE, RUNS, SEED } from "../laws/runs.js";
import { Studio } from "./studio.js";

const MODELS = `import { IsIn, IsInt, IsOptional, IsString, Matches, MaxLength, Min } from "class-validator";
import { Field, Key, PairedWith, RefersTo, Stamp, Stored } from "emberset";
@Stored<Kiln>({ note: "Where pots are fired", unique: [["name", "fuel"]] })
export class Kiln {
  @IsString() @MaxLength(40) @Matches(/^[A-Z]/) name!: string;
  @IsIn(["wood", "gas"]) @Field({ default: "wood" }) fuel!: string;
  @IsOptional() @IsInt() @Min(1) litres?: number;
  @Stamp("created") createdAt!: Date;
}
@Stored<Piece>({ checks: { sane: "{weight} < 40000" } })
export class Piece {
  @Key({ generate: "uuid" }) @IsString() id!: string;
  @RefersTo(() => Kiln, { onDelete: "cascade" }) kiln!: Kiln;
  @IsInt() @Field({ fill: 1 }) weight!: number;
  @PairedWith(() => Kiln) seen!: Kiln[];
}
`;

interface Found {
  readonly kind: string;
  readonly wrong: readonly string[];
}

/** Inputs a process: what one leaves behind must not be what the next trips over. */
const BATCH = 50;

const engines = { PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };

test(
  "whatever is harmed (config, models, records, scripts, outlines, ledgers, catalogs, folders, command lines) is told in words",
  async () => {
    const studio = made(
      `local: { dialect: "sqlite", file: "studio.db", lockTimeout: "1s" }, live: { dialect: "sqlite", file: "live.db", guarded: true }`,
    );
    await fuzz("SQLite", studio.folder, RUNS);
  },
  PATIENCE,
);

describe.each(Object.entries(engines))("on %s", (title, engine) => {
  const name = `emberset_fuzz_${process.pid}`;
  afterAll(async () => {
    await engine?.run(`DROP DATABASE IF EXISTS ${name}`);
    await engine?.close();
  });

  test.runIf(engine)(
    "whatever is harmed in a database (ledgers, what they keep, the journal, catalogs) is told in words",
    async () => {
      const { dialect, run } = engine!;
      const urlOf = (database: string) => new URL(`/${database}`, engine!.url).href;
      await run(`CREATE DATABASE ${name}`);
      const studio = made(
        `local: { dialect: "${dialect.name}", url: process.env.STUDIO_URL!, lockTimeout: "1s" }`,
        { ".env": `STUDIO_URL=${urlOf(name)}\n` },
      );
      const template = dialect.name === "postgres" ? name : mariadbTemplates(studio, new URL(urlOf(name)));
      await fuzz(title, studio.folder, RUNS / 3, batch => [urlOf(`${name}_${batch}`), template]);
    },
    PATIENCE,
  );
});

/** A project with two migrations that ran. */
function made(targets: string, files: Readonly<Record<string, string>> = {}): Studio {
  const studio = new Studio({
    ...files,
    "emberset.config.ts": `export default { models: ["models/*.ts"], naming: { tables: "plural", case: "snake" }, home: "local", targets: { ${targets} } };\n`,
    "models/all.ts": MODELS.split("\n")
      .filter(line => !line.includes("weight"))
      .join("\n")
      .replace("export class Piece", "@Stored() export class Piece"),
    "outline.csv": "table,field,type,refers to,note\npots,title,varchar(80) unique,,\npots,kiln,,kilns,\n",
  });
  studio.ok("draft", "first");
  studio.write("models/all.ts", MODELS).ok("draft", "weights");
  studio.ok("forward");
  return studio;
}

/** What a database holds after both, and after a third that stopped in its midst. @returns two files */
function mariadbTemplates(studio: Studio, { hostname, port, username, password, pathname }: URL): string {
  const dump = (file: string) => {
    const args = [
      `-h${hostname}`,
      `-P${port || 3306}`,
      `-u${username}`,
      "--skip-comments",
      pathname.slice(1),
    ];
    const env = { ...process.env, MYSQL_PWD: password };
    return studio.write(file, execFileSync("mariadb-dump", args, { encoding: "utf8", env })).path(file);
  };
  const settled = dump("settled.sql");
  studio.ok("draft", "stops", "--blank");
  const script = `migrations/${readdirSync(studio.path("migrations")).at(-1)!}/forward.mariadb.sql`;
  studio.write(
    script,
    `${studio.read(script)}\nCREATE TABLE extra (a int);\nUPDATE kilns SET nothing = 1;\n`,
  );
  expect(studio.emberset("forward", "--yes").status).toBe(4);
  return `${settled},${dump("stopped.sql")}`;
}

/** @param server of a batch: a database on a server, and what it holds at first */
async function fuzz(
  title: string,
  folder: string,
  projects: number,
  server: (batch: number) => readonly string[] = () => [],
): Promise<void> {
  const batches = Math.max(1, Math.ceil(projects / BATCH));
  const found: Found[] = [];
  const counts: Record<string, number> = {};
  let next = 0;
  const worker = async () => {
    for (let batch = next++; batch < batches; batch = next++) {
      const out = await runBatch(folder, SEED + batch * 7919, server(batch));
      for (const line of out.trim().split("\n")) {
        const said = JSON.parse(line) as { found?: Found; counts?: Record<string, number> };
        if (said.found) found.push(said.found);
        for (const [kind, count] of Object.entries(said.counts ?? {}))
          counts[kind] = (counts[kind] ?? 0) + count;
      }
    }
  };
  await Promise.all([worker(), worker()]);
  if (process.env["LAW_TELL"]) process.stdout.write(`fuzz on ${title}: ${JSON.stringify(counts)}\n`);
  expect(found).toEqual([]);
  const commands = Object.values(counts).reduce((sum, each) => sum + each, 0);
  expect(commands).toBeGreaterThanOrEqual(batches * BATCH * 2);
}

async function runBatch(project: string, seed: number, server: readonly string[]): Promise<string> {
  const dist = join(inject("installed"), "node_modules", "emberset", "dist");
  const child = spawn(
    process.execPath,
    [join(import.meta.dirname, "fuzz-child.mjs"), dist, project, String(seed), String(BATCH), ...server],
    { env: { ...process.env, NO_COLOR: "1" }, stdio: ["ignore", "pipe", "pipe"] },
  );
  let [out, errors] = ["", ""];
  child.stdout.on("data", text => (out += String(text)));
  child.stderr.on("data", text => (errors += String(text)));
  // A batch takes seconds: one that takes minutes waits for ever.
  const timer = setTimeout(() => child.kill("SIGKILL"), 240_000);
  const [code, signal] = (await once(child, "close")) as [number | null, string | null];
  clearTimeout(timer);
  if (code !== 0)
    throw new Error(
      `seed ${seed} ended with ${signal ?? code}: ${errors.slice(0, 2000)}\n${out.slice(-500)}`,
    );
  return out;
}

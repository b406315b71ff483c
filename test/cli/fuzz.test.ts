import { spawn } from "node:child_process";
import { once } from "node:events";
import { join } from "node:path";
import { expect, inject, test } from "vitest";
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

test(
  "whatever is harmed (config, models, records, scripts, outlines, ledgers, catalogs, folders, command lines) is told in words",
  async () => {
    const studio = new Studio({
      "emberset.config.ts": `export default { models: ["models/*.ts"], naming: { tables: "plural", case: "snake" }, home: "local", targets: { local: { dialect: "sqlite", file: "studio.db", lockTimeout: "1s" }, live: { dialect: "sqlite", file: "live.db", guarded: true } } };\n`,
      "models/all.ts": MODELS.split("\n")
        .filter(line => !line.includes("weight"))
        .join("\n")
        .replace("export class Piece", "@Stored() export class Piece"),
      "outline.csv": "table,field,type,refers to,note\npots,title,varchar(80) unique,,\npots,kiln,,kilns,\n",
    });
    studio.ok("draft", "first");
    studio.write("models/all.ts", MODELS).ok("draft", "weights");
    studio.ok("forward");
    const batches = Math.max(1, Math.ceil(RUNS / BATCH));
    const found: Found[] = [];
    const counts: Record<string, number> = {};
    let next = 0;
    const worker = async () => {
      for (let batch = next++; batch < batches; batch = next++) {
        const out = await runBatch(studio.folder, SEED + batch * 7919);
        for (const line of out.trim().split("\n")) {
          const said = JSON.parse(line) as { found?: Found; counts?: Record<string, number> };
          if (said.found) found.push(said.found);
          for (const [kind, count] of Object.entries(said.counts ?? {}))
            counts[kind] = (counts[kind] ?? 0) + count;
        }
      }
    };
    await Promise.all([worker(), worker()]);
    if (process.env["LAW_TELL"]) process.stdout.write(`fuzz: ${JSON.stringify(counts)}\n`);
    expect(found).toEqual([]);
    expect(Object.values(counts).reduce((sum, each) => sum + each, 0)).toBeGreaterThanOrEqual(
      batches * BATCH * 2,
    );
  },
  PATIENCE,
);

async function runBatch(project: string, seed: number): Promise<string> {
  const dist = join(inject("installed"), "node_modules", "emberset", "dist");
  const child = spawn(
    process.execPath,
    [join(import.meta.dirname, "fuzz-child.mjs"), dist, project, String(seed), String(BATCH)],
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

// Speed as ratios, measured in one run on one machine against Node's own start and the database's own client.
// Prints a table; with --write it also puts the table into docs/performance.md.
import { execFileSync, spawnSync } from "node:child_process";
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { build } from "esbuild";
import { catalogRatios } from "./catalog.mjs";
import { checkRatio } from "./check.mjs";
import { rowRatios } from "./rows.mjs";
import { seeingRatios } from "./seeing.mjs";
import { upkeepRatios } from "./upkeep.mjs";

const RUNS = 15;
const scratch = mkdtempSync(join(tmpdir(), "emberset-bench-"));
const program = join(import.meta.dirname, "..", "dist", "emberset.cjs");
const node = process.execPath;

const results = [
  compareCommands("`emberset --version` : `node -e 0`", 1.6, [node, program, "--version"], [node, "-e", "0"]),
  status(),
  migrations(false),
  migrations(true),
  await algebra(),
  checkRatio({ scratch, program, compareCommands }),
  ...catalogRatios({ scratch, program, compareCommands, median }),
  ...rowRatios({ scratch, program, compareCommands, median }),
  ...upkeepRatios({ scratch, program, median, node }),
  ...seeingRatios({ scratch, program, node, compareCommands }),
];
rmSync(scratch, { recursive: true, force: true });

const rows = results.map(
  ({ name, ratio, limit, a, b }) =>
    `| ${name} | ${ratio.toFixed(2)} | ${Number.isFinite(limit) ? limit : "—"} | ${a} | ${b} |`,
);
const table = [
  "| what : measure | ratio | at most | what | measure |",
  "| --- | --- | --- | --- | --- |",
  ...rows,
].join("\n");
console.log(table);
if (process.argv.includes("--write")) {
  const file = join(import.meta.dirname, "..", "docs", "performance.md");
  const text = readFileSync(file, "utf8");
  writeFileSync(file, text.replace(/(<!-- measured -->\n)[^]*(<!-- end -->)/, `$1\n${table}\n\n$2`));
}
process.exitCode = results.every(({ ratio, limit }) => ratio <= limit) ? 0 : 1;

/** Two commands in turn, A B A B …; the median of the pairs' ratios. */
function compareCommands(name, limit, a, b, { cwd = scratch, prepare = () => undefined, runs = RUNS } = {}) {
  const once = ([command, ...args], which) => {
    prepare(which);
    const start = performance.now();
    const { status, stderr } = spawnSync(command, args, {
      cwd,
      stdio: ["ignore", "pipe", "pipe"],
      maxBuffer: 2 ** 28,
    });
    if (status !== 0) throw new Error(`${command} ${args.join(" ")} ended with ${status}: ${stderr}`);
    return performance.now() - start;
  };
  once(a, "a");
  once(b, "b");
  const pairs = Array.from({ length: runs }, () => [once(a, "a"), once(b, "b")]);
  return {
    name,
    limit,
    ratio: median(pairs.map(([x, y]) => x / y)),
    a: `${median(pairs.map(([x]) => x)).toFixed(0)} ms`,
    b: `${median(pairs.map(([, y]) => y)).toFixed(0)} ms`,
  };
}

function median(numbers) {
  return numbers.toSorted((x, y) => x - y)[Math.floor(numbers.length / 2)];
}

function emberset(folder, ...args) {
  return execFileSync(node, [program, ...args], { cwd: folder, encoding: "utf8" });
}

/** The demo's project as it stands after its three migrations. */
function status() {
  const folder = join(scratch, "studio");
  const demo = join(import.meta.dirname, "..", "examples", "kiln-house");
  mkdirSync(folder);
  writeFileSync(join(folder, "emberset.config.ts"), readFileSync(join(demo, "emberset.config.ts")));
  for (const version of ["v1", "v2", "v3"]) {
    rmSync(join(folder, "models"), { recursive: true, force: true });
    execFileSync("cp", ["-r", join(demo, version, "models"), folder]);
    emberset(folder, "draft", version);
    emberset(folder, "forward");
  }
  return compareCommands(
    "`emberset status` : `node -e 0`",
    2.5,
    [node, program, "status"],
    [node, "-e", "0"],
    { cwd: folder },
  );
}

/**
 * A hundred migrations, one transaction each, against the same SQL given to the sqlite3 program in one process. Each
 * brings a table with a reference, checks, indexes and stamps, and a column with an index to the table before.
 * @param whole with Node's start and the loading of the program, or only the running
 */
function migrations(whole) {
  const folder = hundredMigrations();
  const prepare = () => {
    rmSync(join(folder, "a.db"), { force: true });
    rmSync(join(folder, "b.db"), { force: true });
  };
  const client = ["sqlite3", "b.db", ".read all.sql"];
  if (whole) {
    const options = { cwd: folder, prepare };
    return compareCommands(
      "`emberset forward`, whole : `sqlite3`, whole",
      Infinity,
      [node, program, "forward"],
      client,
      options,
    );
  }
  const once = () => {
    prepare();
    return Number(
      execFileSync(node, [join(import.meta.dirname, "forward.mjs"), folder], { encoding: "utf8" }),
    );
  };
  const pairs = Array.from({ length: RUNS }, () => {
    const ours = once();
    const start = performance.now();
    execFileSync(client[0], client.slice(1), { cwd: folder });
    return [ours, performance.now() - start];
  });
  return {
    name: "running 100 migrations : `sqlite3`, same SQL",
    limit: 2,
    ratio: median(pairs.map(([x, y]) => x / y)),
    a: `${median(pairs.map(([x]) => x)).toFixed(0)} ms`,
    b: `${median(pairs.map(([, y]) => y)).toFixed(0)} ms`,
  };
}

function hundredMigrations() {
  const folder = join(scratch, "hundred");
  if (existsSync(folder)) return folder;
  mkdirSync(join(folder, "models"), { recursive: true });
  writeFileSync(
    join(folder, "emberset.config.ts"),
    'export default { targets: { local: { dialect: "sqlite", file: "a.db" } } };\n',
  );
  for (let number = 1; number <= 100; number += 1) {
    writeFileSync(join(folder, "models", `batch${number}.ts`), modelOf(number, false));
    if (number > 1) writeFileSync(join(folder, "models", `batch${number - 1}.ts`), modelOf(number - 1, true));
    emberset(folder, "draft", `batch ${number}`);
  }
  const scripts = readdirSync(join(folder, "migrations"))
    .sort()
    .map(name => readFileSync(join(folder, "migrations", name, "forward.sqlite.sql"), "utf8"));
  writeFileSync(join(folder, "all.sql"), scripts.map(text => `BEGIN IMMEDIATE;\n${text}COMMIT;\n`).join(""));
  return folder;
}

function modelOf(number, later) {
  const reference =
    number > 1 ? `@IsOptional() @RefersTo(() => Batch${number - 1}) before?: Batch${number - 1};` : "";
  const extra = later ? "@IsOptional() @IsInt() @Field({ index: true }) fired?: number;" : "";
  return `import { IsInt, IsOptional, IsString, MaxLength, Min } from "class-validator";
import { Field, RefersTo, Stamp, Stored } from "emberset";
${number > 1 ? `import { Batch${number - 1} } from "./batch${number - 1}.js";` : ""}
@Stored() export class Batch${number} {
  @IsString() @MaxLength(80) @Field({ index: true }) title!: string;
  @IsInt() @Min(1) weight!: number;
  ${reference}
  @Stamp("created") createdAt!: Date;
  @Stamp("updated") updatedAt!: Date;
  ${extra}
}
`;
}

/** The time the algebra takes for ten times as many tables. */
async function algebra() {
  const outfile = join(scratch, "algebra.mjs");
  await build({
    entryPoints: [join(import.meta.dirname, "algebra.ts")],
    bundle: true,
    platform: "node",
    format: "esm",
    outfile,
    banner: { js: 'import{createRequire as r}from"node:module";const require=r(import.meta.url);' },
  });
  const { large, small } = JSON.parse(execFileSync(node, [outfile], { encoding: "utf8" }));
  return {
    name: "diff and order, 2,000 tables : 200 tables",
    limit: 12,
    ratio: large / small,
    a: `${large.toFixed(1)} ms`,
    b: `${small.toFixed(1)} ms`,
  };
}

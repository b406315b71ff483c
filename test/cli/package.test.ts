import { execFileSync, spawnSync } from "node:child_process";
import { mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { expect, inject, test } from "vitest";
import { drafted, KILN_HOUSE } from "./studio.js";

test("the model language shows the SQL that its examples become", () => {
  const script = join(import.meta.dirname, "..", "..", "scripts", "model-language.mjs");
  expect(execFileSync(process.execPath, [script, "--check"], { encoding: "utf8" })).toBe("12 examples\n");
});

test("in a project where it is installed, models and tasks compile under strict, and the API runs", () => {
  const folder = join(inject("installed"), "studio");
  mkdirSync(folder, { recursive: true });
  const program = join(folder, "..", "node_modules", ".bin", "emberset");
  execFileSync(program, ["init"], { cwd: folder });
  execFileSync("cp", ["-r", join(KILN_HOUSE, "v2", "models"), folder]);
  execFileSync("sh", ["-c", `cat > ${folder}/run.ts`], {
    input: `import { draft, forward, status, describe, Problem, type ForwardResult } from "emberset/tasks";
await draft({ title: "all of it" });
const result: ForwardResult = await forward({ mayLose: async losses => losses.length === 0 });
const { tables } = await describe({ table: "pieces" });
console.log(result.ran.length, (await status({})).targets[0]!.pending, tables[0]!.columns.length);
await forward({ target: "nowhere" }).catch(error => console.log(error instanceof Problem && error.code));
`,
  });
  const tsc = join(import.meta.dirname, "..", "..", "node_modules", ".bin", "tsc");
  const types = join(import.meta.dirname, "..", "..", "node_modules", "@types");
  const compiled = spawnSync(
    tsc,
    ["-p", ".", "--typeRoots", types, "--types", "node", "--noEmit", "false", "--outDir", "out"],
    {
      cwd: folder,
      encoding: "utf8",
    },
  );
  expect(compiled.stdout).toBe("");
  expect(execFileSync(process.execPath, ["out/run.js"], { cwd: folder, encoding: "utf8" })).toBe(
    "1 0 11\nE104\n",
  );
  rmSync(folder, { recursive: true });
});

const COMMONJS = `import { Field, RefersTo, Stored } from "emberset";
import { IsInt } from "class-validator";
import type { StatusResult } from "emberset/tasks";
@Stored<Piece>() export class Piece {
  @IsInt() weight!: number;
  @RefersTo(() => Piece) lid!: Piece;
  @Field({ type: "text" }) title!: string;
}
export const seen: StatusResult | undefined = undefined;
`;

test.each([
  ["commonjs", "node10"],
  ["node16", "node16"],
])(
  "models of a CommonJS project compile with module %s, and load in an application",
  (module, resolution) => {
    const folder = join(inject("installed"), `commonjs-${resolution}`);
    mkdirSync(folder, { recursive: true });
    writeFileSync(join(folder, "package.json"), '{ "private": true, "type": "commonjs" }\n');
    writeFileSync(join(folder, "piece.ts"), COMMONJS);
    const tsc = join(import.meta.dirname, "..", "..", "node_modules", ".bin", "tsc");
    const options = ["--module", module, "--moduleResolution", resolution, "--target", "es2022", "--strict"];
    const compiled = spawnSync(tsc, ["piece.ts", ...options, "--experimentalDecorators"], {
      cwd: folder,
      encoding: "utf8",
    });
    expect(compiled.stdout).toBe("");
    const use = "console.log(require('./piece.js').Piece.name)";
    expect(execFileSync(process.execPath, ["-e", use], { cwd: folder, encoding: "utf8" })).toBe("Piece\n");
    rmSync(folder, { recursive: true });
  },
);

test("the manual page tells of every command, and is one that a formatter takes", () => {
  const page = join(inject("installed"), "node_modules", "emberset", "dist", "emberset.1");
  const studio = drafted();
  const commands = studio.ok("completion", "words", "--", "").trim().split("\n");
  const text = readFileSync(page, "utf8");
  expect(commands.filter(name => !text.includes(`\n.SS ${name}\n`))).toEqual([]);
  const { status, stderr, error } = spawnSync("groff", ["-man", "-Tutf8", "-ww", page], { encoding: "utf8" });
  if (!error) expect([status, stderr]).toEqual([0, ""]);
});

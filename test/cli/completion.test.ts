import { spawnSync } from "node:child_process";
import { join } from "node:path";
import { expect, inject, test } from "vitest";
import { drafted, smallStudio } from "./studio.js";

test("a shell completes commands, options and their values, targets, migrations and tables", () => {
  const studio = drafted();
  const words = (...written: string[]) =>
    studio
      .ok("completion", "words", "--", ...written)
      .trim()
      .split("\n");
  expect(words("com")).toEqual(["compare", "completion"]);
  expect(words("")).toContain("forward");
  expect(words("compare", "--fr")).toEqual(["--from"]);
  expect(words("forward", "--target", "")).toEqual(["local"]);
  expect(words("forward", "--to", "")).toEqual(["0001", "0002"]);
  expect(words("compare", "--from", "")).toEqual([
    "0001",
    "0002",
    "empty",
    "history",
    "models",
    "target:local",
  ]);
  expect(words("describe", "pie")).toEqual(["pieces", "pieces_glazes"]);
  expect(words("export", "--as", "")).toEqual([
    "csv",
    "json-schema",
    "markdown",
    "openapi",
    "row-types",
    "sql",
  ]);
  expect(words("forward", "--project", "")).toEqual([""]);
  studio.write("emberset.config.ts", "export default {");
  expect(words("forward", "--target", "")).toEqual([""]);
});

test("a name that a shell would run is not offered", () => {
  const hostile = '$(touch x)", "`touch x`", "two words", "a;b", "a*';
  const entities = hostile
    .split('", "')
    .map(
      (name, at) =>
        `@Stored({ table: ${JSON.stringify(name)} }) export class E${at} { @IsInt() n!: number; }`,
    );
  const model = `import { IsInt } from "class-validator";\nimport { Stored } from "emberset";\n${entities.join("\n")}\n@Stored({ table: "größe" }) export class Plain { @IsInt() n!: number; }\n`;
  const studio = smallStudio(model);
  studio.ok("draft", "first");
  expect(studio.ok("completion", "words", "--", "describe", "")).toBe("größe\n");
});

test.each(["bash", "zsh", "fish"])("the script for %s is one that it takes", shell => {
  const studio = drafted();
  const script = studio.ok("completion", shell);
  expect(script).toContain("emberset completion words -- ");
  if (spawnSync("which", [shell]).status !== 0) return;
  const checked = spawnSync(shell, ["-n"], { input: script, encoding: "utf8" });
  expect([checked.status, checked.stderr]).toEqual([0, ""]);
  if (shell !== "bash") return;
  const program = join(inject("installed"), "node_modules", ".bin", "emberset");
  const asked = `emberset() { ${process.execPath} ${program} "$@"; }\n${script}\nCOMP_WORDS=(emberset describe pie)\nCOMP_CWORD=2\n_emberset\necho "\${COMPREPLY[@]}"\n`;
  expect(spawnSync("bash", { input: asked, cwd: studio.folder, encoding: "utf8" }).stdout).toBe(
    "pieces pieces_glazes\n",
  );
});

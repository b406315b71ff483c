import { execFileSync } from "node:child_process";
import { readFileSync, readdirSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "vitest";
import { FINDING_CODES } from "../../src/core/model/read/findings.js";
import { problems } from "../../src/core/problems.js";

const root = join(import.meta.dirname, "..", "..");
const doc = (name: string) => readFileSync(join(root, "docs", name), "utf8");
const sources = readdirSync(join(root, "src"), { recursive: true, encoding: "utf8" })
  .filter(name => name.endsWith(".ts"))
  .map(name => readFileSync(join(root, "src", name), "utf8"))
  .join("\n");

test("the catalogue of errors, docs/errors.md and the code that throws agree", () => {
  const entries = Object.entries(problems);
  const documented = [...doc("errors.md").matchAll(/^\| (E\d+) +\| (\d+) +\|/gm)].map(
    ([, code, exit]) => `${code} ${exit}`,
  );
  expect(documented).toEqual(entries.map(([, { code, exit }]) => `${code} ${exit}`));
  expect(new Set(documented).size).toBe(documented.length);
  expect(
    entries.filter(([name]) => !new RegExp(`\\bproblems\\.${name}\\b`).test(sources)).map(([name]) => name),
  ).toEqual([]);
});

test("the codes of findings, docs/advice.md and the code that reports agree", () => {
  const documented = [...doc("advice.md").matchAll(/^\| ([EA]\d+) +\|/gm)].map(([, code]) => code);
  expect(documented).toEqual(Object.keys(FINDING_CODES));
  expect(documented.filter(code => !sources.includes(`"${code}"`))).toEqual([]);
});

test("every link and picture in the documents leads somewhere, and no document names this machine", () => {
  const tracked = new Set(
    execFileSync("git", ["ls-files", "-co", "--exclude-standard"], { cwd: root, encoding: "utf8" }).split(
      "\n",
    ),
  );
  const documents = [
    "README.md",
    "CONTRIBUTING.md",
    "CHANGELOG.md",
    ...readdirSync(join(root, "docs"))
      .filter(name => name.endsWith(".md"))
      .map(name => `docs/${name}`),
  ];
  for (const name of documents) {
    const text = readFileSync(join(root, name), "utf8");
    const links = [...text.matchAll(/\]\((?!https?:|#)([^)#]+)/g)].map(([, link]) => join(name, "..", link!));
    expect(
      links.filter(link => !tracked.has(link)),
      name,
    ).toEqual([]);
    expect(text).not.toContain(join(root, ".."));
  }
});

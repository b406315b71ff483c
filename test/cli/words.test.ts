import { readFileSync, readdirSync } from "node:fs";
import { join } from "node:path";
import { expect, test } from "vitest";
import { kilnHouse } from "./studio.js";

const root = join(import.meta.dirname, "..", "..");
const WORDS = join(root, "src", "cli", "words");

test("every command and option that a message or a document names is one that the program has", () => {
  const studio = kilnHouse();
  const help = (...command: readonly string[]) => studio.emberset(...command, "--help").stdout;
  const commands = [...help().matchAll(/^ {2}emberset (\w+)/gm)].map(([, name]) => name!);
  expect(commands.length).toBeGreaterThan(12);
  const pages = commands.map(name => help(name)).join("\n");
  const known = new Set([...pages.matchAll(/--([a-z][a-z-]+)/g)].map(([, option]) => option!));
  known.add("help").add("version");

  const messages = readdirSync(WORDS).map(name => readFileSync(join(WORDS, name), "utf8"));
  const documents = [
    "README.md",
    ...["guide", "errors", "advice", "file-format"].map(name => `docs/${name}.md`),
  ];
  const texts = [...messages, ...documents.map(name => readFileSync(join(root, name), "utf8"))];
  const said = texts.flatMap(text => [
    ...[...text.matchAll(/emberset ([a-z]+)(?=[ `"\\])/g)].map(([, command]) => command!),
  ]);
  const asked = messages.flatMap(text =>
    [...text.matchAll(/--([a-z][a-z-]+)/g)].map(([, option]) => option!),
  );
  expect(said.length).toBeGreaterThan(40);
  expect([...new Set(said)].filter(command => !commands.includes(command))).toEqual([]);
  expect(asked.length).toBeGreaterThan(8);
  expect([...new Set(asked)].filter(option => !known.has(option))).toEqual([]);
});

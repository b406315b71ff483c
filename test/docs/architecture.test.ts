import { readFileSync, readdirSync } from "node:fs";
import { dirname, join } from "node:path";
import ts from "typescript";
import { describe, expect, test } from "vitest";
import { circleIn, drawRooms, importsOfFolders, readImports, roomOf } from "../../scripts/rooms.mjs";
import { DIALECT_NAMES } from "../../src/core/dialect/registry.js";

const root = join(import.meta.dirname, "..", "..");
const imports = readImports();
const files = [...imports.keys()];
const source = (file: string) => readFileSync(join(root, "src", file), "utf8");

describe("the rooms of the source", () => {
  test("a circle is found where there is one", () => {
    const circle = new Map([
      ["a", ["b"]],
      ["b", ["c", "d"]],
      ["c", []],
      ["d", ["b"]],
    ]);
    expect(circleIn(circle)).toEqual(["b", "d", "b"]);
  });

  test("no files, folders or rooms import each other in a circle", () => {
    expect(files.length).toBeGreaterThan(200);
    expect(circleIn(imports)).toBeUndefined();
    expect(circleIn(importsOfFolders(imports, roomOf))).toBeUndefined();
    // A dialect is one thing, whatever folders it has inside.
    const folderOf = (depth: number) => (file: string) => dirname(file).split("/").slice(0, depth).join("/");
    for (const depth of [2, 3]) expect(circleIn(importsOfFolders(imports, folderOf(depth)))).toBeUndefined();
  });

  test("docs/rooms.svg shows them as they are", () => {
    expect(readFileSync(join(root, "docs", "rooms.svg"), "utf8")).toBe(drawRooms(imports));
  });
});

describe("dialects", () => {
  const FOLDERS = ["core/dialect", "database"];
  const LISTS = ["core/dialect/registry.ts", "database/open.ts", "modelling/project.ts"];

  test.each(FOLDERS)("have the same files in their folders of %s", folder => {
    const [first, ...others] = DIALECT_NAMES.map(
      name => new Set(readdirSync(join(root, "src", folder, name)).map(each => each.replace(/\.ts$/, ""))),
    );
    const common = [...(first ?? [])].filter(name => others.every(names => names.has(name)));
    const wanted = {
      "core/dialect": [
        "attic",
        "catalog",
        "costs",
        "explain",
        "expressions",
        "index",
        "names",
        "raise",
        "render",
        "retyping",
        "rows",
        "settle",
        "types",
      ],
      database: ["failures", "index", "open"],
    }[folder];
    expect(common.sort()).toEqual(wanted);
  });

  test("are named outside of their folders in the lists of them alone", () => {
    const isOwn = (file: string) =>
      FOLDERS.some(folder => DIALECT_NAMES.some(name => file.startsWith(`${folder}/${name}/`)));
    const named = new RegExp(`["'\`/](?:${DIALECT_NAMES.join("|")})["'\`/]`);
    const naming = files.filter(file => !isOwn(file) && named.test(source(file)));
    expect(naming.sort()).toEqual(LISTS);
    const others = files.filter(file => !isOwn(file) && !LISTS.includes(file));
    const reaching = others.filter(file => (imports.get(file) ?? []).some(isOwn));
    expect(reaching).toEqual([]);
  });
});

/** Every function that a file exports, with whether it is said what it does. */
function exportedFunctions(file: string): { readonly name: string; readonly told: boolean }[] {
  const parsed = ts.createSourceFile(file, source(file), ts.ScriptTarget.Latest, true);
  return parsed.statements.filter(ts.isFunctionDeclaration).flatMap(statement => {
    const exported = statement.modifiers?.some(({ kind }) => kind === ts.SyntaxKind.ExportKeyword);
    const told = ts.getJSDocCommentsAndTags(statement).length > 0;
    return exported ? [{ name: `${file}: ${statement.name?.text}`, told }] : [];
  });
}

test("every exported function says what it does; overloads say it once", () => {
  const all = files.flatMap(exportedFunctions);
  expect(all.length).toBeGreaterThan(400);
  const told = new Set(all.filter(each => each.told).map(({ name }) => name));
  expect(all.map(({ name }) => name).filter(name => !told.has(name))).toEqual([]);
});

test("only the command line, and scripts, speak of its commands and options", () => {
  const speaks = (file: string) =>
    [
      ...source(file).matchAll(/^(?!\s*(?:\/\/|\*|\/\*)).*(?:["'`\s(]--[a-z][a-z-]+|`emberset [a-z]+`)/gm),
    ].map(([line]) => `${file}: ${line.trim()}`);
  // A script tells who runs it by hand what the program does besides.
  const inside = files.filter(file => !/^cli\/|sqlite\/render\/index\.ts$/.test(file));
  expect(inside.flatMap(speaks)).toEqual([]);
  expect(files.filter(file => file.startsWith("cli/")).flatMap(speaks).length).toBeGreaterThan(5);
});

import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { transformSync } from "esbuild";
import fc from "fast-check";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { readSource } from "../../src/core/model/read/source-classes.js";
import { writtenProperties } from "../../src/core/model/read/written-properties.js";
import { addLines } from "../../src/core/model/sketch/edit.js";
import { openSourceCache } from "../../src/project/source-cache.js";
import { RUNS, SEED } from "./runs.js";

const options = { seed: SEED, numRuns: RUNS };

/** What stands between members, made to mislead whoever looks for braces, quotes or the next line. */
const noise = fc.constantFrom(
  "",
  "  // } class Glaze {\n",
  "  /* title!: string; } */\n",
  "\n\n",
  '  static readonly pattern = /[}"]{2}/;\n',
  "  static { void `${'}'}`; }\n",
);

const NAMES = [
  "title",
  "weight",
  "firedAt",
  "static_",
  "constructor_",
  "π",
  "$price",
  "of",
  "type",
  "readonly_",
] as const;

/** One member of a class, with its name where it is a property that rows could have. */
const member = fc
  .record({
    at: fc.nat(NAMES.length - 1),
    form: fc.constantFrom(
      "required",
      "optional",
      "nullable",
      "valued",
      "method",
      "arrow",
      "getter",
      "static",
      "private",
      "quoted",
    ),
    decorator: fc.constantFrom(
      "",
      '@Mark({ note: "}" }) ',
      "@Mark(() => ({ a: `${1}}` })) ",
      "@Mark(/[)}]/) @Mark()\n  ",
    ),
    before: noise,
  })
  .map(({ at, form, decorator, before }) => {
    const name = NAMES[at]!;
    const texts = {
      required: `${decorator}${name}!: string;`,
      optional: `${decorator}${name}?: number;`,
      nullable: `${decorator}${name}!: Date | null;`,
      valued: `${decorator}${name} = "}";`,
      method: `${decorator}${name}() { return "{"; }`,
      arrow: `${name} = () => { return "{"; };`,
      getter: `get ${name}() { return 1; }`,
      static: `static ${name} = 1;`,
      private: `#${name.replace(/\W/g, "x")} = 1;`,
      quoted: `"${name}-x"!: string;`,
    };
    return { name, form, text: `${before}  ${texts[form]}\n` };
  });

const model = fc
  .record({
    members: fc.uniqueArray(member, { selector: ({ name }) => name, maxLength: 6 }),
    head: fc.constantFrom(
      "",
      "// class Piece {}\n",
      'export class Kiln {\n  label = "Piece {";\n}\n\n',
      "/* @Stored() */ ",
    ),
    tail: fc.constantFrom("}", "\n}", "  }", "  // the end }\n}"),
    end: fc.constantFrom("", "\n", "\n\nexport const after = `class Piece {`;\n"),
  })
  .map(({ members, head, tail, end }) => ({
    members,
    text: `${head}@Mark({ text: "{" })\nexport class Piece {\n${members.map(({ text }) => text).join("")}${tail}${end}`,
  }));

/** The class as it runs, made by the compiler that the program uses. */
function compiled(text: string): new () => object {
  const { code } = transformSync(text, {
    loader: "ts",
    format: "cjs",
    tsconfigRaw: { compilerOptions: { experimentalDecorators: true, useDefineForClassFields: true } },
  });
  const module = { exports: {} as Record<string, never> };
  new Function("module", "exports", "Mark", code)(module, module.exports, () => () => undefined);
  return module.exports["Piece"]!;
}

describe("a model's source", () => {
  test("is read as the compiler reads it: the same properties, in the same order", () => {
    let read = 0;
    fc.assert(
      fc.property(model, ({ text, members }) => {
        const found = readSource(text).classes.find(({ name }) => name === "Piece");
        const cls = compiled(text);
        // What a row of it has, JavaScript itself says.
        const own = Object.entries(new cls()).filter(
          ([name, value]) => !name.includes("-") && typeof value !== "function",
        );
        const running = own.map(([name]) => name);
        expect(found?.written, text).toEqual(running);
        // Where the compiler leaves fields in the class's body, they can be told from that too.
        if (!text.includes("#") && cls.toString().includes(`${running[0]}`))
          expect(writtenProperties(cls)).toEqual(running);
        expect(text[found?.close ?? -1]).toBe("}");
        for (const { name, form } of members) {
          const property = found?.properties.get(name);
          if (form === "optional") expect(property?.optional).toBe(true);
          if (form === "required") expect([property?.optional, property?.nullable]).toEqual([false, false]);
          if (form === "nullable") expect(property?.nullable).toBe(true);
          const line = property ? text.split("\n")[property.line - 1] : name;
          expect(line).toContain(name);
        }
        read += running.length;
      }),
      options,
    );
    expect(read).toBeGreaterThan(RUNS);
  });

  test("gets further lines at the end of its class, and keeps all that it had to the letter", () => {
    const line = {
      property: "heightAdded",
      text: "@IsInt() heightAdded!: number;",
      validators: ["IsInt"],
      decorators: ["Field"],
      entities: ["Potter"],
    };
    fc.assert(
      fc.property(model, ({ text }) => {
        const edited = addLines(text, "Piece", [line], () => "./potter");
        const before = readSource(text).classes.map(({ name, written }) => [name, written]);
        const after = readSource(edited).classes.map(({ name, written }) => [name, written]);
        expect(after).toEqual(
          before.map(([name, written]) => [
            name,
            name === "Piece" ? [...(written ?? []), "heightAdded"] : written,
          ]),
        );
        expect(readSource(edited).imports.map(({ module, names }) => [module, names])).toEqual([
          ["class-validator", ["IsInt"]],
          ["emberset", ["Field"]],
          ["./potter", ["Potter"]],
        ]);
        // Taken out again, line by line, nothing but blanks before the closing brace is another.
        const kept = edited.replace(/^import .*\n/gm, "").replace(`  ${line.text}\n`, "");
        expect(kept.replace(/\s+/g, "")).toBe(text.replace(/\s+/g, ""));
        // A second time, every import is there.
        const again = addLines(
          edited,
          "Piece",
          [{ ...line, property: "widthAdded", text: "@IsInt() widthAdded!: number;" }],
          () => "./potter",
        );
        expect(readSource(again).imports).toHaveLength(3);
      }),
      options,
    );
  });

  test("of any text at all, even one that does not parse, is read without a fault of the program", () => {
    fc.assert(
      fc.property(
        model,
        fc.nat(400),
        fc.constantFrom("", "{", "}", '"', "`", "@", "class "),
        (made, at, put) => {
          const cut = made.text.slice(0, at) + put + made.text.slice(at + 1);
          let compiles = true;
          try {
            transformSync(cut, { loader: "ts", logLevel: "silent" });
          } catch {
            compiles = false;
          }
          if (compiles) expect(Array.isArray(readSource(cut).classes)).toBe(true);
          else
            expect(() => {
              try {
                readSource(cut);
              } catch (error) {
                if (!(error instanceof SyntaxError)) throw error;
              }
            }).not.toThrow();
        },
      ),
      options,
    );
  });
});

describe("what was read of sources", () => {
  const home = mkdtempSync(join(tmpdir(), "emberset-cache-"));
  const usual = process.env["XDG_CACHE_HOME"];
  beforeAll(() => void (process.env["XDG_CACHE_HOME"] = home));
  afterAll(() => {
    if (usual === undefined) delete process.env["XDG_CACHE_HOME"];
    else process.env["XDG_CACHE_HOME"] = usual;
    rmSync(home, { recursive: true });
  });
  const file = () => join(home, "emberset", "classes--kiln-house.json");

  test("is the same from the cache, and a file that changed is read anew", () => {
    fc.assert(
      fc.property(model, model, (one, two) => {
        const read = (text: string) => {
          const cache = openSourceCache("/kiln-house");
          const classes = cache.classesIn("models/piece.ts", text);
          cache.keep();
          return classes;
        };
        for (const { text } of [one, one, two, two, one])
          expect(read(text)).toEqual(readSource(text).classes);
      }),
      { ...options, numRuns: Math.min(RUNS, 60) },
    );
    const [[path, entry]] = (
      JSON.parse(readFileSync(file(), "utf8")) as { entries: [[string, { print: string }]] }
    ).entries;
    expect(path).toBe("models/piece.ts");
    expect(entry.print).toMatch(/^[\w+/]{43}=$/);
  });

  test.each([
    ["cut off", (text: string) => text.slice(0, -9)],
    [
      "of another version",
      (text: string) => text.replace(/"made":"[^"]*"/, '"made":"0 0"').replaceAll("title", "gone"),
    ],
    ["empty", () => ""],
  ])("is not taken from a cache that is %s", (_, broken) => {
    const text = "export class Piece {\n  title!: string;\n}\n";
    const cache = openSourceCache("/kiln-house");
    cache.classesIn("models/piece.ts", text);
    cache.keep();
    writeFileSync(file(), broken(readFileSync(file(), "utf8")));
    const [found] = openSourceCache("/kiln-house").classesIn("models/piece.ts", text);
    expect(found?.written).toEqual(["title"]);
  });
});

import {
  chmodSync,
  existsSync,
  mkdtempSync,
  readFileSync,
  readdirSync,
  rmSync,
  statSync,
  utimesSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, expect, test } from "vitest";
import { Studio, kilnHouse } from "./studio.js";

// The program's cache is the user's: here a folder of its own.
const cacheHome = mkdtempSync(join(tmpdir(), "emberset-cache-"));
process.env["XDG_CACHE_HOME"] = cacheHome;
afterAll(() => rmSync(cacheHome, { recursive: true }));

const cache = join(cacheHome, "emberset");
const keptOf = (studio: Studio) => {
  const name = `${studio.folder.replace(/\W+/g, "-")}-emberset-config-ts.cjs`;
  return readdirSync(cache).includes(name) ? join(cache, name) : undefined;
};
const studioWith = (config: string) => {
  const studio = new Studio({
    "emberset.config.ts": config,
    "where.ts": 'export const file = "kiln-house.db";\n',
  });
  studio.sql("CREATE TABLE pieces (title text)");
  studio.sql("CREATE TABLE glazes (name text)", "other.db");
  return studio;
};
const target = (file: string) => `{ targets: { local: { dialect: "sqlite", file: ${file} } } }`;

/** A config, and whether it is kept as a script. */
const FORMS = {
  "an object": [`export default ${target('"kiln-house.db"')};`, true],
  "with a type and the environment": [
    `import type { Project } from "emberset";
const project: Project = ${target('process.env.NOT_SET ?? "kiln-house.db"')};
export default project satisfies Project;`,
    true,
  ],
  "with letters of all kinds": [
    `const note = "窯 \u2028 */ \${file} \\\\";\nexport default ${target('note && "kiln-house.db"')};`,
    true,
  ],
  "with a value from another file": [
    `import { file } from "./where.js";\nexport default ${target("file")};`,
    false,
  ],
  "with a module of Node's": [
    `import { basename } from "node:path";\nexport default ${target('basename("/x/kiln-house.db")')};`,
    false,
  ],
  "that waits": [
    `const file = await Promise.resolve("kiln-house.db");\nexport default ${target("file")};`,
    false,
  ],
  "that knows where it is": [
    `const { pathname } = new URL("kiln-house.db", import.meta.url);\nexport default ${target('pathname.replace(/.*\\//, "")')};`,
    false,
  ],
} as const;

test.each(Object.entries(FORMS))(
  "a config %s is read, and again once it has changed",
  (_, [config, kept]) => {
    const studio = studioWith(config);
    for (let times = 0; times < 2; times += 1) expect(studio.ok("describe")).toContain("pieces · 0 rows");
    expect(keptOf(studio) !== undefined).toBe(kept);
    studio.write("emberset.config.ts", config.replaceAll("kiln-house.db", "other.db"));
    studio.write("where.ts", 'export const file = "other.db";\n');
    expect(studio.ok("describe")).toContain("glazes · 0 rows");
  },
);

test.each([
  [
    "that throws",
    "const kiln = 1;\nthrow new Error(`kiln ${kiln} is out`);\nexport default {};",
    "kiln 1 is out",
  ],
  ["with an unknown word", `export default ${target("kiln")};`, "kiln is not defined"],
  ["that does not compile", "export default {\n  targets: ", "Unexpected end of file"],
])("a config %s is told each time", (_, config, reason) => {
  const studio = studioWith(config);
  for (let times = 0; times < 2; times += 1) {
    const { status, stderr } = studio.emberset("describe");
    expect(status).toBe(2);
    expect(stderr).toMatch(/^E102 The config cannot be read: /);
    expect(stderr).toContain(reason);
    expect(stderr).not.toMatch(/\n\s+at /);
  }
});

test("what is kept of a config or of the program may be broken, and goes when it is old", () => {
  const studio = studioWith(FORMS["an object"][0]);
  studio.ok("describe");
  const file = keptOf(studio)!;
  const whole = readFileSync(file, "utf8");
  writeFileSync(file, whole.slice(0, 20));
  studio.ok("describe");
  expect(readFileSync(file, "utf8")).toBe(whole);
  const compiled = readdirSync(cache).filter(name => /^program-.*-describe\.bin$/.test(name));
  for (const name of compiled) writeFileSync(join(cache, name), "broken");
  expect(studio.ok("describe")).toContain("pieces · 0 rows");
  const old = join(cache, "program-of-long-ago.bin");
  writeFileSync(old, "");
  utimesSync(old, 1_700_000_000, 1_700_000_000);
  studio.write("emberset.config.ts", `export default ${target('"other.db"')};`).ok("describe");
  expect(readdirSync(cache)).not.toContain("program-of-long-ago.bin");
});

test("a variable that is not set is named by what needs the target, and stops nothing else", () => {
  const studio = new Studio({
    "emberset.config.ts": `export default { home: "live", targets: { live: { dialect: "postgres", url: process.env.NOT_SET_URL } } };`,
    "models/piece.ts":
      'import { IsInt } from "class-validator"; import { Stored } from "emberset";\n@Stored() export class Piece { @IsInt() weight!: number; }\n',
  });
  expect(studio.ok("check")).toContain("1 entity");
  expect(studio.ok("draft", "first")).toContain("forward.postgres.sql");
  expect(statSync(studio.path("migrations/0001-first")).mode & 0o777).toBe(0o777 & ~process.umask());
  const { status, stderr } = studio.emberset("status");
  expect([status, stderr]).toEqual([2, expect.stringMatching(/^E124 [^]*not set: NOT_SET_URL/)]);
});

test("what the file system refuses is said plainly", () => {
  const studio = studioWith(FORMS["an object"][0] as string);
  studio.write("migrations", "no folder");
  const { status, stderr } = studio.emberset("status");
  expect([status, stderr]).toEqual([
    2,
    expect.stringMatching(/^E123 [^]*a file stands where a folder must be/),
  ]);
});

test("class-validator is kept in one piece, read from there, and never where that is harmed", () => {
  const studio = kilnHouse();
  const kept = () => readdirSync(cache).filter(name => /^packaged-\w+\.cjs$/.test(name));
  const said = studio.ok("check");
  const [file] = kept();
  expect(studio.ok("check")).toBe(said);
  // Values are checked there, too, in each of the ways that they are.
  const asked = ["isEmail", "isPhoneNumber", "isStrongPassword", "isUUID", "matches"];
  studio.write(
    "models/asks.ts",
    `import * as v from "class-validator";
const said = [v.isEmail("anna@example.com"), v.isPhoneNumber("+44 20 7946 0000"), v.isStrongPassword("aB3$efgh"), v.isUUID("x"), v.matches("é", /^é$/)];
throw new Error(JSON.stringify([${JSON.stringify(asked)}, said]));`,
  );
  expect(studio.emberset("check").stderr).toContain(JSON.stringify([asked, [true, true, true, false, true]]));
  rmSync(studio.path("models/asks.ts"));
  const whole = readFileSync(join(cache, file!), "utf8");
  const head = whole.slice(0, whole.indexOf("\n") + 1);
  // As it would be after a disk was full, and what somebody else has put there: that is not ours to run.
  writeFileSync(join(cache, file!), `${head}not JavaScript (`);
  expect(studio.ok("check")).toBe(said);
  writeFileSync(join(cache, file!), `${head}process.exit(99);`, { mode: 0o666 });
  chmodSync(join(cache, file!), 0o666);
  expect(studio.ok("check")).toBe(said);
  // Of an earlier version of the package.
  writeFileSync(join(cache, file!), "// another\nprocess.exit(99);");
  chmodSync(join(cache, file!), 0o600);
  expect(studio.ok("check")).toBe(said);
  expect(readFileSync(join(cache, file!), "utf8")).toBe(whole);
});

test("models compiled in an earlier run are read anew once anything that they were made of is another", () => {
  const studio = new Studio({
    "emberset.config.ts": `export default ${target('"kiln-house.db"')};`,
    "lib/limit.ts": "export const LIMIT = 5;\n",
    "models/kiln.ts": `import { IsString, MaxLength } from "class-validator";
import { Stored } from "emberset";
import { LIMIT } from "../lib/limit.js";
@Stored() export class Kiln { @IsString() @MaxLength(LIMIT) name!: string; }\n`,
  });
  const kept = () =>
    existsSync(cache) ? readdirSync(cache).filter(name => name.startsWith("models-")).length : 0;
  const type = () =>
    /name ([^,]*),/.exec(studio.ok("export", "--as", "sql").replace(/["\n]/g, " "))?.[1]?.trim();
  const before = kept();
  expect([type(), type(), kept() - before]).toEqual([
    expect.stringContaining("varchar(5)"),
    expect.stringContaining("varchar(5)"),
    1,
  ]);
  studio.write("lib/limit.ts", "export const LIMIT = 6;\n");
  expect(type()).toContain("varchar(6)");
  // The compiler finds it first.
  studio.write("lib/limit.js", "export const LIMIT = 7;\n");
  expect(type()).toContain("varchar(7)");
  // What may be a secret is not kept.
  const other = new Studio({
    "emberset.config.ts": `export default ${target('"kiln-house.db"')};`,
    "models/kiln.ts": `import { Stored } from "emberset";
const token = "hush"; @Stored({ note: token.slice(4) }) export class Kiln {}\n`,
  });
  const then = kept();
  other.ok("check");
  expect(kept()).toBe(then);
});

import { cpSync, existsSync, readdirSync, renameSync } from "node:fs";
import { afterAll, beforeEach, describe, expect, test } from "vitest";
import { dumpServer, sortDump } from "../engines/dump.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { drafted, smallStudio, Studio } from "./studio.js";

/** Three migrations that ran, the second with a statement of somebody's own, and models of a fourth. */
function grown(studio: Studio): Studio {
  const dialect = /dialect: "(\w+)"/.exec(studio.read("emberset.config.ts"))![1]!;
  studio.useModels("v1").ok("draft", "first");
  studio.useModels("v2").ok("draft", "glazes");
  const script = `migrations/0002-glazes/forward.${dialect}.sql`;
  studio.write(script, `${studio.read(script)}UPDATE pieces SET price = 1;\n`);
  studio.useModels("v3").ok("draft", "racks");
  return studio;
}

const engines = { PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };

describe.each(Object.entries(engines))("on %s", (_, engine) => {
  beforeEach(() => engine?.empty());
  afterAll(() => engine?.close());

  test.runIf(engine)("what is folded makes the same schema, and the ledger follows with the next run", () => {
    const { dialect, url } = engine!;
    const config = `export default { targets: { local: { dialect: "${dialect.name}", url: process.env.STUDIO_URL! } } };\n`;
    const studio = grown(new Studio({ "emberset.config.ts": config, ".env": `STUDIO_URL=${url}\n` }));
    const dump = () => sortDump(dumpServer(dialect.name, new URL(url), new URL(url).pathname.slice(1)));
    studio.ok("forward", "--to", "2");
    const before = dump();
    studio.ok("condense", "--to", "2");
    expect(dump()).toEqual(before);
    expect(studio.ok("status")).toMatch(
      /0002-baseline +run [^]*0003-racks +pending[^]*1 run · 1 pending · no drift/,
    );
    studio.ok("forward");
    const whole = dump();
    studio.ok("back", "--yes");
    expect(dump()).toEqual(before);
    expect(studio.emberset("back").stderr).toMatch(/^E521 /);
    studio.ok("back", "--baseline", "--yes");
    studio.ok("forward");
    expect(dump()).toEqual(whole);
    expect(studio.ok("status", "--strict")).toContain("2 run · 0 pending · no drift");
  });
});

test("only what ran everywhere is folded; what is written by hand, and what merges bring, is not lost", () => {
  const studio = grown(
    new Studio({
      "emberset.config.ts": `export default { targets: { local: { dialect: "sqlite", file: "kiln-house.db" } } };\n`,
    }),
  );
  function config(more: string): void {
    studio.write(
      "emberset.config.ts",
      `export default { home: "local", targets: { local: { dialect: "sqlite", file: "kiln-house.db" }, ${more} } };\n`,
    );
  }
  expect(studio.emberset("condense", "--to", "1").stderr).toMatch(/^E108 [^]*0002 to 0003/);
  studio.ok("forward", "--to", "2");
  expect(studio.emberset("condense", "--to", "3").stderr).toMatch(/^E532 [^]*0003-racks/);
  config('half: { dialect: "sqlite", file: "half.db" }');
  studio.ok("forward", "--target", "half", "--to", "1");
  expect(studio.emberset("condense", "--to", "2").stderr).toMatch(/^E532 [^]*half[^]*0002-glazes/);
  config('far: { dialect: "postgres", url: "postgres://nobody@127.0.0.1:1/far" }');
  expect(studio.emberset("condense", "--to", "2").stderr).toMatch(/^E533 [^]*--ran-on far/);
  expect(readdirSync(studio.path("migrations"))).toEqual(["0001-first", "0002-glazes", "0003-racks"]);

  config('half: { dialect: "sqlite", file: "half.db" }, fresh: { dialect: "sqlite", file: "fresh.db" }');
  cpSync(studio.path("migrations"), studio.path("old"), { recursive: true });
  const said = studio.ok("condense", "--to", "2", "--ran-on", "half");
  expect(said).toContain("0002-baseline stands for 2 migrations, 0001-first to 0002-glazes");
  expect(said).toContain("UPDATE pieces SET price = 1");
  expect(studio.read("migrations/0002-baseline/forward.sqlite.sql")).toMatch(
    /-- written by hand [^]*--   UPDATE pieces SET price = 1;\n$/,
  );
  const half = studio.emberset("forward", "--target", "half");
  expect([half.status, half.stderr]).toEqual([3, expect.stringMatching(/^E531 [^]*0001-first/)]);
  // A merge brings one of them back.
  renameSync(studio.path("old/0002-glazes"), studio.path("migrations/0002-glazes"));
  for (const target of ["local", "fresh"]) {
    studio.ok("forward", "--target", target, "--yes");
    expect(studio.ok("status", "--target", target, "--strict")).toContain("2 run · 0 pending · no drift");
  }
  // Folded once more: who has the parts, and who has the whole, go on alike.
  studio.ok("condense", "--to", "3", "--title", "whole studio", "--ran-on", "half");
  expect(readdirSync(studio.path("migrations"))).toEqual(["0003-whole-studio"]);
  expect(studio.ok("status", "--target", "local", "--strict")).toContain("1 run · 0 pending · no drift");
  expect(studio.emberset("discard").stderr).toMatch(/^E530 /);
  expect(studio.emberset("amend").stderr).toMatch(/^E530 /);
});

test("a script that does more than its migration says is not folded", () => {
  const studio = drafted();
  const script = "migrations/0002-glazes/forward.sqlite.sql";
  studio.write(script, `${studio.read(script)}CREATE INDEX sly ON pieces (weight);\n`);
  studio.ok("forward");
  const refused = studio.emberset("condense", "--to", "2");
  expect([refused.status, refused.stderr]).toEqual([3, expect.stringMatching(/^E534 [^]*index sly/)]);
  expect(existsSync(studio.path("migrations/0001-first-tables"))).toBe(true);
});

test("the newest is corrected where the ledger still has what the baseline stands for", () => {
  const kiln = (...fields: readonly string[]) =>
    `import { IsOptional, IsString } from "class-validator"; import { Stored } from "emberset"; @Stored() export class Kiln { @IsString() name!: string; ${fields.map(each => `@IsOptional() @IsString() ${each}?: string;`).join(" ")} }`;
  const studio = smallStudio(kiln());
  for (const fields of [[], ["fuel"], ["fuel", "shed"]]) {
    studio.write("models/all.ts", kiln(...fields)).ok("draft", `with ${fields.join(" ")}`);
    studio.ok("forward");
  }
  studio.ok("condense", "--to", "2");
  studio.write("models/all.ts", kiln("fuel", "shed", "owner"));
  expect(studio.ok("amend")).toContain("Written anew: 0003-with-fuel-shed");
  expect(studio.ok("status", "--strict")).toContain("2 run · 0 pending · no drift");
});

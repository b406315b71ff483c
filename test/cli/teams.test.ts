import { cpSync, existsSync, readdirSync, renameSync, rmSync } from "node:fs";
import { expect, test } from "vitest";
import { smallStudio, type Studio } from "./studio.js";

const models = (
  kiln: string,
  more = "",
) => `import { IsInt, IsOptional, IsString, MaxLength } from "class-validator";
import { Field, RefersTo, Stored } from "emberset";
@Stored() export class Kiln { ${kiln} }
${more}`;
const NAME = "@IsString() @MaxLength(40) name!: string;";
const FIRING = "@Stored() export class Firing { @RefersTo(() => Kiln) kiln!: Kiln; @IsInt() peak!: number; }";

/** Two branches of one history, merged: each drafted what it says. */
function forked(mine: readonly string[], theirs: readonly string[], ran = false): Studio {
  const studio = smallStudio(models(NAME));
  studio.ok("draft", "first");
  const draftAll = (some: readonly string[], name: string) =>
    some.forEach((text, at) => studio.write("models/all.ts", text).ok("draft", `${name} ${at}`));
  draftAll(mine, "mine");
  const aside = studio.path("aside");
  renameSync(studio.path("migrations"), aside);
  cpSync(`${aside}/0001-first`, studio.path("migrations/0001-first"), { recursive: true });
  draftAll(theirs, "theirs");
  if (ran) studio.ok("forward");
  for (const name of readdirSync(aside))
    if (name !== "0001-first") renameSync(`${aside}/${name}`, studio.path(`migrations/${name}`));
  rmSync(aside, { recursive: true });
  return studio;
}

const PHONE = models(`${NAME} @IsOptional() @IsString() @MaxLength(9) phone?: string;`);
const RENAMED = models(
  '@IsString() @MaxLength(40) @Field({ was: "name" }) title!: string; @IsOptional() @IsString() @MaxLength(9) phone?: string;',
);
const PIECES = models(NAME, FIRING);
const BOTH = RENAMED + FIRING;

test("two sides of a fork come in one order, whichever ran, and say what the merged models say", () => {
  for (const ran of [true, false]) {
    const studio = forked([PHONE, RENAMED], [PIECES], ran);
    const status = studio.ok("status");
    expect(status).toContain("a fork: ");
    expect(status).toContain(ran ? "0002-mine-0 did not run here, 0002-theirs-0 did" : "restack");
    for (const args of [["forward"], ["draft", "x"], ["amend"]])
      expect(studio.emberset(...args).stderr).toMatch(/^E302 [^]*restack/);
    const order = studio.ok("restack");
    expect(order).toContain(ran ? "0002-theirs-0 (ran on local) stays" : "0002-mine-0, 0003-mine-1 stay");
    expect(readdirSync(studio.path("migrations"))).toEqual(
      ran
        ? ["0001-first", "0002-theirs-0", "0003-mine-0", "0004-mine-1"]
        : ["0001-first", "0002-mine-0", "0003-mine-1", "0004-theirs-0"],
    );
    studio.write("models/all.ts", BOTH);
    expect(studio.ok("compare")).toContain("no difference");
    expect(studio.ok("rehearse")).toContain("proven");
    studio.ok("forward");
    expect(studio.ok("status", "--strict")).toContain("4 run · 0 pending · no drift");
    studio.ok("back", "--to", "0");
    expect(studio.emberset("restack").stderr).toMatch(/^E522 /);
  }
});

test("what both do is done once; what is written by hand is kept; what is apart is shown side by side", () => {
  const same = forked([PHONE], [PHONE]);
  expect(same.ok("restack")).toContain("0002-theirs-0 is gone: all that it did is done before it");
  expect(readdirSync(same.path("migrations"))).toEqual(["0001-first", "0002-mine-0"]);

  const byHand = forked([PHONE], [PIECES]);
  const script = "migrations/0002-theirs-0/forward.sqlite.sql";
  byHand.write(script, `${byHand.read(script)}UPDATE kilns SET name = upper(name);\n`);
  expect(byHand.ok("restack")).toContain(
    "written by hand, kept at its end: migrations/0003-theirs-0/forward.sqlite.sql",
  );
  expect(byHand.read("migrations/0003-theirs-0/forward.sqlite.sql")).toMatch(
    /^-- Emberset · migration 0003[^]*CREATE TABLE "firings"[^]*UPDATE kilns SET name = upper\(name\);\n$/,
  );

  const kept = forked([PHONE], [PHONE, PIECES]);
  kept.write(script, `${kept.read(script)}UPDATE kilns SET name = upper(name);\n`);
  renameSync(kept.path("migrations/0003-theirs-1"), kept.path("migrations/0003-theirs-0"));
  expect(kept.ok("restack")).toContain("written by hand, kept at its end: migrations/0003-theirs-0/");
  expect(kept.read("migrations/0003-theirs-0/forward.sqlite.sql")).toContain("upper(name)");
  expect(readdirSync(kept.path("migrations"))).toEqual([
    ...["0001-first", "0002-mine-0", "0003-theirs-0", "0004-theirs-1"],
  ]);

  const longer = models(NAME.replace("40", "60"));
  const shorter = models(NAME.replace("40", "20"));
  const apart = forked([longer], [shorter], true);
  const before = readdirSync(apart.path("migrations"));
  const { status, stderr } = apart.emberset("restack");
  expect([status, stderr]).toEqual([
    3,
    expect.stringMatching(/^E524 [^]*0002-mine-0: alter [^]*0002-theirs-0: alter /),
  ]);
  expect(readdirSync(apart.path("migrations"))).toEqual(before);
  expect(apart.emberset("restack", "--behind", "0002-theirs-0").stderr).toMatch(/^E523 [^]*on local/);
});

test("where both sides ran, one is undone where it did, and goes behind the other", () => {
  const targets = ["ours", "yours"].map(name => `${name}: { dialect: "sqlite", file: "${name}.db" }`);
  const studio = smallStudio(
    models(NAME),
    `export default { home: "ours", targets: { ${targets.join(", ")} } };\n`,
  );
  studio.ok("draft", "first");
  const side = (texts: readonly string[], name: string, target: string) => {
    texts.forEach((text, at) => studio.write("models/all.ts", text).ok("draft", `${name} ${at}`));
    studio.ok("forward", "--target", target);
    for (const at of texts.keys())
      renameSync(studio.path(`migrations/000${at + 2}-${name}-${at}`), studio.path(`${name}-${at}`));
  };
  side([PHONE, RENAMED], "mine", "ours");
  side([PIECES], "theirs", "yours");
  for (const [at, name] of ["mine-0", "mine-1", "theirs-0"].entries())
    renameSync(studio.path(name), studio.path(`migrations/000${(at % 2) + 2}-${name}`));
  expect(studio.emberset("restack").stderr).toMatch(/^E523 [^]*mine-0 on ours[^]*theirs-0 on yours/);
  expect(studio.emberset("back", "--to", "3", "--target", "yours").stderr).toMatch(/^E108 [^]*0001, 0002/);
  expect(studio.ok("back", "--show", "--to", "1", "--target", "ours")).toMatch(/mine 1[^]*mine 0/);
  expect(studio.ok("back", "--to", "1", "--target", "ours")).toMatch(
    /mine-1[^]*mine-0[^]*2 migrations undone/,
  );
  expect(studio.ok("restack")).toContain("0002-theirs-0 (ran on yours) stays");
  for (const target of ["ours", "yours"]) {
    studio.ok("forward", "--target", target);
    expect(studio.ok("status", "--target", target)).toContain("4 run · 0 pending · no drift");
  }
});

test("the newest draft is taken back where it ran nowhere, and a lost folder comes back from the database", () => {
  const studio = smallStudio(models(NAME));
  studio.ok("draft", "first");
  studio.ok("forward");
  studio.write("models/all.ts", PHONE).ok("draft", "phone");
  expect(studio.ok("discard")).toContain("migrations/0002-phone");
  expect(studio.emberset("discard").stderr).toMatch(/^E507 /);
  studio.ok("draft", "phone");
  const script = "migrations/0002-phone/forward.sqlite.sql";
  studio.write(script, `${studio.read(script)}DELETE FROM kilns;\n`);
  expect(studio.emberset("discard").stderr).toMatch(/^E508 /);
  studio.ok("forward", "--yes");
  const files = ["migration.json", "forward.sqlite.sql", "back.sqlite.sql"].map(
    name => `migrations/0002-phone/${name}`,
  );
  const texts = files.map(file => studio.read(file));
  rmSync(studio.path("migrations/0002-phone"), { recursive: true });
  expect(studio.emberset("back", "--yes").stderr).toMatch(/^E501 [^]*--recover/);
  expect(studio.ok("status", "--recover")).toContain(files[1]);
  expect(files.map(file => studio.read(file))).toEqual(texts);
  studio.write(script, `-- what it was\n${studio.read(script).replace("DELETE FROM", "DELETE   FROM")}`);
  expect(studio.ok("status", "--strict")).toContain("2 run · 0 pending · no drift");
  expect(studio.ok("back", "--yes")).toContain("1 migration undone");
});

test("a folder that a killed process left away comes back, and what it was writing goes", () => {
  const studio = smallStudio(models(NAME));
  studio.ok("draft", "first");
  const folder = studio.path("migrations");
  renameSync(`${folder}/0001-first`, `${folder}/.old-999999999-0001-first`);
  cpSync(`${folder}/.old-999999999-0001-first`, `${folder}/.draft-999999999-abc`, { recursive: true });
  expect(studio.ok("status")).toMatch(/0001-first +pending/);
  expect(readdirSync(folder)).toEqual(["0001-first"]);
  cpSync(`${folder}/0001-first`, `${folder}/.old-${process.pid}-0001-first`, { recursive: true });
  studio.ok("status");
  expect(existsSync(`${folder}/.old-${process.pid}-0001-first`)).toBe(true);
});

import { afterAll, describe, expect, test } from "vitest";
import type { Schema } from "../../src/core/schema/types.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { kilnHouse, Studio } from "./studio.js";

const engines = { PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };

describe.each(Object.entries(engines))("who may do what, on %s", (_, engine) => {
  const own = Math.random().toString(36).slice(2, 8);
  const [visitor, treasurer, stranger] = [`visitor_${own}`, `treasurer_${own}`, `stranger_${own}`];
  afterAll(async () => {
    await engine?.empty();
    for (const role of [visitor, treasurer, stranger]) await engine?.run(`DROP ROLE IF EXISTS ${role}`);
    await engine?.close();
  });

  const config = () =>
    `export default { roles: { ${visitor}: [], ${treasurer}: ["${visitor}"] }, grants: { ${visitor}: ["select"] },
  targets: { local: { dialect: "${engine!.dialect.name}", url: ${JSON.stringify(engine!.url)} } } };\n`;
  const potter = (more = "") => `import { IsOptional, IsString, MaxLength } from "class-validator";
import { Field, PairedWith, Stored } from "emberset";
@Stored({ grants: { ${treasurer}: ["update"] } })
export class Potter {
  @IsString() @MaxLength(80) name!: string;
  @IsOptional() @IsString() @MaxLength(60) @Field({ grants: { ${visitor}: false, ${treasurer}: ["select"] } }) phone?: string;
  ${more}
}
@Stored({ grants: { ${visitor}: ["select", "insert"] } })
export class Glaze {
  @IsString() @MaxLength(60) name!: string;
  @PairedWith(() => Potter) potters!: Potter[];
}\n`;
  /** What is granted to the config's roles, by table and column. */
  const granted = async () => {
    const { tables } = (await engine!.readCatalog()).schema;
    return grantsIn(tables).filter(([, , role]) => [visitor, treasurer].includes(role!));
  };

  test.runIf(engine)(
    "roles are made when that is asked for, and grants go there and back with tables and columns",
    async () => {
      await engine!.empty();
      const studio = new Studio({ "emberset.config.ts": config(), "models/all.ts": potter() });
      studio.ok("draft", "first");
      const refused = studio.emberset("forward");
      expect([refused.status, refused.stderr]).toEqual([3, expect.stringMatching(/^E139 .*\n.*visitor_/)]);
      expect((await engine!.readCatalog()).schema.tables).toEqual([]);
      studio.ok("forward", "--create-roles");
      expect(studio.ok("status")).toContain("no drift");
      const first = await granted();
      expect(first).toContainEqual(["glazes", "", visitor, "select"]);
      expect(first).toContainEqual(["glazes_potters", "", visitor, "insert"]);
      expect(first).toContainEqual(["potters", "phone", treasurer, "select"]);
      expect(first).not.toContainEqual(["potters", "phone", visitor, "select"]);
      studio.ok("rehearse");

      // Renamed, retyped, dropped: all keep or get again what is said of them.
      studio.write(
        "models/all.ts",
        potter()
          .replace("export class Potter", "export class Maker")
          .replaceAll("Potter", "Maker")
          .replace("@Stored({ grants", '@Stored({ was: "Potter", grants')
          .replace("@MaxLength(60) @Field({ grants", '@MaxLength(90) @Field({ was: "phone", grants')
          .replace("phone?", "call?")
          .replace(/@Stored\(\{ grants: \{ visitor_\w+: \["select", "insert"\][^]*$/, ""),
      );
      studio.ok("draft", "second");
      studio.ok("forward", "--yes");
      expect(studio.ok("status")).toContain("no drift");
      const second = await granted();
      expect(second).toContainEqual(["makers", "call", treasurer, "select"]);
      expect(second.map(([table]) => table)).not.toContain("glazes");
      studio.ok("back", "--yes");
      expect(studio.ok("status")).toContain("no drift");
      expect(await granted()).toEqual(first);

      // Others are left alone, and what these have beyond is told.
      await engine!.run(`CREATE ROLE ${stranger}`);
      await engine!.run(`GRANT SELECT, DELETE ON glazes TO ${stranger}`);
      expect(studio.ok("status")).toContain("no drift");
      await engine!.run(`GRANT DELETE ON glazes TO ${visitor}`);
      expect(studio.ok("status")).toMatch(new RegExp(`alter table glazes: ${visitor}: \\+ delete`));
      expect(studio.ok("describe", "glazes", "--beside", "0001")).toContain(`0001: ${visitor}: − delete`);
      await engine!.run(`REVOKE DELETE ON glazes FROM ${visitor}`);
    },
    120_000,
  );

  test.runIf(engine?.dialect.roles?.rows)(
    "each role sees the rows that are said, and all others what they saw, there and back",
    async () => {
      await engine!.empty();
      const model = (stage: string) => `import { IsString, MaxLength } from "class-validator";
import { Field, Stored } from "emberset";
@Stored({ grants: { ${visitor}: ["select"], ${treasurer}: ["insert"] }, rows: { ${visitor}: "{${stage}} = 'on sale'", ${treasurer}: "{title} <> ''" } })
export class Piece {
  @IsString() @MaxLength(60) title!: string;
  @IsString() @MaxLength(9) ${stage === "stage" ? "" : '@Field({ was: "stage" })'} ${stage}!: string;
}\n`;
      const studio = new Studio({ "emberset.config.ts": config(), "models/piece.ts": model("stage") });
      studio.ok("draft", "first");
      studio.ok("forward", "--create-roles");
      await engine!.run(`CREATE ROLE "o'ne ${own}"`);
      await engine!.run(`GRANT SELECT ON pieces TO "o'ne ${own}"`);
      // As the server's own is when it is new.
      await engine!.run("GRANT USAGE ON SCHEMA public TO PUBLIC");
      await engine!.run(
        "INSERT INTO pieces (title, stage) VALUES ('bowl', 'raw'), ('jug', 'on sale'), ('', 'raw')",
      );
      const seen = async (role: string) => {
        await engine!.run(`SET ROLE "${role}"`);
        try {
          return (await engine!.rows("SELECT title FROM pieces ORDER BY title")).map(row => row["title"]);
        } finally {
          await engine!.run("RESET ROLE");
        }
      };
      const all = async () => [await seen(visitor), await seen(treasurer), await seen(`o'ne ${own}`)];
      // Who has another role sees what either of the two sees.
      const expected = [["jug"], ["bowl", "jug"], ["", "bowl", "jug"]];
      expect(await all()).toEqual(expected);
      await engine!.run(`SET ROLE ${treasurer}`);
      await expect(engine!.run("INSERT INTO pieces (title, stage) VALUES ('', 'raw')")).rejects.toThrow(
        /row-level/,
      );
      await engine!.run("RESET ROLE");
      expect(studio.ok("describe", "--access")).toMatch(/sees rows of which \{stage\} = 'on sale'\n/);

      studio.write("models/piece.ts", model("step"));
      studio.ok("draft", "second");
      expect(studio.ok("rehearse")).toContain("proven");
      studio.ok("forward");
      expect(studio.ok("status")).toContain("no drift");
      expect(await all()).toEqual(expected);
      studio.ok("back", "--yes");
      expect(await all()).toEqual(expected);
      await engine!.run("DROP POLICY rows_others ON pieces");
      expect(studio.ok("status")).toContain("drop policy rows_others");

      studio.write("models/piece.ts", model("stage").replace(/, rows: \{[^}]*\} = [^}]*\}[^}]*\}/, ""));
      studio.ok("match", "--yes");
      expect(await seen(visitor)).toEqual(["", "bowl", "jug"]);
      await engine!.empty();
      await engine!.run(`DROP ROLE "o'ne ${own}"`);
    },
    120_000,
  );

  test.runIf(engine)(
    "adopted with no difference",
    async () => {
      const holdsRows = engine!.dialect.roles?.rows !== undefined;
      const said = `rows: { ${visitor}: "{id} > 3 AND {name} <> 'O''Hara'" }`;
      // A role that may do something by another alone has a policy of its own, too.
      const rows = `@Stored({ grants: { ${treasurer}: ["update"] }, ${said} })`;
      const whole = `grants: { ${visitor}: ["select", "insert"] }, rows: { ${visitor}: "{name} IN ('a', 'b')", ${treasurer}: "true" }`;
      await engine!.empty();
      const models = holdsRows
        ? potter()
            .replace(/@Stored.*\n/, `${rows}\n`)
            .replace(/grants: \{ visitor_\w+: \["select", "insert"\] \}/, whole)
        : potter();
      const earlier = new Studio({ "emberset.config.ts": config(), "models/all.ts": models });
      earlier.ok("draft", "first");
      earlier.ok("forward", "--create-roles");
      const adopted = async () => {
        await engine!.run("DROP TABLE emberset_ledger");
        await engine!.run("DROP TABLE IF EXISTS emberset_ledger_kept");
        await engine!.run("DROP TABLE IF EXISTS emberset_journal");
        const studio = new Studio({ "emberset.config.ts": config() });
        const told = studio.ok("adopt");
        expect(told).toContain("Proven");
        expect(studio.ok("status")).toContain("no drift");
        expect(studio.ok("compare")).toContain("no difference");
        return { studio, told };
      };
      const { studio, told } = await adopted();
      expect(studio.read("models/potter.ts")).toContain(`${treasurer}: ["select"]`);
      if (!holdsRows) return;
      expect(told).not.toContain("Left alone");
      expect(studio.read("models/potter.ts").replace(/\s+/g, " ")).toContain(said);
      expect(studio.read("models/glaze.ts")).toMatch(/_\w+: "true",[^]*"\{name\} IN \('a', 'b'\)"/);

      await engine!.run(`ALTER POLICY rows_${visitor} ON potters USING (id > 4)`);
      expect(studio.ok("adopt", "--drift")).toContain(`@Stored: rows: { ${visitor}: "{id} > 4" }`);
      await engine!.run("CREATE POLICY mine ON potters FOR SELECT USING (true)");
      // One that models cannot say leaves all of the table's to others.
      expect((await adopted()).told).toMatch(/Left alone[^]*mine on potters[^]*rows_others on potters/);
    },
    60_000,
  );
});

function grantsIn(tables: Schema["tables"]): (readonly string[])[] {
  return tables
    .flatMap(table =>
      [{ name: "", grants: table.grants }, ...table.columns].flatMap(({ name, grants = [] }) =>
        grants.flatMap(({ role, verbs }) => verbs.map(verb => [table.name, name, role, verb])),
      ),
    )
    .sort((a, b) => (a.join("\n") < b.join("\n") ? -1 : 1));
}

test("who may do what is told with each field, of the models and as it is; the page tells it with each table", () => {
  const studio = kilnHouse();
  studio.ok("draft", "first");
  const told = studio.ok("describe", "potters", "--access");
  expect(told).toMatch(/^ {2}field +visitor +potter +treasurer\n {2}id +select +select +select\n/m);
  expect(told).toMatch(/sqlite has no roles: nobody is held to this\.\n$/);
  studio.ok("chart", "--out", "page.html");
  expect(studio.read("page.html")).toContain('"access":[{"role":"visitor","words":"select"}');
});

test("roles that have all of each other are refused, as a server would", () => {
  const studio = kilnHouse();
  const config = studio.read("emberset.config.ts");
  studio.write("emberset.config.ts", config.replace("visitor: []", 'visitor: ["potter"]'));
  const { status, stderr } = studio.emberset("check");
  expect([status, stderr]).toEqual([
    2,
    expect.stringContaining("roles.visitor must not have what has all of it"),
  ]);
});

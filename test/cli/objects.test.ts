import { execFileSync } from "node:child_process";
import { afterAll, describe, expect, test } from "vitest";
import { mariadbArgs } from "../engines/dump.js";
import type { Engine } from "../engines/engine.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { Studio } from "./studio.js";

const engines = { PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };

const config = ({ dialect, url }: Engine) =>
  `export default { targets: { local: { dialect: "${dialect.name}", url: ${JSON.stringify(url)} } } };\n`;

const pieces = (weight: string) => `import { IsInt, IsOptional, IsString, MaxLength } from "class-validator";
import { Field, Stored } from "emberset";
@Stored() export class Piece {
  @IsString() @MaxLength(60) title!: string;
  @IsOptional() @IsInt() ${weight}?: number;
}\n`;

const TRIGGERS: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  postgres: {
    "objects/weigh.sql": `CREATE FUNCTION weigh() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  new.weight := coalesce(new.weight, 7); RETURN new;
END $$;\n`,
    "objects/weigh_pieces.sql":
      "CREATE TRIGGER weigh_pieces BEFORE INSERT ON pieces FOR EACH ROW EXECUTE FUNCTION weigh();\n",
  },
  mariadb: {
    "objects/weigh_pieces.sql": `DELIMITER //
CREATE TRIGGER weigh_pieces BEFORE INSERT ON pieces FOR EACH ROW
BEGIN
  IF new.weight IS NULL THEN SET new.weight = 7; END IF;
END//
DELIMITER ;\n`,
  },
};

describe.each(Object.entries(engines))("SQL of the developer's own, on %s", (_, engine) => {
  afterAll(() => engine?.close());
  const definitions = async () => {
    const database = await engine!.open();
    try {
      return (await database.readCatalog()).schema.definitions ?? [];
    } finally {
      await database.close();
    }
  };

  test.runIf(engine)(
    "comes, changes with the table under it, and goes back; theirs stay as they are",
    async () => {
      await engine!.empty();
      const studio = new Studio({
        "emberset.config.ts": config(engine!),
        "models/piece.ts": pieces("weight"),
        "objects/heavy.sql": "CREATE VIEW heavy AS SELECT title, weight FROM all_pieces WHERE weight > 5;\n",
        "objects/all_pieces.sql": "-- first\nCREATE OR REPLACE VIEW all_pieces AS SELECT * FROM pieces;\n",
        ...TRIGGERS[engine!.dialect.name],
      });
      studio.ok("draft", "first");
      expect(studio.ok("rehearse")).toContain("proven");
      studio.ok("forward");
      await engine!.run("CREATE VIEW theirs AS SELECT count(*) AS n FROM pieces");
      await engine!.run("INSERT INTO pieces (title) VALUES ('bowl')");
      const heavy = async () => (await engine!.rows("SELECT * FROM heavy")).map(row => Object.values(row));
      expect(await heavy()).toEqual([["bowl", 7]]);
      expect(studio.ok("status")).toContain("no drift");

      // Renamed under them: told where, and stopped before anything runs where it is not seen to.
      studio.write("models/piece.ts", pieces('@Field({ was: "weight" }) grams').replace("grams?", "grams?"));
      const told = studio.ok("draft", "grams");
      expect(told).toMatch(/^objects\/heavy\.sql:1 {2}A332 {2}view heavy speaks of weight/m);
      expect(studio.emberset("rehearse").status).not.toBe(0);
      const mended = {
        ...TRIGGERS[engine!.dialect.name],
        "objects/heavy.sql": studio.read("objects/heavy.sql"),
      };
      for (const [file, text] of Object.entries(mended))
        studio.write(file, text.replaceAll("weight", "grams"));
      studio.ok("amend");
      expect(studio.ok("rehearse")).toContain("proven");
      studio.ok("forward");
      await engine!.run("INSERT INTO pieces (title) VALUES ('jug')");
      expect(await heavy()).toEqual([
        ["bowl", 7],
        ["jug", 7],
      ]);
      expect(studio.ok("status")).toContain("no drift");
      const described = studio.ok("describe");
      expect(described).toMatch(/Objects:\n(?: {2}.*\n)* {2}view heavy/);
      expect(described).toMatch(/Left alone:\n {2}view theirs/);
      studio.ok("back", "--yes");
      expect(await heavy()).toHaveLength(2);
      studio.ok("forward");
      // What others made of a table that goes stands in the way, and is named.
      expect(studio.emberset("back", "--count", "2", "--yes").stderr).toContain("theirs");
      await engine!.run("DROP VIEW theirs");
      studio.ok("back", "--yes");
      expect(await definitions()).toEqual([]);
    },
    120_000,
  );

  test.runIf(engine)(
    "is drift where somebody changes it, and comes into files by adopt, to the same again",
    async () => {
      await engine!.empty();
      const first = new Studio({
        "emberset.config.ts": config(engine!),
        "models/piece.ts": pieces("weight"),
        "objects/heavy.sql": "CREATE VIEW heavy AS SELECT title FROM pieces WHERE weight > 5;\n",
        ...TRIGGERS[engine!.dialect.name],
      });
      first.ok("draft", "first");
      first.ok("forward");
      await engine!.run("CREATE OR REPLACE VIEW heavy AS SELECT title FROM pieces WHERE weight > 6");
      expect(first.ok("status")).toMatch(/alter view heavy/);
      first.ok("match");
      expect(first.ok("status")).toContain("no drift");
      const before = await definitions();
      expect(before.length).toBeGreaterThan(1);
      await engine!.run("DROP TABLE emberset_ledger");
      await engine!.run("DROP TABLE emberset_ledger_kept");

      const second = new Studio({ "emberset.config.ts": config(engine!) });
      const adopted = second.ok("adopt");
      expect(adopted).toMatch(new RegExp(`objects/heavy\\.${engine!.dialect.name}\\.sql`));
      expect(second.ok("status")).toContain("no drift");
      expect(second.ok("compare")).toContain("no difference");
      expect(second.ok("rehearse")).not.toContain("not proven");
      second.ok("rebuild", "--yes");
      expect(await definitions()).toEqual(before);
    },
    120_000,
  );

  test.runIf(engine?.dialect.types.objects?.kinds.includes("event"))(
    "an event that starts when it is made is the same whenever that is",
    async () => {
      await engine!.empty();
      const event = (name: string, starts: string) =>
        `SET time_zone = '+02:00';\nCREATE EVENT ${name} ON SCHEDULE EVERY 1 DAY${starts} DO DELETE FROM pieces;\n`;
      const studio = new Studio({
        "emberset.config.ts": config(engine!),
        "models/piece.ts": pieces("weight"),
        "objects/tidy.sql": event("tidy", ""),
        "objects/sweep.sql": event("sweep", " STARTS '2026-01-01 00:00:00'"),
      });
      studio.ok("draft", "first");
      studio.ok("forward");
      const first = await definitions();
      expect(JSON.stringify(first)).toMatch(/sweep` ON SCHEDULE EVERY 1 DAY STARTS '2026-01-01 00:00:00'/);
      studio.ok("back", "--yes");
      await new Promise(resolve => setTimeout(resolve, 1100));
      studio.ok("forward");
      expect(await definitions()).toEqual(first);
    },
  );

  test.runIf(engine?.dialect.tokens.delimiters)(
    "a script with a body in it is run by the server's own client",
    async () => {
      await engine!.empty();
      const studio = new Studio({
        "emberset.config.ts": config(engine!),
        "models/piece.ts": pieces("weight"),
        ...TRIGGERS[engine!.dialect.name],
      });
      studio.ok("draft", "first");
      const url = new URL(engine!.url);
      execFileSync("mariadb", [...mariadbArgs(url), decodeURIComponent(url.pathname.slice(1))], {
        input: studio.read("migrations/0001-first/forward.mariadb.sql"),
      });
      const [trigger] = await definitions();
      expect(trigger).toMatchObject({ kind: "trigger", name: "weigh_pieces", on: "pieces" });
    },
  );
});

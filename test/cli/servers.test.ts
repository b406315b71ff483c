import { appendFileSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, beforeEach, describe, expect, test } from "vitest";
import type { RehearseResult } from "../../src/tasks/rehearse.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { KILN_HOUSE, Studio } from "./studio.js";

/** Asks again and again until there is an answer. */
async function until<T>(ask: () => Promise<T | undefined>): Promise<T> {
  for (let tries = 0; tries < 200; tries += 1) {
    const answer = await ask();
    if (answer !== undefined) return answer;
    await new Promise(resolve => setTimeout(resolve, 50));
  }
  throw new Error("no answer");
}

const engines = { PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };

describe.each(Object.entries(engines))("the program on %s", (title, engine) => {
  beforeEach(() => engine?.empty());
  afterAll(() => engine?.close());

  const url = () => engine!.url;
  const config = (more = "") =>
    `export default { targets: { local: { dialect: "${engine!.dialect.name}", url: process.env.STUDIO_URL!, lockTimeout: "1s" ${more} } } };\n`;
  const studio = () =>
    new Studio({ "emberset.config.ts": config(), ".env": `STUDIO_URL=${url()}\n` }).useModels("v1");
  /** The demo's rows in the dialect's words for true and false. */
  const rows = (version: string) =>
    readFileSync(join(KILN_HOUSE, `rows-${version}.sql`), "utf8")
      .replace(/\('(Celadon|Oatmeal)', 1/g, "('$1', true")
      .replace("('Copper Red', 0", "('Copper Red', false")
      .split(/;\n/)
      .filter(sql => sql.trim() !== "");
  const addRows = async (version: string) => {
    for (const sql of rows(version)) await engine!.run(sql);
  };
  /** All that is there but for the ledger; tables and indexes that were made anew stand last, so by name. */
  const stateOf = async () => {
    const { schema } = await engine!.readCatalog();
    const byName = <T extends { readonly name: string }>(list: readonly T[]) =>
      [...list].sort((a, b) => (a.name < b.name ? -1 : 1));
    const tables = schema.tables.filter(
      ({ name }) => !/^emberset_(?:ledger|ledger_kept|journal)$/.test(name),
    );
    const ordered = tables.map(table => ({
      ...table,
      ...{ indexes: byName(table.indexes), checks: byName(table.checks) },
    }));
    return JSON.stringify(byName(ordered));
  };

  test.runIf(engine)("what a script changed by hand really does is written down, and run", async () => {
    const project = studio();
    project.ok("draft", "first");
    project.ok("forward");
    const before = await stateOf();
    project.ok("draft", "--blank", "by hand");
    const script = (direction: string) =>
      project.path(`migrations/0002-by-hand/${direction}.${engine!.dialect.name}.sql`);
    appendFileSync(
      script("forward"),
      "ALTER TABLE pieces ADD COLUMN shelf varchar(20);\nCREATE INDEX sly ON pieces (shelf);\n",
    );
    appendFileSync(
      script("back"),
      "DROP INDEX sly" +
        (title === "MariaDB" ? " ON pieces" : "") +
        ";\nALTER TABLE pieces DROP COLUMN shelf;\n",
    );
    expect(project.emberset("rehearse").status).toBe(3);
    expect(project.ok("rehearse", "--record")).toContain("proven");
    expect(project.read("migrations/0002-by-hand/migration.json")).toMatch(
      /"name": ?"shelf"[^]*"name": ?"sly"/,
    );
    project.ok("forward");
    expect(project.ok("status", "--strict")).toContain("no drift");
    project.ok("back", "--yes");
    expect(await stateOf()).toBe(before);
  });

  test.runIf(engine)("rows of a guarded target are rehearsed with, and it is only read", async () => {
    const project = studio();
    project.ok("draft", "first");
    project.ok("forward");
    await addRows("v1");
    project.useModels("v2").ok("draft", "second");
    project.write("emberset.config.ts", config(", guarded: true"));
    const before = [await stateOf(), await engine!.rows("SELECT * FROM pieces ORDER BY id")];
    const result = project.json<RehearseResult>("rehearse", "--from-target", "local");
    expect(result).toMatchObject({ proven: true, sample: { target: "local" } });
    expect(result.sample!.rows).toBeGreaterThan(8);
    expect([await stateOf(), await engine!.rows("SELECT * FROM pieces ORDER BY id")]).toEqual(before);
  });

  test.runIf(engine)("the co-operative's three versions, forward with rows, and back", async () => {
    const project = studio();
    const states: string[] = [];
    for (const version of ["v1", "v2", "v3"] as const) {
      project.useModels(version).ok("draft", `models ${version}`);
      states.push(await stateOf());
      if (version === "v3")
        expect(project.ok("rehearse")).toMatch(/built whole from the models +the same[^]*proven/);
      expect(project.ok("forward", "--yes")).toContain("1 migration ran");
      expect(project.ok("status", "--strict")).toContain("no drift");
      expect(project.ok("compare", "--from", "target:local", "--strict")).toContain("no difference");
      if (version !== "v3") await addRows(version);
    }
    expect(
      await engine!.rows("SELECT title, weight_grams FROM pieces WHERE id IN (1, 3) ORDER BY id"),
    ).toEqual([
      { title: "Tall jug", weight_grams: 1450 },
      { title: "Tea bowl", weight_grams: 1 },
    ]);
    project.ok("back", "--yes");
    expect(project.ok("rehearse", "--from-target", "local", "--sample", "2")).toMatch(
      /with \d+ rows of local[^]*✓ proven/,
    );
    project.ok("forward", "--yes");
    const described = project.ok("describe", "pieces");
    expect(described).toMatch(/fk_pieces_potter_id +\(potter_id\) → potters \(id\), on delete restrict/);
    expect(described).toMatch(/updated_at .* stamped when updated/);

    project.ok("back", "--yes");
    expect(await engine!.rows("SELECT title, weight FROM pieces WHERE id = 1")).toEqual([
      { title: "Tall jug", weight: 1450 },
    ]);
    expect(project.ok("status")).toContain("2 run · 1 pending · no drift");
    project.ok("back", "--to", "0", "--yes");
    expect(await stateOf()).toBe(states[0]);
  });

  test.runIf(engine)("drift is told, rows in the way stop it, and a failing statement is named", async () => {
    const project = studio();
    project.ok("draft", "first tables");
    project.ok("forward");
    await engine!.run("ALTER TABLE clays ADD COLUMN colour varchar(9)");
    await engine!.run("ALTER TABLE kilns ALTER COLUMN fuel SET DEFAULT 'gas'");
    const drifted = project.ok("status");
    expect(drifted).toContain("add column clays.colour: varchar(9), may be null");
    expect(drifted).toMatch(/alter column kilns\.fuel: nothing → default 'gas'/);

    expect(project.ok("compare", "--from", "history", "--to", "target:local")).toMatch(
      /clays\n +\S add column colour[^]*2 changes/,
    );

    await addRows("v1");
    await engine!.run("UPDATE pieces SET potter_id = 2, title = 'Tea bowl' WHERE id = 4");
    project.useModels("v2").ok("draft", "glazes");
    const refused = project.emberset("forward");
    expect([refused.status, refused.stderr]).toEqual([
      3,
      expect.stringContaining("1 value of pieces (potter_id, title)"),
    ]);

    await engine!.run("UPDATE pieces SET title = 'Another' WHERE id = 4");
    const file = `migrations/0002-glazes/forward.${engine!.dialect.name}.sql`;
    project.write(file, `INSERT INTO nowhere VALUES (1);\n${project.read(file)}`);
    const before = await stateOf();
    const failed = project.emberset("forward");
    expect(failed.stderr).toMatch(
      /E405 Migration 0002-glazes failed, and the database is as it was before it[^]*nowhere/,
    );
    expect([failed.status, await stateOf()]).toEqual([4, before]);
  });

  test.runIf(engine)("eight processes at once run each migration once", async () => {
    const project = studio();
    // On a busy machine one may have to wait for long.
    project.write("emberset.config.ts", config().replace('"1s"', '"60s"'));
    project.ok("draft", "first tables");
    project.useModels("v2").ok("draft", "second");
    const ends = await Promise.all(Array.from({ length: 8 }, () => project.finish("forward", "--yes")));
    expect(ends.map(({ status, stderr }) => (status === 0 ? 0 : stderr))).toEqual(
      Array.from({ length: 8 }, () => 0),
    );
    const ran = ends.flatMap(({ stdout }) => stdout.match(/^→ .* \d+ ms/gm) ?? []);
    expect(ran.map(line => line.split(" ")[1]).sort()).toEqual(["0001-first-tables", "0002-second"]);
    expect(project.ok("status", "--strict")).toContain("2 run · 0 pending · no drift");
  });

  /** Holds the lock on which runs take turns, while some work is done. */
  const holding = async (work: () => Promise<void>) => {
    const isPostgres = engine!.dialect.name === "postgres";
    const name = `emberset ${new URL(url()).pathname.slice(1)}`;
    await engine!.rows(isPostgres ? "SELECT pg_advisory_lock(4136982057)" : `SELECT GET_LOCK('${name}', 9)`);
    try {
      await work();
    } finally {
      await engine!.rows(
        isPostgres ? "SELECT pg_advisory_unlock(4136982057)" : `SELECT RELEASE_LOCK('${name}')`,
      );
    }
  };
  const waiting = async () => {
    const query =
      engine!.dialect.name === "postgres"
        ? "SELECT 1 AS one FROM pg_locks l JOIN pg_database d ON d.oid = l.database WHERE NOT l.granted AND d.datname = current_database() UNION ALL SELECT 1 FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid() AND query LIKE 'SELECT pg_try_advisory%'"
        : "SELECT 1 AS one FROM information_schema.PROCESSLIST WHERE DB = DATABASE() AND STATE IN ('User lock', 'Waiting for table metadata lock')";
    await until(async () => (await engine!.rows(query))[0]);
  };

  test.runIf(engine)(
    "what ran or was undone while a run waits stops it, by number, name and script; it says for whom it waits",
    async () => {
      const project = studio();
      project.write("emberset.config.ts", config().replace('"1s"', '"30s"'));
      project.ok("draft", "first tables");
      project.ok("forward");
      project.ok("draft", "--blank", "by hand");
      const cases = [
        ["DELETE FROM emberset_ledger", "E518"],
        [
          "INSERT INTO emberset_ledger SELECT 2, '0002-other', forward_sum, back_sum, ran_at, 0, program, NULL FROM emberset_ledger",
          "E517",
        ],
        [
          "INSERT INTO emberset_ledger SELECT 2, '0002-by-hand', forward_sum, back_sum, ran_at, 0, program, NULL FROM emberset_ledger",
          "E517",
        ],
      ] as const;
      for (const [meanwhile, code] of cases) {
        await engine!.run("CREATE TABLE was AS SELECT * FROM emberset_ledger");
        let end: ReturnType<typeof project.finish> | undefined;
        await holding(async () => {
          end = project.finish("forward");
          await waiting();
          await engine!.run(meanwhile);
        });
        const { status, stderr } = await end!;
        expect([status, stderr]).toEqual([
          3,
          expect.stringMatching(new RegExp(`^waiting for another run to end: .+\n${code} `)),
        ]);
        await engine!.run("DELETE FROM emberset_ledger");
        await engine!.run("INSERT INTO emberset_ledger SELECT * FROM was");
        await engine!.run("DROP TABLE was");
      }
      expect(project.ok("forward")).toContain("1 migration ran");
    },
  );

  test.runIf(engine)(
    "Ctrl-C ends what the server is at, who reads along or not, and the next run does the rest",
    async () => {
      const project = studio();
      project.ok("draft", "--blank", "slow");
      const script = `migrations/0001-slow/forward.${engine!.dialect.name}.sql`;
      const text = project.read(script);
      project.write(
        script,
        `${text}${engine!.dialect.name === "postgres" ? "SELECT pg_sleep(60)" : "SELECT SLEEP(60)"};\n`,
      );
      const asleep =
        engine!.dialect.name === "postgres"
          ? "SELECT 1 AS one FROM pg_stat_activity WHERE datname = current_database() AND state = 'active' AND query LIKE 'SELECT pg_sleep%'"
          : "SELECT 1 AS one FROM information_schema.PROCESSLIST WHERE DB = DATABASE() AND INFO LIKE 'SELECT SLEEP(60)%'";
      for (const isRead of [true, false]) {
        const [child, end] = project.interruptible("forward");
        await until(async () => (await engine!.rows(asleep))[0]);
        // As with `2>&1 | tee`, which the same Ctrl-C ends first.
        if (!isRead) for (const stream of [child.stdout, child.stderr]) stream!.destroy();
        child.kill("SIGINT");
        const { status, stderr } = await end;
        expect([status, stderr]).toEqual([
          3,
          isRead ? expect.stringMatching(/^SIGINT: ending .+\nE126 /) : "",
        ]);
        expect(await engine!.rows(asleep)).toEqual([]);
      }
      project.write(script, text);
      expect(project.ok("forward")).toContain("1 migration ran");
    },
  );

  test.runIf(engine)("rows that come while `back` waits are counted before anything goes", async () => {
    const project = studio();
    project.write("emberset.config.ts", config().replace('"1s"', '"30s"'));
    project.ok("draft", "first tables");
    project.ok("forward");
    await engine!.run("BEGIN");
    await engine!.run("INSERT INTO kilns (name, fuel, volume_litres) VALUES ('Old Bess', 'wood', 900)");
    const end = project.finish("back");
    await waiting();
    await engine!.run("COMMIT");
    const { status, stderr } = await end;
    expect([status, stderr]).toEqual([3, expect.stringMatching(/^E503 [^]*1 row of kilns/)]);
    expect(await engine!.rows("SELECT name FROM kilns")).toEqual([{ name: "Old Bess" }]);
    expect(project.ok("back", "--yes")).toContain("1 migration undone");
  });

  test.runIf(engine)(
    "a server, a user or a database that is not there is one clear error, and no secret is shown",
    () => {
      const scheme = engine!.dialect.name;
      const cases = [
        [`${scheme}://ada:hush@127.0.0.1:1/studio`, "E410", 4],
        [`${scheme}://ada:hush@${new URL(url()).host}/studio`, "E411", 4],
        [url().replace(/[^/]*$/, "emberset_not_there"), "E400", 2],
      ] as const;
      for (const [place, code, exit] of cases) {
        const project = studio();
        project.write(".env", `STUDIO_URL=${place}\n`).ok("draft", "first tables");
        for (const args of [["back"], ["back", "--json", "--trace"]]) {
          const { status, stdout, stderr } = project.emberset(...args);
          expect(`${stdout}${stderr}`).toContain(code);
          expect(`${stdout}${stderr}`).not.toMatch(/hush|\bat .*:\d+:\d+/);
          expect(status).toBe(exit);
        }
      }
      expect(title).toBe(engine!.dialect.title);
    },
  );

  test.runIf(engine)(
    "no TLS where it is asked for, and a connection cut in the middle, are told as what they are",
    async () => {
      const project = studio();
      const asked = engine!.dialect.name === "postgres" ? "sslmode=require" : "ssl=true";
      const offered = await engine!.rows(
        engine!.dialect.name === "postgres"
          ? "SELECT current_setting('ssl') AS offered"
          : "SELECT @@have_ssl AS offered",
      );
      // A server that offers it has a certificate of its own making, which only require does not mind.
      if (!["on", "YES"].includes(String(offered[0]!["offered"]))) {
        const safe = studio().write(".env", `STUDIO_URL=${url()}?${asked}\n`);
        const { status, stderr } = safe.emberset("describe");
        expect([status, stderr]).toEqual([4, expect.stringMatching(/^E416 No safe connection/)]);
      }

      project.ok("draft", "first tables");
      const file = `migrations/0001-first-tables/forward.${engine!.dialect.name}.sql`;
      const [wait, running, end] =
        engine!.dialect.name === "postgres"
          ? [
              "SELECT pg_sleep(60)",
              "SELECT pid AS id FROM pg_stat_activity WHERE query LIKE 'SELECT pg_sleep(60)%'",
              "SELECT pg_terminate_backend(?)",
            ]
          : [
              "SELECT sleep(60)",
              "SELECT ID AS id FROM information_schema.PROCESSLIST WHERE INFO LIKE 'SELECT sleep(60)%'",
              "KILL ?",
            ];
      project.write(file, `${wait};\n${project.read(file)}`);
      const done = project.finish("forward");
      const found = await until(async () => (await engine!.rows(running))[0]?.["id"]);
      await engine!.run(end.replace("?", String(found)));
      const { status, stderr } = await done;
      expect([status, stderr]).toEqual([4, expect.stringMatching(/^E413 /)]);
      expect(await stateOf()).toBe("[]");
      project.write(file, project.read(file).replace(`${wait};\n`, ""));
      expect(project.ok("forward")).toContain("1 migration ran");
    },
  );

  test.runIf(engine)(
    "a view or a trigger that a change stands on is named, and nothing is changed",
    async () => {
      const project = studio();
      project.ok("draft", "first tables");
      project.ok("forward");
      await engine!.run("CREATE VIEW heavy AS SELECT title FROM pieces WHERE weight > 2000");
      const before = await stateOf();
      const piece = project.read("models/piece.ts");
      project.write(
        "models/piece.ts",
        piece.replace(', checks: { sane_weight: "{weight} < 40000" }', "").replace(/^.* weight\?.*\n/m, ""),
      );
      project.ok("draft", "no weight");
      const { status, stderr } = project.emberset("forward", "--yes");
      expect([status, stderr]).toEqual([4, expect.stringMatching(/^E40[58] [^]*view heavy/)]);
      expect(await stateOf()).toBe(before);
      await engine!.run("DROP VIEW heavy");
      expect(project.ok("forward", "--yes")).toContain("1 migration ran");
    },
  );

  test.runIf(engine)("drift is taken in, or put right", async () => {
    const project = studio();
    project.ok("draft", "first tables");
    expect(project.emberset("adopt", "--drift").stderr).toMatch(/^E510 [^]*0001/);
    project.ok("forward");
    const before = await stateOf();
    expect(project.emberset("adopt", "--drift").stderr).toMatch(/^E112 /);
    expect(project.emberset("adopt").stderr).toMatch(/^E111 .*migrations/);
    await engine!.run("ALTER TABLE potters ADD COLUMN wheel varchar(20) DEFAULT 'kick'");
    await engine!.run("CREATE INDEX by_name ON potters (name)");
    await engine!.run("CREATE TABLE wheels (id integer PRIMARY KEY, label text NOT NULL)");
    const drifted = await stateOf();

    const taken = project.ok("adopt", "--drift", "--title", "wheels");
    expect(taken).toMatch(/Potter:\n.*\bwheel\?: string;\n.*by_name/);
    expect(project.read("models/wheel.ts")).toContain("export class Wheel {");
    expect(project.ok("status", "--strict")).toContain("2 run · 0 pending · no drift");
    expect(await stateOf()).toBe(drifted);
    expect(project.ok("back", "--yes")).toContain("0002-wheels");
    expect(await stateOf()).toBe(before);

    project.ok("forward");
    expect(project.ok("status")).toContain("no drift");
    await engine!.run("DROP INDEX by_name" + (engine!.dialect.name === "mariadb" ? " ON potters" : ""));
    const right = project.ok("adopt", "--drift", "--title", "lost index", "--put-right");
    expect(right).toContain("0004-put-lost-index-right takes it away again");
    project.ok("forward");
    expect(await stateOf()).toBe(drifted);
    expect(project.ok("status", "--strict")).toContain("4 run · 0 pending · no drift");
  });

  test.runIf(engine)(
    "an index of somebody else's is no drift; neither it nor a trigger loses its column unasked",
    async () => {
      const model = (more: string) =>
        `import { IsInt, IsString, MaxLength } from "class-validator";\nimport { Stored } from "emberset";\n` +
        `@Stored() export class Piece { @IsString() @MaxLength(20) title!: string; ${more} }\n`;
      const project = new Studio({
        "emberset.config.ts": config(),
        ".env": `STUDIO_URL=${url()}\n`,
        "models/piece.ts": model("@IsInt() weight!: number;"),
      });
      project.ok("draft", "first");
      project.ok("forward");
      await engine!.run("CREATE INDEX by_hand ON pieces (weight, title)");
      expect(project.ok("status", "--strict")).toMatch(/index by_hand on pieces[^]*no drift/);
      project.write("models/piece.ts", model("")).ok("draft", "no weight");
      const refused = project.emberset("forward");
      expect([refused.status, refused.stderr]).toEqual([
        4,
        expect.stringMatching(/^E408 [^]*index by_hand on pieces uses weight/),
      ]);
      const isMariadb = engine!.dialect.name === "mariadb";
      await engine!.run(`DROP INDEX by_hand${isMariadb ? " ON pieces" : ""}`);
      const [make, made] = isMariadb
        ? ["CREATE TRIGGER heavy BEFORE INSERT ON pieces FOR EACH ROW SET NEW.weight = NEW.weight + 1", ""]
        : [
            "CREATE FUNCTION heavy() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN NEW.weight := 1; RETURN NEW; END $$",
            "CREATE TRIGGER heavy BEFORE INSERT ON pieces FOR EACH ROW EXECUTE FUNCTION heavy()",
          ];
      for (const sql of [make, made]) if (sql) await engine!.run(sql);
      expect(project.emberset("forward").stderr).toMatch(
        /^E408 [^]*(?:trigger|function) heavy uses pieces.weight/,
      );
      await engine!.run(isMariadb ? "DROP TRIGGER heavy" : "DROP FUNCTION heavy CASCADE");
      expect(project.ok("forward", "--yes")).toContain("1 migration ran");
    },
  );

  test.runIf(engine)("what counts no longer counts on from where it stood, once it is back", async () => {
    const model = (key: string) =>
      `import { IsInt, IsString, MaxLength } from "class-validator";\nimport { Key, Stored } from "emberset";\n` +
      `@Stored<Piece>() export class Piece { ${key} id!: number; @IsString() @MaxLength(20) title!: string; }\n`;
    const files = { "emberset.config.ts": config(), ".env": `STUDIO_URL=${url()}\n` };
    const project = new Studio({ ...files, "models/piece.ts": model("@Key()") });
    project.ok("draft", "first");
    project.ok("forward");
    await engine!.run("INSERT INTO pieces (title) VALUES ('Jug')");
    const isMariadb = engine!.dialect.name === "mariadb";
    await engine!.run(
      isMariadb ? "ALTER TABLE pieces AUTO_INCREMENT = 900" : "SELECT setval('pieces_id_seq', 899)",
    );
    project.write("models/piece.ts", model('@Key({ generate: "none" }) @IsInt()')).ok("draft", "no count");
    project.ok("forward", "--yes");
    expect(project.ok("attic")).toContain("where it stood");
    project.ok("back", "--yes");
    await engine!.run("INSERT INTO pieces (title) VALUES ('Mug')");
    expect((await engine!.rows("SELECT max(id) AS id FROM pieces"))[0]).toEqual({ id: 900 });
  });

  test.runIf(engine)("--create-database makes the database", async () => {
    const project = studio();
    const name = `emberset_made_${process.pid}_${engine!.dialect.name}`;
    project.write(".env", `STUDIO_URL=${url().replace(/[^/]*$/, name)}\n`).ok("draft", "first tables");
    // Beside a database that is yet to be made.
    expect(project.json<RehearseResult>("rehearse").proven).toBe(true);
    expect(project.emberset("forward").stderr).toContain("--create-database");
    expect(project.ok("forward", "--create-database")).toContain("1 migration ran");
    await engine!.run(`DROP DATABASE ${name}`);
  });
});

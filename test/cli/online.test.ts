import { setTimeout as sleep } from "node:timers/promises";
import { afterAll, describe, expect, test } from "vitest";
import { splitStatements } from "../../src/core/sql/statements.js";
import { refuseDependents } from "../../src/database/postgres/dependents.js";
import { Breakage } from "../../src/database/session/database.js";
import type { Engine } from "../engines/engine.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { Studio } from "./studio.js";

const engines = { PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };
const ROWS = 60_000;

const HEAD = `import { IsInt, IsOptional, IsString, MaxLength } from "class-validator";
import { Field, RefersTo, Stamp, Stored } from "emberset";
@Stored() export class Potter { @IsString() @MaxLength(80) name!: string; }
`;
const pieces = (fields: string, unique = "") => `${HEAD}
@Stored<Piece>({ ${unique} }) export class Piece {
  ${fields}
  @Stamp("updated") updatedAt!: Date;
}
`;
const BEFORE = pieces(`@IsString() @MaxLength(80) title!: string;
  @IsOptional() @IsInt() weight?: number;
  @IsOptional() @IsInt() shelf?: number;`);
const AFTER = pieces(
  `@IsString() @MaxLength(80) title!: string;
  @IsInt() @Field({ default: 7, fill: 0 }) weight!: number;
  @IsOptional() @IsInt() shelf?: number;
  @IsOptional() @RefersTo(() => Potter, { onDelete: "set null" }) potter?: Potter;`,
  `unique: [["title"]], indexes: [["shelf"]]`,
);

describe.each(Object.entries(engines))("a migration that runs while others write, on %s", (title, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine)(
    "loses no write, keeps nobody waiting for long, and goes there and back",
    async () => {
      const studio = await atFirst(engine!);
      studio.write("models/studio.ts", AFTER).ok("draft", "more of pieces", "--online", "--lose");
      const script = studio.read(`migrations/0002-more-of-pieces/forward.${engine!.dialect.name}.sql`);
      expect(script).toContain("-- Online: ");
      expect(script).toMatch(title === "MariaDB" ? /LOCK=NONE/ : /CONCURRENTLY[^]*VALIDATE CONSTRAINT/);
      const stamps = "SELECT count(DISTINCT updated_at) AS n FROM pieces WHERE id > 100";
      const before = await engine!.rows(stamps);
      // A trigger that is off stays so.
      if (title === "PostgreSQL") {
        await engine!.run(
          "CREATE FUNCTION never() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE 'never'; END $$",
        );
        await engine!.run(
          "CREATE TRIGGER never BEFORE UPDATE ON pieces FOR EACH ROW EXECUTE FUNCTION never()",
        );
        await engine!.run("ALTER TABLE pieces DISABLE TRIGGER never");
      }
      for (const way of ["forward", "back", "forward"]) {
        const client = await busyClient(engine!);
        const run = await studio.finish(way, "--yes");
        const { refused, wrong, writes, longest, took } = await client.stop();
        expect([run.status, refused, wrong], run.stderr).toEqual([0, [], []]);
        // How many there are is this machine's to say: that there were some throughout is what counts.
        expect(writes).toBeGreaterThan(5);
        // A step waits a second at most on MariaDB, and so do others behind it: nobody waits for the whole.
        expect(longest).toBeLessThan(took * 0.75);
        expect(studio.ok("status")).toContain("no drift");
      }
      if (title === "PostgreSQL")
        expect(
          await engine!.rows("SELECT tgenabled AS state FROM pg_trigger WHERE tgname = 'never'"),
        ).toEqual([{ state: "D" }]);
      // What is filled is no update in the eyes of stamps.
      expect(await engine!.rows(stamps)).toEqual(before);
      expect(await engine!.rows("SELECT count(*) AS n FROM pieces WHERE weight IS NULL")).toEqual([{ n: 0 }]);
    },
    120_000,
  );

  test.runIf(engine && title === "PostgreSQL")(
    "turns values into others by a second column, from the midst and back too, with what others write meanwhile",
    async () => {
      const studio = await atFirst(engine!);
      const turned = BEFORE.replace(
        "@IsInt() shelf?: number",
        '@Field({ type: "bigint", index: true }) shelf?: number',
      ).replace("@MaxLength(80) title!", '@MaxLength(90) @Field({ convert: "upper({title})" }) title!');
      const lighter = turned.replace(/.*weight.*/, "");
      studio.write("models/studio.ts", lighter).ok("draft", "larger shelves", "--online");
      const titles = "SELECT id, title FROM pieces WHERE id IN (7, 500) ORDER BY id";
      const before = await engine!.rows(titles);
      const functions = "SELECT count(*) AS n FROM pg_proc WHERE proname LIKE 'emberset%'";
      const keepers = async () => Number((await engine!.rows(functions))[0]!["n"]);
      const client = await busyClient(engine!);
      const [child, killed] = studio.interruptible("forward", "--yes");
      // What keeps both columns alike is there only in the midst.
      for (let turn = 0; turn < 2000 && (await keepers()) === 0; turn += 1) await sleep(10);
      child.kill("SIGKILL");
      await killed;
      expect(studio.emberset("status").stdout).toMatch(/stopped in statement/);
      let written: Awaited<ReturnType<typeof changingClient>> | undefined;
      // From the midst each way: the first column still has all that it had.
      for (const way of ["back", "forward", "back"]) {
        const others = way === "forward" ? await changingClient(engine!) : undefined;
        const run = await studio.finish(way, "--yes");
        await others?.stop();
        written = others ?? written;
        expect([run.status, run.stderr]).toEqual([0, expect.anything()]);
        expect(studio.ok("status")).toContain("no drift");
        expect(await keepers()).toBe(0);
        expect((await engine!.rows(titles)).map(({ title: text }) => String(text))).toEqual(
          before.map(({ title: text }) => (way === "back" ? String(text) : String(text).toUpperCase())),
        );
      }
      const { refused, wrong, writes, longest, took } = await client.stop();
      expect([refused, wrong]).toEqual([[], []]);
      expect(writes).toBeGreaterThan(20);
      expect(longest).toBeLessThan(took / 2);
      // Whatever was written while values became others is there when they are back, as it was written.
      expect(await written!.lost()).toEqual([]);
    },
    120_000,
  );

  test.runIf(engine && title === "PostgreSQL")(
    "says at once what somebody made of a column in whose place another comes",
    async () => {
      const studio = await atFirst(engine!);
      await engine!.run("CREATE VIEW theirs AS SELECT shelf FROM pieces");
      await engine!.run("CREATE STATISTICS told ON shelf, weight FROM pieces");
      studio.write(
        "models/studio.ts",
        BEFORE.replace("@IsInt() shelf?", '@Field({ type: "bigint" }) shelf?'),
      );
      studio.ok("draft", "larger shelves", "--online");
      const { status, stderr } = studio.emberset("forward", "--yes");
      expect([status, stderr]).toEqual([4, expect.stringMatching(/nothing|as it was before/)]);
      expect(stderr).toMatch(/theirs[^]*which is about pieces\.shelf/);
      expect(stderr).toContain("statistics object told");
      expect(studio.ok("status")).toContain("1 pending");
      // By what its changes are sent on.
      for (const sql of ["CREATE TABLE sent (a int NOT NULL)", "CREATE UNIQUE INDEX ix_a ON sent (a)"])
        await engine!.run(sql);
      await engine!.run("ALTER TABLE sent REPLICA IDENTITY USING INDEX ix_a");
      const script =
        'DROP INDEX "ix_a"; ALTER TABLE sent ADD COLUMN "b" bigint; ALTER TABLE sent RENAME COLUMN "b" TO "a";';
      const there = await engine!.open();
      await expect(refuseDependents(there, splitStatements(script))).rejects.toThrow(Breakage);
      await engine!.run("ALTER TABLE sent REPLICA IDENTITY DEFAULT");
      await refuseDependents(there, splitStatements(script));
      await there.close();
    },
  );

  test.runIf(engine)(
    "waits for others in small turns, and goes on where it was killed",
    async () => {
      const studio = await atFirst(engine!);
      studio.write("models/studio.ts", AFTER).ok("draft", "more of pieces", "--online", "--lose");
      const other = await engine!.open();
      await other.run("BEGIN");
      await other.rows("SELECT count(*) FROM pieces");
      const [child, run] = studio.interruptible("forward", "--yes");
      await sleep(1500);
      // What reads and does not end is in the way of the one and not of others.
      const [start, client] = [performance.now(), await engine!.open()];
      await client.run("UPDATE pieces SET shelf = 1 WHERE id = 1");
      expect(performance.now() - start).toBeLessThan(10_000);
      await client.close();
      child.kill("SIGKILL");
      await run;
      await other.run("COMMIT");
      await other.close();
      expect(studio.ok("forward", "--yes")).toContain("1 migration ran");
      expect(studio.ok("status")).toContain("2 run · 0 pending · no drift");
    },
    120_000,
  );

  test.runIf(engine)(
    "goes in pieces where a target says so and rows get values, and tells how far it came",
    async () => {
      const studio = await atFirst(engine!, "batches: 100");
      const noted = BEFORE.replace("weight?", "weight?: number;\n  @IsOptional() @IsInt() height?");
      studio.write("models/studio.ts", noted).ok("draft", "height");
      expect(studio.read("migrations/0002-height/migration.json")).not.toContain("online");
      studio.ok("forward");
      const filled = noted.replace("@IsOptional() @IsInt() weight?", "@IsInt() @Field({ fill: 0 }) weight!");
      studio.write("models/studio.ts", filled).ok("draft", "weights");
      expect(studio.read("migrations/0003-weights/migration.json")).toMatch(/"online": ?true/);
      const [child, run] = studio.interruptible("forward", "--yes");
      const journal = async () =>
        Number(
          (await engine!.rows("SELECT rows_done AS n FROM emberset_journal").catch(() => []))[0]?.["n"] ?? 0,
        );
      const isBehind = async (rows: number) => {
        for (let tries = 0; tries < 1000 && (await journal()) < rows; tries += 1) await sleep(10);
      };
      await isBehind(1);
      const going = /a run is going on just now, with [\d,]+ of about [\d,]+ rows filled/;
      expect(studio.emberset("status").stdout).toMatch(
        title === "PostgreSQL" ? going : /a run is going on just now/,
      );
      await isBehind(ROWS / 4);
      child.kill("SIGKILL");
      await run;
      await sleep(1000);
      const [, done = ""] =
        /stopped in statement \d+ of \d+, with ([\d,]+) of about [\d,]+ rows filled/.exec(
          studio.emberset("status").stdout,
        ) ?? [];
      const many = Number(done.replaceAll(",", ""));
      expect(many).toBeGreaterThanOrEqual(ROWS / 4);
      expect(many).toBeLessThan(ROWS);
      const { stderr } = studio.emberset("forward", "--yes", "--trace");
      const pieces = stderr.match(/^ *[\d.]+ ms {2}UPDATE .pieces./gm) ?? [];
      expect(pieces.length).toBeGreaterThanOrEqual((ROWS - many) / 100 - 1);
      expect(studio.ok("status")).toContain("no drift");
      expect(await engine!.rows("SELECT count(*) AS n FROM pieces WHERE weight IS NULL")).toEqual([{ n: 0 }]);
    },
    120_000,
  );

  test.runIf(engine)(
    "is refused where rows would be written anew, as the target or the draft says",
    async () => {
      const studio = await atFirst(engine!, "online: true");
      const twice = '@IsInt() @Field({ computed: "{id} * 2" }) twice!: number;';
      studio.write("models/studio.ts", BEFORE.replace("@Stamp", `${twice} @Stamp`));
      const { status, stderr } = studio.emberset("draft", "twice");
      expect([status, stderr]).toEqual([3, expect.stringMatching(/^E140 .*nothing was drafted[^]*twice/)]);
      expect(studio.ok("draft", "twice", "--no-online")).toContain("Written");
      studio.ok("discard");
      studio.write("models/studio.ts", BEFORE.replace(/.*shelf.*/, ""));
      const shelves = "SELECT sum(shelf) AS n FROM pieces";
      const before = await engine!.rows(shelves);
      // Triggers keep what is written meanwhile as well.
      studio.ok("draft", "no shelf");
      expect(studio.json("forward", "--yes")).toMatchObject({ drift: [] });
      expect(studio.json("back", "--yes")).toMatchObject({ drift: [] });
      expect(await engine!.rows(shelves)).toEqual(before);
    },
  );

  test.runIf(engine)("what must go for a while goes in one step, or the draft is refused", async () => {
    const studio = await atFirst(engine!);
    const view = (columns: string) =>
      studio.write(
        "objects/shelved.sql",
        `CREATE VIEW shelved AS SELECT ${columns} FROM pieces WHERE shelf > 1\n`,
      );
    const indexed = BEFORE.replace("@IsInt() shelf", "@IsInt() @Field({ index: true }) shelf");
    view("id, title").write("models/studio.ts", indexed).ok("draft", "shelved", "--online");
    studio.ok("forward");
    const renamed = indexed.replace("title!", '@Field({ was: "title" }) heading!');
    view("id, heading").write("models/studio.ts", renamed).ok("draft", "renamed", "--online");
    expect(studio.json("forward", "--yes")).toMatchObject({ drift: [] });
    const both = renamed
      .replace("(80) @Field", "(90) @Field")
      .replace("@IsInt() weight", "@IsInt() @Field({ index: true }) weight");
    const { stderr } = studio.write("models/studio.ts", both).emberset("draft", "both", "--online");
    expect(stderr).toMatch(/^E140 /);
    expect(stderr).toContain(
      title === "PostgreSQL" ? "view shelved: it goes and comes back" : "copies the table",
    );
  });
});

async function atFirst(engine: Engine, more = ""): Promise<Studio> {
  await engine.empty();
  const settings = `{ dialect: "${engine.dialect.name}", url: "${engine.url}", ${more} }`;
  const studio = new Studio({ "emberset.config.ts": `export default { targets: { local: ${settings} } };` });
  studio.write("models/studio.ts", BEFORE).ok("draft", "start", "--no-online");
  studio.ok("forward");
  const numbers =
    engine.dialect.name === "postgres"
      ? `generate_series(1, ${ROWS}) AS n`
      : `(SELECT seq AS n FROM seq_1_to_${ROWS}) AS s`;
  await engine.run(`INSERT INTO pieces (title, shelf) SELECT concat('piece ', n), n % 40 FROM ${numbers}`);
  return studio;
}

/** A client that writes all the while, and remembers what it was told. */
async function busyClient(engine: Engine) {
  const client = await engine.open();
  const refused: string[] = [];
  const wrong: string[] = [];
  const held = new Map<number, number>();
  let [writes, longest, isOver] = [0, 0, false];
  const began = performance.now();
  const work = (async () => {
    while (!isOver) {
      const start = performance.now();
      const id = 1 + (writes % 100);
      await client.run(`UPDATE pieces SET shelf = ${writes} WHERE id = ${id}`).then(
        () => held.set(id, writes),
        (error: unknown) => refused.push(String(error)),
      );
      writes += 1;
      longest = Math.max(longest, performance.now() - start);
      await sleep(5);
    }
    for (const row of await client.rows("SELECT id, shelf FROM pieces WHERE id <= 100")) {
      const value = held.get(Number(row["id"]));
      if (value !== undefined && value !== row["shelf"]) wrong.push(JSON.stringify(row));
    }
    await client.close();
  })();
  return {
    stop: async () => {
      isOver = true;
      await work;
      return { refused, wrong, writes, longest, took: performance.now() - began };
    },
  };
}

/** A client that writes to columns that become others, or go, adds rows and deletes some. */
async function changingClient(engine: Engine) {
  const client = await engine.open();
  const cells = new Map<string, unknown>();
  let [turn, isOver] = [0, false];
  const work = (async () => {
    for (; !isOver; turn += 1) {
      const [id, heavy, gone] = [101 + (turn % 100), 20_001 + (turn % 50), 30_001 + turn];
      await client.run(`UPDATE pieces SET title = 't${turn}' WHERE id = ${id}`);
      cells.set(`title ${id}`, `t${turn}`);
      await client.run(`DELETE FROM pieces WHERE id = ${gone}`);
      cells.set(`title ${gone}`, undefined);
      const [row] = await client.rows(`INSERT INTO pieces (title) VALUES ('new ${turn}') RETURNING id`);
      cells.set(`title ${String(row!["id"])}`, `new ${turn}`);
      await client.run(`UPDATE pieces SET weight = ${turn} WHERE id = ${heavy}`).then(
        () => cells.set(`weight ${heavy}`, turn),
        () => undefined,
      );
      await sleep(5);
    }
  })();
  return {
    stop: async () => {
      isOver = true;
      await work;
      await client.close();
    },
    lost: async () => {
      const rows = await engine.rows("SELECT id, title, weight FROM pieces");
      const held = new Map(rows.map(row => [Number(row["id"]), row]));
      expect(cells.size).toBeGreaterThan(100);
      return [...cells].filter(([cell, value]) => {
        const [column = "", id] = cell.split(" ");
        return held.get(Number(id))?.[column] !== value;
      });
    },
  };
}

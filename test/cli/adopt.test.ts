import { execFileSync } from "node:child_process";
import { cpSync, readFileSync, rmSync } from "node:fs";
import { join } from "node:path";
import LibSql from "libsql";
import { afterAll, describe, expect, onTestFinished, test } from "vitest";
import { tokenize, matters } from "../../src/core/sql/tokens.js";
import { sqlite } from "../../src/core/dialect/sqlite/index.js";
import type { Engine } from "../engines/engine.js";
import { dumpServer, mariadbArgs, sortDump } from "../engines/dump.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { compileStrictly, Studio } from "./studio.js";

const ROOT = join(import.meta.dirname, "..", "..");
const servers = { postgres: await postgresEngine(), mariadb: await mariadbEngine() };

/** What a grown database is made with, what in it is not modelled, and what happened to it later. */
function fixture(dialect: string): Readonly<Record<"made" | "own" | "alone" | "later", string>> {
  const text = readFileSync(join(ROOT, "test", "fixtures", `legacy-${dialect}.sql`), "utf8");
  const parts = text.split(/^-- (?:SQL of its own|What Emberset leaves alone|Later):$/m);
  const [made = "", own = "", alone = "", later = ""] = parts;
  return { made: made + own, own, alone, later };
}

/** A database to adopt, and a way to see what it holds that does not pass through Emberset. */
interface Place {
  readonly studio: (folder?: string) => Studio;
  readonly run: (sql: string) => Promise<void>;
  /** The engine's own dump; `loose`: the order of columns and of indexes aside. */
  readonly dump: (loose?: boolean) => unknown;
  readonly database: string;
}

const server = (engine: Engine) => new URL(engine.url);

/** A new database on a server, dropped after the test. */
async function onServer(engine: Engine): Promise<Place> {
  const { name } = engine.dialect;
  const url = server(engine);
  const database = `emberset_test_${process.pid}_${Math.random().toString(36).slice(2, 8)}`;
  await engine.run(`CREATE DATABASE ${database}`);
  url.pathname = `/${database}`;
  const client = (sql: string) =>
    name === "postgres"
      ? execFileSync("psql", ["-qX", "-v", "ON_ERROR_STOP=1", "-d", url.href], {
          input: sql,
          stdio: ["pipe", "ignore", "pipe"],
        })
      : execFileSync("mariadb", [...mariadbArgs(url), "--default-character-set=utf8mb4", database], {
          input: sql,
        });
  onTestFinished(() => engine.run(`DROP DATABASE ${database}`));
  return {
    database,
    studio: () =>
      new Studio({
        "emberset.config.ts": `export default { targets: { local: { dialect: "${name}", url: "${url.href}" } } };\n`,
      }),
    run: async sql => void client(sql),
    dump: loose => {
      const text = dumpServer(name, url, database);
      return loose ? sortDump(text) : text;
    },
  };
}

/** A new file; what it holds is told by its pragmas and the texts of its checks. */
function onFile(): Place {
  const files: Studio[] = [];
  const first = new Studio();
  const file = first.path("studio.db");
  return {
    database: file,
    studio: () => {
      const studio = new Studio({
        "emberset.config.ts": `export default { targets: { local: { dialect: "sqlite", file: ${JSON.stringify(file)} } } };\n`,
      });
      files.push(studio);
      return studio;
    },
    run: async sql => first.sql(sql, "studio.db"),
    dump: loose => dumpFile(file, loose ?? false),
  };
}

function dumpFile(file: string, loose: boolean): unknown {
  const database = new LibSql(file);
  try {
    const all = (sql: string, ...values: string[]) =>
      database.prepare(sql).all(...values) as Record<string, unknown>[];
    const tables = all(
      "SELECT l.name, l.wr, l.strict, s.sql FROM pragma_table_list l JOIN sqlite_schema s ON s.name = l.name WHERE l.schema = 'main' AND l.type = 'table' AND l.name NOT LIKE 'sqlite%' AND l.name NOT LIKE 'emberset%' ORDER BY l.name",
    );
    const own = all(
      "SELECT sql FROM sqlite_schema WHERE type IN ('view', 'trigger') AND tbl_name NOT LIKE 'emberset%' ORDER BY name",
    );
    const described = tables.map(({ name, wr, strict, sql }) => {
      const table = String(name);
      const columns = all("SELECT * FROM pragma_table_xinfo(?)", table).map(({ cid, ...rest }) =>
        loose ? rest : { cid, ...rest },
      );
      const indexes = all("SELECT * FROM pragma_index_list(?)", table).map(
        ({ seq: _, name: index, ...rest }) => ({
          ...rest,
          name: String(index).replace(/^sqlite_autoindex.*/, ""),
          parts: all("SELECT * FROM pragma_index_xinfo(?)", String(index)).map(
            ({ cid: __, ...part }) => part,
          ),
        }),
      );
      const references = all("SELECT * FROM pragma_foreign_key_list(?)", table).map(
        ({ id: _, ...rest }) => rest,
      );
      const sorted = <T>(list: readonly T[]) =>
        [...list].sort((a, b) => (JSON.stringify(a) < JSON.stringify(b) ? -1 : 1));
      return {
        table,
        wr,
        strict,
        counts: /AUTOINCREMENT/i.test(String(sql)),
        conflicts: (String(sql).match(/ON CONFLICT \w+/gi) ?? []).map(text => text.toUpperCase()).sort(),
        columns: loose ? sorted(columns) : columns,
        indexes: sorted(indexes),
        references: sorted(references),
        checks: checkTexts(String(sql)).sort(),
      };
    });
    return [...described, ...own];
  } finally {
    database.close();
  }
}

/** What stands in the parentheses after each CHECK, spaces and quotes aside. */
function checkTexts(sql: string): string[] {
  const tokens = tokenize(sql, sqlite.tokens).filter(matters);
  return tokens.flatMap((token, at) => {
    if (token.text.toUpperCase() !== "CHECK") return [];
    let depth = 0;
    const inside: string[] = [];
    for (const { text } of tokens.slice(at + 1)) {
      if (text === ")" && --depth === 0) break;
      if (depth > 0) inside.push(text.replace(/^["[`](.*)["\]`]$/s, "$1"));
      if (text === "(") depth += 1;
    }
    return [inside.join(" ")];
  });
}

const places: Record<string, (() => Promise<Place>) | undefined> = {
  sqlite: async () => onFile(),
  ...(servers.postgres && { postgres: () => onServer(servers.postgres!) }),
  ...(servers.mariadb && { mariadb: () => onServer(servers.mariadb!) }),
};

afterAll(async () => {
  for (const engine of Object.values(servers)) await engine?.close();
});

describe.each(["sqlite", "postgres", "mariadb"])("a grown %s database", dialect => {
  const make = places[dialect];
  const { made, own, alone, later } = fixture(dialect);

  test.runIf(make)("is adopted, and its models make the same of an empty database", async () => {
    const [place, reference, empty] = [await make!(), await make!(), await make!()];
    await place.run(made + alone);
    await reference.run(made);
    const before = place.dump();
    const studio = place.studio();

    const adopted = studio.ok("adopt");
    expect(adopted).toContain("makes the same schema");
    const namesIn = (text: string) => [
      ...text.matchAll(
        /^CREATE (?:MATERIALIZED |VIRTUAL )?(?:VIEW|TRIGGER|TABLE|RULE|POLICY|SEQUENCE|FUNCTION|PROCEDURE|EVENT) (?:"[\w ]+"\.)?[`"]?(\w+)/gm,
      ),
    ];
    const [files, left] = [namesIn(own), namesIn(alone)];
    expect(Math.min(files.length, left.length)).toBeGreaterThan(1);
    for (const [, name] of files) expect(adopted).toContain(`objects/${name!}`);
    for (const [, name] of left) expect(adopted).toMatch(new RegExp(`^  [\\w ]+ ${name!}\\b`, "m"));
    expect(place.dump()).toEqual(before);
    expect(studio.ok("compare", "--from", "target:local", "--to", "models", "--strict")).toContain(
      "no difference",
    );
    expect(studio.ok("status", "--strict")).toContain("1 run · 0 pending · no drift");
    expect(compileStrictly(studio)).toBe("");

    const copy = empty.studio();
    for (const folder of ["models", "objects"])
      cpSync(studio.path(folder), copy.path(folder), { recursive: true });
    copy.ok("draft", "all of it");
    copy.ok("forward");
    expect(empty.dump()).toEqual(reference.dump());
    copy.ok("back", "--yes");
    expect(empty.dump()).toEqual((await make!()).dump());
  });

  test.runIf(make)("takes the way to a later one, drafted from the models of both, and back", async () => {
    const [old, fresh] = [await make!(), await make!()];
    await old.run(made);
    await fresh.run(made + later);
    const [studio, other] = [old.studio(), fresh.studio()];
    const before = old.dump(true);
    studio.ok("adopt");
    other.ok("adopt");
    for (const folder of ["models", "objects"]) {
      rmSync(studio.path(folder), { recursive: true });
      cpSync(other.path(folder), studio.path(folder), { recursive: true });
    }
    studio.ok("draft", "what happened later");
    studio.ok("forward", "--yes");
    expect(old.dump(true)).toEqual(fresh.dump(true));
    expect(studio.ok("status", "--strict")).toContain("no drift");
    studio.ok("back", "--yes");
    expect(old.dump(true)).toEqual(before);
  });
});

/** Columns that somebody adds by hand, each with something that a class says in its own way. */
const BY_HAND = [
  "mark varchar(20)",
  "dues integer CHECK (dues >= 0)",
  "kind varchar(9) NOT NULL DEFAULT 'cup' CHECK (kind IN ('cup', 'bowl'))",
  "cost decimal(8,2)",
  "made date",
  "small smallint",
  "flag boolean NOT NULL DEFAULT false CHECK (flag IN (false, true))",
];

test.each(Object.entries(places))(
  "%s: with the lines that drift comes with in the classes, nothing differs",
  async (dialect, make) => {
    const place = await make!();
    const studio = place.studio();
    const imports = (text: string) =>
      `import { ${[...new Set([...text.matchAll(/@(Is\w+|Min|MaxLength)\b/g)].map(([, name]) => name))].join(", ")} } from "class-validator";\nimport { Field, Stored, sql } from "emberset";\n`;
    const model = (lines: readonly string[]) => {
      const parts = lines.filter(line => line.startsWith("@Stored: ")).map(line => line.slice(9));
      const fields = [
        "@IsString() @MaxLength(40) title!: string;",
        ...lines.filter(line => !line.startsWith("@Stored: ")),
      ];
      const body = `@Stored({ ${parts.join(", ")} })\nexport class Piece {\n${fields.join("\n")}\n}\n`;
      studio.write("models/piece.ts", imports(body) + body);
    };
    model([]);
    studio.ok("draft", "first");
    studio.ok("forward");
    const columns = BY_HAND.filter(each => dialect !== "postgres" || !each.startsWith("flag"));
    for (const column of columns) await place.run(`ALTER TABLE pieces ADD COLUMN ${column}`);
    await place.run("CREATE UNIQUE INDEX by_mark ON pieces (mark)");
    const taken = studio.ok("adopt", "--drift");
    const lines = [.../^  Piece:\n((?: {4}.*\n)+)/m.exec(taken)![1]!.matchAll(/^ {4}(.*)$/gm)].map(
      ([, line]) => line!,
    );
    expect(lines.length).toBeGreaterThanOrEqual(columns.length);
    expect(studio.ok("status", "--strict")).toContain("no drift");
    model(lines);
    expect(studio.ok("compare")).toContain("no difference");
  },
);

describe.runIf(servers.mariadb)("on MariaDB, what a server hides from its user", () => {
  const userOn = async (grants: string) => {
    const place = await onServer(servers.mariadb!);
    await place.run(
      "CREATE TABLE a (id int PRIMARY KEY); CREATE TABLE b (a int, c int, FOREIGN KEY (a) REFERENCES a (id))",
    );
    const user = `'looker${process.pid}'@'%'`;
    await place.run(
      `CREATE USER ${user} IDENTIFIED BY 'hush'; GRANT ${grants.replace("$", place.database)} TO ${user}`,
    );
    onTestFinished(() => servers.mariadb!.run(`DROP USER ${user}`));
    const studio = place.studio();
    const url = studio.read("emberset.config.ts").replace(/\/\/[^@]*@/, `//looker${process.pid}:hush@`);
    return studio.write("emberset.config.ts", url);
  };

  test.each(["SELECT ON $.*", "SELECT (id) ON $.a"])("is not read in part: %s", async grants => {
    const studio = await userOn(grants);
    for (const command of ["adopt", "describe"]) {
      const { status, stderr } = studio.emberset(command);
      expect([status, stderr]).toEqual([4, expect.stringMatching(/^E415 (?![^]*hush)/)]);
    }
  });

  test("is not broken unseen, and the right that is missing is named", async () => {
    const studio = await userOn(
      "SELECT, INSERT, UPDATE, DELETE, CREATE, DROP, ALTER, INDEX, REFERENCES, LOCK TABLES ON $.*",
    );
    studio.ok("adopt");
    studio.ok("draft", "--blank", "by hand");
    studio.write("migrations/0002-by-hand/forward.mariadb.sql", "ALTER TABLE b DROP COLUMN c;\n");
    expect(studio.emberset("forward", "--yes").stderr).toMatch(/^E415 [^]*GRANT TRIGGER, SHOW VIEW ON/);
    expect(studio.emberset("rehearse").stderr).toMatch(/^E414 [^]*emberset\\_scratch/);
  });
});

test.runIf(servers.postgres)(
  "where nobody may make a database, the baseline is tried on an embedded one",
  async () => {
    const place = await onServer(servers.postgres!);
    const user = `potter${process.pid}`;
    await place.run(
      `CREATE ROLE ${user} LOGIN PASSWORD 'hush'; GRANT ALL ON SCHEMA public TO ${user}; SET ROLE ${user}; CREATE TABLE pots (id serial PRIMARY KEY, name text NOT NULL CHECK (name <> ''))`,
    );
    onTestFinished(async () => {
      await place.run(`DROP OWNED BY ${user}`);
      await servers.postgres!.run(`DROP ROLE ${user}`);
    });
    const studio = place.studio();
    studio.write(
      "emberset.config.ts",
      studio.read("emberset.config.ts").replace(/\/\/[^@]*@/, `//${user}:hush@`),
    );
    expect(studio.ok("adopt")).toContain(
      "Proven: on an embedded PostgreSQL the baseline makes the same schema",
    );
  },
);

test("what is in the way of adopting is told, and nothing is written", () => {
  const studio = new Studio({
    "emberset.config.ts":
      'export default { models: ["models/*.ts"], targets: { local: { dialect: "sqlite", file: "studio.db" } } };\n',
  });
  studio.sql("", "studio.db");
  expect(studio.emberset("adopt").stderr).toMatch(/^E112 The database has no tables/);
  studio.sql("CREATE TABLE pots (id INTEGER PRIMARY KEY)", "studio.db");
  studio.write("models/own.ts", "export const own = 1;\n");
  expect(studio.emberset("adopt").stderr).toMatch(/^E111 There are models already[^]*models\/own\.ts/);
  expect(studio.read("models/own.ts")).toBe("export const own = 1;\n");
  expect(studio.rows("SELECT name FROM sqlite_schema", "studio.db")).toEqual([["pots"]]);
});

test("a new table is taken in beside classes as they are called; a ledger of somebody else's is none to adopt", () => {
  const studio = new Studio({
    "emberset.config.ts": `export default { targets: { local: { dialect: "sqlite", file: "kiln-house.db" } } };`,
    "models/all.ts":
      'import { IsString } from "class-validator"; import { Stored } from "emberset";\n@Stored({ table: "makers" }) export class Potter { @IsString() name!: string; }\n',
  });
  studio.ok("draft", "first");
  studio.ok("forward");
  studio.sql(
    "CREATE TABLE visits (id integer PRIMARY KEY AUTOINCREMENT, maker_id integer REFERENCES makers (id))",
  );
  expect(studio.ok("status")).toContain("beside them, made by no migration: table visits");
  studio.ok("adopt", "--drift");
  expect(studio.read("models/visit.ts")).toContain('import { Potter } from "./all.js";');
  expect(studio.ok("compare")).toContain("no difference");
  const other = new Studio({
    "emberset.config.ts": `export default { targets: { local: { dialect: "sqlite", file: ${JSON.stringify(studio.path("kiln-house.db"))} } } };`,
  });
  const { status, stderr } = other.emberset("adopt");
  expect([status, stderr]).toEqual([3, expect.stringMatching(/^E516 [^]*0001-first, 0002-drift/)]);
});

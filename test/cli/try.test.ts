import { readdirSync } from "node:fs";
import { afterAll, describe, expect, test } from "vitest";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { Studio } from "./studio.js";

const engines = { SQLite: undefined, PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };

interface TryJson {
  readonly rows: Readonly<Record<string, number>>;
  readonly results: readonly {
    readonly rows: readonly Record<string, unknown>[];
    readonly advice?: readonly {
      readonly table: string;
      readonly columns: readonly string[];
      readonly model: string;
    }[];
  }[];
}

describe.each(Object.entries(engines))("on %s", (title, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine ?? title === "SQLite")(
    "a query runs on the models with rows made up or from files, says what index it lacks, and leaves no trace",
    async () => {
      const target = engine
        ? `dialect: "${engine.dialect.name}", url: "${engine.url}"`
        : `dialect: "sqlite", file: "studio.db"`;
      const studio = new Studio({
        "emberset.config.ts": `export default { targets: { local: { ${target} } } };\n`,
      }).useModels("v2");
      const before = readdirSync(studio.folder, { recursive: true }).sort();
      const query = "SELECT p.title FROM pieces AS p WHERE p.price = 30 ORDER BY p.title";
      const { rows, results } = studio.json<TryJson>(
        "try",
        `${query}; SELECT count(*) AS n FROM pieces`,
        "--rows",
        "30",
        "--rows",
        "pieces=300",
        "--plan",
      );
      expect(rows).toMatchObject({ pieces: 300, potters: 30, pieces_glazes: 30 });
      expect(results.map(each => each.advice)).toEqual([
        [{ table: "pieces", columns: ["price"], model: "@Field({ index: true }) on Piece.price" }],
        [],
      ]);
      expect(Number(results[1]!.rows[0]!["n"])).toBe(300);
      studio.write("rows/kilns.csv", "id,name,fuel,volume_litres\n1,Old Bertha,wood,900\n");
      expect(studio.ok("try", "SELECT name, volume_litres FROM kilns", "--from", "rows", "--csv")).toBe(
        "name,volume_litres\nOld Bertha,900\n",
      );
      const refused = studio.emberset("try", "SELECT nothing FROM kilns");
      expect([refused.status, refused.stderr]).toEqual([
        4,
        expect.stringMatching(/^E138 [^]*received SELECT nothing FROM kilns/),
      ]);
      const table = studio.ok(
        "try",
        "SELECT id, name FROM potters ORDER BY id",
        "--limit",
        "2",
        "--rows",
        "3",
      );
      expect(table).toMatch(/^ +id {2}name\n +1 {2}\S.*\n +2 {2}\S.*\n +3 rows, 2 of them shown, /);
      expect(
        readdirSync(studio.folder, { recursive: true })
          .filter(name => !String(name).startsWith("rows"))
          .sort(),
      ).toEqual(before);
      const left =
        engine?.dialect.name === "postgres"
          ? "SELECT datname FROM pg_database WHERE datname LIKE 'emberset_scratch_%'"
          : "SELECT SCHEMA_NAME FROM information_schema.SCHEMATA WHERE SCHEMA_NAME LIKE 'emberset_scratch_%'";
      if (engine) expect((await engine.rows(left)).length).toBeLessThan(3);
      if (engine) expect((await engine.readCatalog()).schema.tables).toEqual([]);
    },
  );
});

test("without a query and without a terminal it says what is missing; with several, the first that is refused ends it", () => {
  const studio = new Studio({
    "emberset.config.ts": `export default { targets: { local: { dialect: "sqlite", file: "studio.db" } } };\n`,
  }).useModels("v1");
  expect(studio.emberset("try").stderr).toMatch(/^E137 /);
  expect(studio.emberset("try", " ; ").stderr).toMatch(/^E137 /);
  studio.write("all.sql", "SELECT 1 AS one;\nSELECT 2 AS two;\n");
  expect(studio.ok("try", "--file", "all.sql")).toMatch(/one\n +1\n[^]*two\n +2\n/);
  expect(studio.json("try", "SELECT 1 AS one; SELEC 2; SELECT 3")).toMatchObject({
    error: { code: "E138", received: "SELEC 2" },
  });
  expect(studio.emberset("try", "SELECT 1", "--rows", "many").stderr).toMatch(/^E136 /);
  expect(studio.emberset("try", "SELECT 1", "--rows", "pots=3").stderr).toMatch(/^E107 /);
});

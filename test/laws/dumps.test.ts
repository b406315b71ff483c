import fc from "fast-check";
import { afterAll, describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import { invert } from "../../src/core/change/invert.js";
import type { Change } from "../../src/core/change/types.js";
import { blocksFor } from "../../src/core/plan/plan.js";
import { EMPTY_SCHEMA, type Schema } from "../../src/core/schema/types.js";
import type { Database } from "../../src/database/session/database.js";
import { withScratch } from "../../src/database/open.js";
import { dumpServer, sortDump } from "../engines/dump.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { sqliteEngine } from "../engines/sqlite.js";
import { withObjects } from "./arbitrary-objects.js";
import { arbitrarySchema, hintsBetween } from "./arbitrary-schema.js";
import { PATIENCE, RUNS, SEED } from "./runs.js";
import { described } from "./there-and-back.js";

const engines = {
  PostgreSQL: await postgresEngine(),
  MariaDB: await mariadbEngine(),
  SQLite: sqliteEngine(),
};

/** SQLite writes a table as it was sent: what is dumped are views and triggers. */
const SQLITE_DUMP =
  "SELECT sql FROM sqlite_schema WHERE type IN ('view', 'trigger') AND tbl_name NOT LIKE 'emberset%' ORDER BY name";

describe.each(Object.entries(engines))("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());

  const change = async (database: Database, before: Schema, changes: readonly Change[]) => {
    for (const { statements } of blocksFor(database.dialect, before, changes))
      for (const statement of statements) await database.runScripted(statement);
  };
  const dump = async ({ dialect, target, rows }: Database) => {
    if (!dialect.onServer) return (await rows(SQLITE_DUMP)).map(({ sql }) => String(sql));
    const url = new URL(target.address);
    return sortDump(dumpServer(dialect.name, url, decodeURIComponent(url.pathname.slice(1))));
  };
  const fresh = (database: Database, schema: Schema) =>
    withScratch(database.target, {}, async scratch => {
      await change(scratch.database, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema));
      return await dump(scratch.database);
    });

  const isDumpedAlike = async (a: Schema, b: Schema, seed: number) => {
    await engine!.empty();
    const database = await engine!.open();
    try {
      await change(database, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, a));
      const before = await dump(database);
      const changes = diff(a, b, hintsBetween(a, b, seed));
      const reached = apply(a, changes);
      const text = blocksFor(database.dialect, a, changes)
        .flatMap(({ statements }) => statements)
        .join(";\n");
      await change(database, a, changes).catch((error: unknown) => {
        throw described(error, text);
      });
      expect(await dump(database), text).toEqual(await fresh(database, reached));
      await change(database, reached, invert(changes));
      expect(await dump(database), text).toEqual(before);
    } finally {
      await database.close();
    }
  };

  test.runIf(engine && name !== "SQLite")(
    "the server's own dump tells no migrated database from one that was built anew",
    async () => {
      const without = name === "MariaDB" ? "🏺" : "";
      const schema = arbitrarySchema({ without, hostile: true });
      await fc.assert(fc.asyncProperty(schema, schema, fc.nat(30), isDumpedAlike), {
        seed: SEED,
        numRuns: Math.ceil(RUNS / 12),
      });
    },
    PATIENCE,
  );

  test.runIf(engine)(
    "so it is with objects over the tables, whatever comes, goes and changes of either",
    async () => {
      const schema = arbitrarySchema({ without: name === "MariaDB" ? "🏺" : "", hostile: true });
      const made = (given: Schema, seed: number) => withObjects(given, engine!.dialect, seed);
      let met = 0;
      await fc.assert(
        fc.asyncProperty(schema, schema, fc.nat(30), fc.nat(), fc.nat(), async (a, b, seed, old, now) => {
          const [before, after] = [made(a, old), made(b, now)];
          met += (before.definitions ?? []).length;
          await isDumpedAlike(before, after, seed);
        }),
        { seed: SEED, numRuns: Math.ceil(RUNS / 10) },
      );
      expect(met).toBeGreaterThan(0);
    },
    PATIENCE,
  );
});

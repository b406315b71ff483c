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
import { arbitrarySchema, hintsBetween } from "./arbitrary-schema.js";
import { PATIENCE, RUNS, SEED } from "./runs.js";

const engines = { PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };

describe.each(Object.entries(engines))("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());

  const change = async (database: Database, before: Schema, changes: readonly Change[]) => {
    for (const { statements } of blocksFor(database.dialect, before, changes))
      for (const statement of statements) await database.runScripted(statement);
  };
  const dump = ({ dialect, target }: Database) => {
    const url = new URL(target.address);
    return sortDump(dumpServer(dialect.name, url, decodeURIComponent(url.pathname.slice(1))));
  };
  const fresh = (database: Database, schema: Schema) =>
    withScratch(database.target, {}, async scratch => {
      await change(scratch.database, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema));
      return dump(scratch.database);
    });

  test.runIf(engine)(
    "the server's own dump tells no migrated database from one that was built anew",
    async () => {
      const without = name === "MariaDB" ? "🏺" : "";
      const schema = arbitrarySchema({ without, hostile: true });
      await fc.assert(
        fc.asyncProperty(schema, schema, fc.nat(30), async (a, b, seed) => {
          await engine!.empty();
          const database = await engine!.open();
          try {
            await change(database, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, a));
            const before = dump(database);
            const changes = diff(a, b, hintsBetween(a, b, seed));
            const reached = apply(a, changes);
            await change(database, a, changes);
            expect(dump(database)).toEqual(await fresh(database, reached));
            await change(database, reached, invert(changes));
            expect(dump(database)).toEqual(before);
          } finally {
            await database.close();
          }
        }),
        { seed: SEED, numRuns: Math.ceil(RUNS / 12) },
      );
    },
    PATIENCE,
  );
});

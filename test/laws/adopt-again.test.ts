import fc from "fast-check";
import { afterAll, describe, expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import { describeChange, describeDetail } from "../../src/core/change/words.js";
import { writeModels, type ModelFile } from "../../src/core/model/write/write-models.js";
import { blocksFor } from "../../src/core/plan/plan.js";
import { EMPTY_SCHEMA, type Schema } from "../../src/core/schema/types.js";
import type { Database } from "../../src/database/session/database.js";
import { readHeld } from "../../src/tasks/adopt.js";
import { dumpServer, sortDump } from "../engines/dump.js";
import type { Engine } from "../engines/engine.js";
import { arbitrarySchema } from "./arbitrary-schema.js";
import { NAMING, readClasses } from "./read-classes.js";
import { loadSchema, SCHEMAS } from "./real-schemas.js";
import { PATIENCE, RUNS, SEED } from "./runs.js";
import { setUp } from "./surroundings.js";
import { allEngines } from "./there-and-back.js";

describe.each(await allEngines())("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine && !name.startsWith("embedded"))(
    "what is built of adopted classes is adopted as the same classes, and its dump is the same",
    async () => {
      const schema = arbitrarySchema({ without: name === "MariaDB" ? "🏺" : "", hostile: true });
      let lines = 0;
      await fc.assert(
        fc.asyncProperty(schema, fc.nat(10), async (made, turn) => {
          const first = await builtAndRead(engine!, made, turn);
          const { schema: said } = readClasses(first.files, engine!.dialect);
          const second = await builtAndRead(engine!, said, turn);
          const { unspell } = engine!.dialect.types;
          expect(
            diff(unspell(first.held), unspell(second.held)).map(
              change => `${describeChange(change)}: ${describeDetail(change)}`,
            ),
          ).toEqual([]);
          expect(textsOf(second.files)).toEqual(textsOf(first.files));
          expect(second.dump).toEqual(first.dump);
          for (const { text } of first.files) lines += text.split("\n").length;
        }),
        {
          seed: SEED,
          numRuns: Math.ceil(RUNS / 15),
          ...(process.env["LAW_TELL"] && { endOnFailure: true }),
        },
      );
      expect(lines).toBeGreaterThan(RUNS / 2);
    },
    PATIENCE,
  );

  const own = SCHEMAS.filter(({ dialect }) => dialect === engine?.dialect.name);
  test.runIf(engine && !name.startsWith("embedded") && own.length > 0).each(own)(
    "the classes that are adopted of $name say all that it holds",
    async ({ file }) => {
      await engine!.empty();
      const first = await read(engine!, database => loadSchema(database, file));
      const { schema } = readClasses(first.files, engine!.dialect);
      const second = await builtAndRead(engine!, schema, 0);
      const { unspell } = engine!.dialect.types;
      expect(diff(unspell(first.held), unspell(second.held)).map(describeChange)).toEqual([]);
    },
    PATIENCE,
  );
});

/** A database with nothing but a schema in it: what it holds, the classes that are written for that, and its dump. */
async function builtAndRead(engine: Engine, schema: Schema, turn: number) {
  await engine.empty();
  await setUp(engine, turn);
  return read(engine, async database => {
    for (const { statements } of blocksFor(engine.dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)))
      for (const statement of statements) await database.runScripted(statement);
  });
}

async function read(engine: Engine, fill: (database: Database) => Promise<void>) {
  const database = await engine.open();
  try {
    await fill(database);
    const { held } = await readHeld(database);
    const raised = engine.dialect.types.raise(engine.dialect.types.unspell(held));
    const files = writeModels(raised, { dialect: engine.dialect, naming: NAMING });
    return { held, files, dump: await dumpOf(database) };
  } finally {
    await database.close();
  }
}

/** The lines of each file; which of two tables was made first is nobody's choice where they refer to each other. */
function textsOf(files: readonly ModelFile[]): string[] {
  return files.map(({ path, text }) => [path, ...text.split("\n").toSorted()].join("\n")).toSorted();
}

/** The definitions as the engine tells them, whatever their order. */
async function dumpOf({ dialect, target, rows }: Database): Promise<string[]> {
  if (dialect.name === "sqlite") {
    const found = await rows("SELECT sql FROM sqlite_schema WHERE sql IS NOT NULL");
    return sortDump(found.map(row => String(row["sql"])).join(";\n"));
  }
  const url = new URL(target.address);
  return sortDump(dumpServer(dialect.name, url, decodeURIComponent(url.pathname.slice(1))));
}

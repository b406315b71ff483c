import fc from "fast-check";
import { createConnection } from "mysql2/promise";
import { afterAll, describe, expect, test } from "vitest";
import { splitStatements } from "../../src/core/sql/statements.js";
import { takenBy } from "../../src/core/sql/takes.js";
import { allEngines } from "./there-and-back.js";
import { RUNS, SEED } from "./runs.js";

/** What opens and closes strings and comments on some engine or another. */
const AROUND = [
  ["'", "'"],
  ["E'", "'"],
  ["'\\'", "'"],
  ["E'\\'", "'"],
  ["1 /*", "*/"],
  ["1 /* /*", "*/ */"],
  ["1 /*!", "*/"],
  ["1 /*M!100000", "*/"],
  ["1 --", "\n"],
  ["1 -- ", "\n"],
  ["1 #", "\n"],
  ["$$", "$$"],
  ["$a$", "$a$"],
  ['1 as "', '"'],
  ["1 as `", "`"],
  ["", ""],
] as const;

/** What may stand within, and end it there, or not. */
const WITHIN = [
  ...["''", "\\'", "\\", "*/", "/*", "--1", "\n", "$$", " x "],
  ...AROUND.map(([open, close]) => `${close} ; delete from things ; select ${open}`),
  ...AROUND.map(([open, close]) => `\\${close} ; delete from things ; select ${open}`),
];

describe.each(await allEngines())("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine && !name.startsWith("embedded"))(
    "a script that deletes rows is told to, wherever the statement stands",
    async () => {
      const { dialect, url } = engine!;
      const isMariadb = dialect.name === "mariadb";
      const many = isMariadb ? await createConnection({ uri: url, multipleStatements: true }) : undefined;
      const send = async (sql: string) => (many ? void (await many.query(sql)) : engine!.run(sql));
      const restore =
        "DROP TABLE IF EXISTS things; CREATE TABLE things (id int); INSERT INTO things VALUES (1)";
      await send(restore);
      const part = fc.tuple(
        fc.constantFrom(...AROUND),
        fc.array(fc.constantFrom(...WITHIN), { maxLength: 4 }),
      );
      const script = fc
        .array(part, { minLength: 1, maxLength: 3 })
        .map(parts =>
          parts.map(([[open, close], within]) => `select ${open}${within.join("")}${close} ;`).join("\n"),
        );
      let gone = 0;
      await fc.assert(
        fc.asyncProperty(script, async sql => {
          const isRefused = await send(sql).then(
            () => false,
            () => true,
          );
          // PostgreSQL undoes the whole of what it was sent at once.
          const [row] = await engine!.rows("SELECT count(*) AS n FROM things").catch(() => [{ n: 0 }]);
          if (Number(row?.["n"]) === 1) return;
          gone += 1;
          await send(restore);
          const told = takenBy(splitStatements(sql, dialect.tokens), dialect.tokens);
          expect(
            told.map(({ kind }) => kind),
            `${JSON.stringify(sql)} ${String(isRefused)}`,
          ).toEqual(expect.arrayContaining([expect.stringMatching(/deletes|drops|opaque/)]));
        }),
        { seed: SEED, numRuns: RUNS * 10 },
      );
      await many?.end();
      expect(gone).toBeGreaterThan(RUNS / 4);
    },
    120_000,
  );
});

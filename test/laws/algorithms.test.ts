import fc from "fast-check";
import { afterAll, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import { invert } from "../../src/core/change/invert.js";
import { planFor } from "../../src/core/plan/plan.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { arbitrarySchema, hintsBetween } from "./arbitrary-schema.js";
import { PATIENCE, RUNS, SEED } from "./runs.js";
import { buildWithRows } from "./there-and-back.js";

const engine = await mariadbEngine();
afterAll(async () => {
  await engine?.run("UNLOCK TABLES");
  await engine?.close();
});

const ALGORITHMS = ["INSTANT", "NOCOPY", "INPLACE"];
const ASKED = /,\s+ALGORITHM=(INSTANT|NOCOPY|INPLACE)(?:,\s+LOCK=NONE)?$/;
/** https://mariadb.com/kb/en/mariadb-error-code-reference/ */
const NOT_TO_BE_HAD = /^ER_ALTER_OPERATION_NOT_SUPPORTED/;

test.runIf(engine)(
  "what an ALTER TABLE asks for is to be had, and hardly ever anything cheaper",
  async () => {
    const told = { asked: 0, loose: 0, copies: 0, copiesLoose: 0 };
    const codeOf = (sql: string) =>
      engine!.run(sql).then(
        () => "",
        (error: unknown) => String((error as { code: string }).code),
      );
    const schema = arbitrarySchema({ without: "🏺" });
    await fc.assert(
      fc.asyncProperty(schema, schema, fc.nat(30), fc.boolean(), async (a, b, seed, isThere) => {
        await engine!.run("UNLOCK TABLES");
        await engine!.run("SET foreign_key_checks = 1");
        await engine!.empty();
        const database = await engine!.open();
        await buildWithRows(database, a);
        await database.close();
        const changes = diff(a, b, hintsBetween(a, b, seed));
        const keeping = { number: "0001" } as const;
        const ways = [
          planFor(engine!.dialect, a, changes, { ...keeping, direction: "forward" }),
          planFor(engine!.dialect, apply(a, changes), invert(changes), { ...keeping, direction: "back" }),
        ];
        const { blocks: blocksOf, depending } = engine!.dialect.render;
        // As it is estimated where the database can be asked how it was made.
        const made = isThere && depending ? await engine!.rows(depending.query) : undefined;
        const blocks = ways.flatMap(plan => blocksOf(made ? depending!.asThere(plan, made) : plan));
        for (const sql of blocks.flatMap(({ statements }) => statements)) {
          const [asked, algorithm] = ASKED.exec(sql) ?? [];
          const bare = asked === undefined ? sql : sql.slice(0, -asked.length);
          const isCopied = /^ALTER TABLE `(?!emberset_attic_)/.test(sql) && !/ALGORITHM=/.test(sql);
          const cheaper = isCopied ? ALGORITHMS : ALGORITHMS.slice(0, ALGORITHMS.indexOf(algorithm ?? ""));
          let code: string | undefined;
          for (const each of asked === undefined && !isCopied ? [] : cheaper) {
            const tried = await codeOf(`${bare}, ALGORITHM=${each}`);
            if (NOT_TO_BE_HAD.test(tried)) continue;
            code = tried;
            if (tried === "") {
              if (isCopied) told.copiesLoose += 1;
              else told.loose += 1;
              if (process.env["LAW_TELL"]) process.stdout.write(`${each}: ${sql}\n`);
            }
            break;
          }
          if (asked !== undefined) told.asked += 1;
          if (isCopied) told.copies += 1;
          code ??= await codeOf(sql);
          expect([NOT_TO_BE_HAD.test(code), sql]).toEqual([false, sql]);
          // What rows refuse is another law's.
          if (code !== "") return;
        }
      }),
      { seed: SEED, numRuns: Math.ceil(RUNS / 4) },
    );
    if (process.env["LAW_TELL"]) process.stdout.write(`${JSON.stringify(told)}\n`);
    expect(told.asked).toBeGreaterThan(RUNS / 4);
    expect(told.loose).toBeLessThan(told.asked / 10);
  },
  PATIENCE,
);

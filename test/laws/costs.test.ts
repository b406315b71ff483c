import fc from "fast-check";
import { afterAll, expect, test } from "vitest";
import { diff } from "../../src/core/change/diff.js";
import { asOnline } from "../../src/core/plan/online.js";
import { planFor } from "../../src/core/plan/plan.js";
import { addressOf } from "../../src/core/schema/address.js";
import { postgresEngine } from "../engines/postgres.js";
import { arbitrarySchema, hintsBetween } from "./arbitrary-schema.js";
import { withSmallChanges } from "./small-changes.js";
import { PATIENCE, RUNS, SEED } from "./runs.js";
import { buildWithRows } from "./there-and-back.js";

const engine = await postgresEngine();
afterAll(async () => {
  await engine?.run("ROLLBACK");
  await engine?.close();
});

/** Whether a lock keeps writers off, and whether readers too: https://www.postgresql.org/docs/15/explicit-locking.html */
const KEEPS_OFF: Readonly<Record<string, "writers" | "everyone">> = {
  ShareLock: "writers",
  ShareRowExclusiveLock: "writers",
  ExclusiveLock: "writers",
  AccessExclusiveLock: "everyone",
};

const LOCKS_BY_STRENGTH = [
  ["AccessShareLock", "ACCESS SHARE"],
  ["RowExclusiveLock", "ROW EXCLUSIVE"],
  ["ShareUpdateExclusiveLock", "SHARE UPDATE EXCLUSIVE"],
  ["ShareLock", "SHARE"],
  ["ShareRowExclusiveLock", "SHARE ROW EXCLUSIVE"],
  ["AccessExclusiveLock", "ACCESS EXCLUSIVE"],
] as const;

const TABLES = `SELECT c.oid::int8 AS oid, pg_relation_filenode(c.oid)::int8 AS file,
    CASE WHEN n.nspname = current_schema() THEN c.relname ELSE n.nspname || '.' || c.relname END AS name
  FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.relkind = 'r' AND n.nspname NOT LIKE 'pg\\_%' AND n.nspname <> 'information_schema'`;
const LOCKS =
  "SELECT relation::int8 AS oid, mode FROM pg_locks WHERE pid = pg_backend_pid() AND locktype = 'relation'";

test.runIf(engine)(
  "what a statement costs is what the server does: which tables are written anew, and who waits",
  async () => {
    const told = { written: 0, read: 0, quick: 0 };
    const schema = arbitrarySchema({ without: "" });
    await fc.assert(
      fc.asyncProperty(schema, schema, fc.nat(30), async (a, b, seed) => {
        await engine!.run("ROLLBACK");
        await engine!.empty();
        const database = await engine!.open();
        await buildWithRows(database, a);
        await database.close();
        const changes = diff(a, b, hintsBetween(a, b, seed));
        const plan = planFor(engine!.dialect, a, changes);
        const { blocks, costs } = engine!.dialect.render;
        const byOid = new Map((await engine!.rows(TABLES)).map(row => [Number(row["oid"]), row]));
        const addresses = new Set(plan.before.tables.map(addressOf));
        const converted = new Set(
          plan.changes.flatMap(change =>
            change.kind === "alter column" && change.convert !== undefined ? [change.table] : [],
          ),
        );
        const costsThere = costs(plan, blocks(plan));
        // All of it is one transaction, as the program runs it: what is locked stays so.
        await engine!.run("BEGIN");
        for (const block of blocks(plan))
          for (const sql of block.statements) {
            // What rows refuse is another law's.
            const isDone = await engine!.run(sql).then(
              () => true,
              () => false,
            );
            if (!isDone) return engine!.run("ROLLBACK");
            const files = new Map((await engine!.rows(TABLES)).map(row => [Number(row["oid"]), row]));
            const locks = await engine!.rows(LOCKS);
            const expected = new Map(
              costsThere.flatMap(cost => (cost.sql === sql ? [[cost.table, cost] as const] : [])),
            );
            for (const [oid, { name, file }] of byOid) {
              if (!addresses.has(String(name)) || !files.has(oid)) continue;
              const cost = expected.get(String(name));
              const isRewritten = Number(files.get(oid)!["file"]) !== Number(file);
              byOid.set(oid, { name, file: files.get(oid)!["file"] });
              const isUpdate = /^UPDATE /.test(sql);
              const said = { sql, name, isRewritten: !isUpdate && cost?.work === "written" };
              // That an expression of the developer's own leaves all as it is, the server sees by itself.
              if (said.isRewritten && !isRewritten && converted.has(String(name))) continue;
              expect({ sql, name, isRewritten }).toEqual(said);
              if (cost?.work === "written") told.written += 1;
              else if (cost) told.read += 1;
              else told.quick += 1;
              if (!cost || isUpdate) continue;
              const held = new Set(
                locks.filter(lock => Number(lock["oid"]) === oid).map(({ mode }) => KEEPS_OFF[String(mode)]),
              );
              const strongest = LOCKS_BY_STRENGTH.findLast(([mode]) =>
                locks.some(lock => Number(lock["oid"]) === oid && lock["mode"] === mode),
              );
              expect({ sql, name, lock: strongest?.[1] }).toEqual({ sql, name, lock: cost.lock });
              const waits = held.has("everyone") ? "everyone" : held.has("writers") ? "writers" : "nobody";
              expect({ sql, name, waits }).toEqual({ sql, name, waits: cost.waits });
            }
          }
      }),
      { seed: SEED, numRuns: Math.ceil(RUNS / 4) },
    );
    if (process.env["LAW_TELL"]) process.stdout.write(`${JSON.stringify(told)}\n`);
    expect(Math.min(told.written, told.read)).toBeGreaterThan(RUNS / 40);
  },
  PATIENCE,
);

const READ = `SELECT relid::int8 AS oid, seq_tup_read::int8 + coalesce(idx_tup_fetch, 0)::int8 AS read FROM pg_stat_xact_user_tables`;

test.runIf(engine)(
  "whatever keeps writers off an online script's tables looks at none of their rows, and writes none anew",
  async () => {
    const told = { quick: 0, long: 0 };
    const schema = arbitrarySchema({ without: "" });
    const small = fc
      .tuple(schema, fc.nat(2 ** 30))
      .map(([a, seed]) => [a, withSmallChanges(a, seed)] as const);
    await fc.assert(
      fc.asyncProperty(fc.oneof(small, fc.tuple(schema, schema)), fc.nat(30), async ([a, b], seed) => {
        await engine!.run("ROLLBACK");
        await engine!.empty();
        const database = await engine!.open();
        await buildWithRows(database, a);
        await database.close();
        const { render } = engine!.dialect;
        const plan = asOnline(
          planFor(engine!.dialect, a, diff(a, b, hintsBetween(a, b, seed))),
          engine!.dialect,
        );
        if (!plan.online) return;
        const filesOf = async () =>
          new Map((await engine!.rows(TABLES)).map(({ oid, file }) => [Number(oid), Number(file)]));
        const readsOf = async () =>
          new Map((await engine!.rows(READ)).map(({ oid, read }) => [Number(oid), Number(read)]));
        const there = await filesOf();
        for (const sql of render.blocks(plan).flatMap(({ statements }) => statements)) {
          expect(
            render.costs(plan, [{ title: "", statements: [sql] }]).filter(cost => cost.waits !== "nobody"),
          ).toEqual([]);
          const isApart = render.online!.steps.stepOf(sql).kind === "apart";
          // What a session has counted and not sent yet counts on, whatever was committed since.
          const start = await readsOf();
          const isDone = await engine!.run(isApart ? sql : `BEGIN; ${sql}`).then(
            () => true,
            () => false,
          );
          if (!isDone) return engine!.run("ROLLBACK");
          if (isApart) continue;
          const [files, locks, reads] = [await filesOf(), await engine!.rows(LOCKS), await readsOf()];
          await engine!.run("COMMIT").catch(() => undefined);
          for (const [oid, file] of there) {
            if (!files.has(oid)) continue;
            expect({ sql, isWrittenAnew: files.get(oid) !== file }).toEqual({ sql, isWrittenAnew: false });
            const held = locks.filter(lock => Number(lock["oid"]) === oid);
            const keepsOff = held.some(({ mode }) => KEEPS_OFF[String(mode)] !== undefined);
            // Where the session has sent in between, it counts from nothing.
            const [counted, before] = [reads.get(oid) ?? 0, start.get(oid) ?? 0];
            const read = counted < before ? counted : counted - before;
            if (keepsOff) expect({ sql, read }).toEqual({ sql, read: 0 });
            told[keepsOff ? "quick" : "long"] += read > 0 || keepsOff ? 1 : 0;
          }
        }
      }),
      { seed: SEED, numRuns: Math.ceil(RUNS / 2) },
    );
    if (process.env["LAW_TELL"]) process.stdout.write(`${JSON.stringify(told)}\n`);
    expect(Math.min(told.quick, told.long)).toBeGreaterThan(RUNS / 150);
  },
  PATIENCE,
);

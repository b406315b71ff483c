import { afterAll, describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import { blocksFor } from "../../src/core/plan/plan.js";
import { EMPTY_SCHEMA, type Column, type Schema } from "../../src/core/schema/types.js";
import type { Database } from "../../src/database/session/database.js";
import { ID, table } from "../core/render-cases.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { runner } from "./there-and-back.js";

const engines = { PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };
const ROWS = 40;
const ROUNDS = Number(process.env["LAW_RUNS"] ?? 300) / 50;

const column = (name: string, type: Column["type"]): Column => ({ name, type, nullable: true });
const NOTES = column("notes", { kind: "text" });
const WEIGHT = column("weight", { kind: "integer" });
const pieces = (columns: readonly Column[]): Schema => ({
  tables: [table("pieces", { columns: [ID, ...columns] })],
});

/** What takes the values of notes away, each in another way. */
const WAYS: Readonly<Record<string, Schema>> = {
  "is dropped": pieces([WEIGHT]),
  "becomes another type": pieces([column("notes", { kind: "varchar", length: 60 }), WEIGHT]),
  "goes with its table": { tables: [] },
};

describe.each(Object.entries(engines))("on a real %s", (_, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine).each(Object.entries(WAYS))(
    "whatever another client was told is written is there, or comes back, while a column %s",
    async (_way, b) => {
      const a = pieces([NOTES, WEIGHT]);
      let written = 0;
      for (let round = 0; round < ROUNDS; round += 1) {
        await engine!.empty();
        const [database, client] = [await engine!.open(), await engine!.open()];
        try {
          for (const { statements } of blocksFor(database.dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, a)))
            for (const sql of statements) await database.runScripted(sql);
          for (let id = 1; id <= ROWS; id += 1)
            await database.run(`INSERT INTO pieces (notes) VALUES ('first')`);
          const busy = writeUntil(client);
          const changes = diff(a, b);
          const { run } = runner(database, { a, b: apply(a, changes), changes });
          await run("forward");
          await run("back");
          busy.stop();
          const acknowledged = await busy.done;
          const rows = await database.rows("SELECT id, notes FROM pieces ORDER BY id");
          const held = new Map(rows.map(row => [Number(row["id"]), row["notes"]]));
          for (const [id, value] of acknowledged) expect(held.get(id), `row ${id}`).toBe(value);
          written += acknowledged.size;
        } finally {
          await client.close();
          await database.close();
        }
      }
      expect(written).toBeGreaterThan(ROUNDS);
    },
    600_000,
  );
});

/** Another client that writes one row after the other, and remembers what it was told is written. */
function writeUntil(client: Database) {
  const acknowledged = new Map<number, string>();
  let stopped = false;
  const work = async () => {
    for (let turn = 0; !stopped; turn += 1) {
      const [id, value] = [(turn % ROWS) + 1, `written ${turn}`];
      await client.run(`UPDATE pieces SET notes = '${value}' WHERE id = ${id}`).then(
        () => acknowledged.set(id, value),
        // Refused, so it need not be there.
        () => new Promise(resolve => setTimeout(resolve, 1)),
      );
    }
    return acknowledged;
  };
  return { stop: () => (stopped = true), done: work() };
}

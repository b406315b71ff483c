import { diff } from "../src/core/change/diff.js";
import { invert } from "../src/core/change/invert.js";
import { order } from "../src/core/change/order.js";
import type { Schema, Table } from "../src/core/schema/types.js";

/** Made-up tables of twelve columns; each refers to two others, in circles too. `later`: a tenth of them has changed. */
function madeUp(count: number, later: boolean): Schema {
  const tables = Array.from({ length: count }, (_, at): Table => {
    const name = `table_${later && at % 50 === 0 ? at + count : at}`;
    const references = [(at * 7 + 1) % count, (at * 13 + 5) % count].filter(
      other => !(later && other % 50 === 0),
    );
    return {
      name,
      columns: [
        { name: "id", type: { kind: "integer" }, nullable: false, identity: "serial" },
        ...Array.from({ length: 9 }, (_, column) => ({
          name: `field_${column}`,
          type: { kind: "varchar", length: later && at % 10 === 1 ? 90 : 80 } as const,
          nullable: column % 2 === 0,
        })),
        ...references.map(
          (_, index) => ({ name: `other_${index}_id`, type: { kind: "integer" }, nullable: true }) as const,
        ),
      ],
      key: { name: `pk_${name}`, columns: ["id"] },
      uniques: [{ name: `uq_${name}_field_0`, columns: ["field_0"] }],
      indexes: [{ name: `ix_${name}_field_1`, parts: [{ column: "field_1" }] }],
      foreignKeys: references.map((other, index) => ({
        name: `fk_${name}_other_${index}_id`,
        columns: [`other_${index}_id`],
        references: { table: `table_${other}`, columns: ["id"] },
        onDelete: "restrict",
        onUpdate: "no action",
      })),
      checks: [
        {
          name: `ck_${name}_field_2`,
          rules: [{ kind: "max length", column: "field_2", value: later ? 80 : 70 }],
        },
      ],
    };
  });
  return { tables };
}

/** The best of several runs, in milliseconds: from nothing to the schema, from it to a later one, and back. */
function time(count: number): number {
  const [first, second] = [madeUp(count, false), madeUp(count, true)];
  const runs = Array.from({ length: 9 }, () => {
    const start = performance.now();
    const made = diff({ tables: [] }, first);
    const changed = diff(first, second);
    const back = order(invert(changed));
    if (made.length === 0 || changed.length === 0 || back.length === 0)
      throw new Error("nothing was compared");
    return performance.now() - start;
  });
  return Math.min(...runs);
}

time(200);
const [small, large] = [time(200), time(2000)];
process.stdout.write(JSON.stringify({ small, large }));

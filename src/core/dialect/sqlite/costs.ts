import type { Change } from "../../change/types.js";
import { indexesOf, tablesByName, type Cost } from "../shared/costs.js";
import type { Block, RenderPlan } from "../shared/render-plan.js";
import { quote } from "./names.js";
import { worksOf } from "./render/works.js";

const INDEX = /^CREATE (?:UNIQUE )?INDEX "(?:[^"]|"")+" ON ("(?:[^"]|"")+")/;

/** One writes at a time: https://sqlite.org/lockingv3.html#reserved_lock */
const LOCK = "RESERVED";

/** A column that comes with a check, to which all rows are held: https://sqlite.org/lang_altertable.html#altertabaddcol */
const CHECKED = /^ALTER TABLE ("(?:[^"]|"")+") ADD COLUMN (?:[^']|'(?:[^']|'')*')* CHECK \(/;

/** What is built anew is written row by row; nobody else writes to the file meanwhile: https://sqlite.org/lockingv3.html */
export function costsOf(plan: RenderPlan, blocks: readonly Block[]): Cost[] {
  const tables = tablesByName(plan, quote);
  const works = worksOf(plan);
  const written = works.filter(({ rebuilt, changes }) => rebuilt || changes.some(purges));
  const read = works.filter(
    ({ restated, to, changes }) => restated && (checksRows(blocks, to) || changes.some(refers)),
  );
  const statements = blocks.flatMap(block => block.statements);
  const about = (name: string) => statements.find(sql => sql.includes(quote(name))) ?? "";
  return [
    ...written.map(({ from, to, rebuilt }): Cost => {
      // What a column held is taken out of each row in its place.
      const readings = rebuilt ? 2.4 + 1.2 * indexesOf(plan, from) : 1.3;
      return { table: from, work: "written", waits: "writers", lock: LOCK, readings, sql: about(to) };
    }),
    ...read.map(({ from, to }): Cost => {
      return { table: from, work: "read", waits: "writers", lock: LOCK, readings: 0.6, sql: about(to) };
    }),
    ...statements.flatMap((sql): Cost[] => {
      const table = tables.get(INDEX.exec(sql)?.[1] ?? "") ?? "";
      const isOfRebuilt = written.some(({ from }) => from === table);
      return table === "" || isOfRebuilt
        ? []
        : [{ table, work: "read", waits: "writers", lock: LOCK, readings: readingsOf(sql), sql }];
    }),
    ...statements.flatMap((sql): Cost[] => {
      const table = tables.get(CHECKED.exec(sql)?.[1] ?? "") ?? "";
      return table === "" ? [] : [{ table, work: "read", waits: "writers", lock: LOCK, readings: 2.2, sql }];
    }),
  ];
}

/** What is unique is asked about first, and is mostly a text. */
function readingsOf(index: string): number {
  return index.startsWith("CREATE UNIQUE ") ? 1.8 : 0.8;
}

/** SQLite takes a column's values out of each row: https://sqlite.org/lang_altertable.html#altertabdropcol */
function purges({ kind }: Change): boolean {
  return kind === "drop column";
}

/** The runner looks whether each row refers to one that is there. */
function refers(change: Change): boolean {
  return change.kind === "add part" && change.what === "foreign key";
}

/** Whether rows are held against what is new. */
function checksRows(blocks: readonly Block[], table: string): boolean {
  return blocks.some(({ statements }) =>
    statements.some(sql => sql.startsWith(`UPDATE ${quote(table)} SET `)),
  );
}

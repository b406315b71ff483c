import { tablesByName, together, type Cost } from "../shared/costs.js";
import type { Block, RenderPlan } from "../shared/render-plan.js";
import { quote } from "./names.js";
import { worksOf } from "./render/works.js";

const INDEX = /^CREATE (?:UNIQUE )?INDEX "(?:[^"]|"")+" ON ("(?:[^"]|"")+")/;

/** What is built anew is written row by row; nobody else writes to the file meanwhile: https://sqlite.org/lockingv3.html */
export function costsOf(plan: RenderPlan, blocks: readonly Block[]): Cost[] {
  const tables = tablesByName(plan, quote);
  const written = worksOf(plan).filter(({ rebuilt }) => rebuilt);
  const indexed = blocks
    .flatMap(({ statements }) => statements)
    .map(sql => tables.get(INDEX.exec(sql)?.[1] ?? "") ?? "")
    .filter(table => table !== "");
  return together([
    ...written.map(({ from }): Cost => ({ table: from, work: "written", waits: "writers" })),
    ...indexed.map((table): Cost => ({ table, work: "read", waits: "writers" })),
  ]);
}

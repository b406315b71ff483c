import type { CatalogRow } from "../shared/dialect.js";
import type { ExplainSyntax, PlanStep } from "../shared/explain.js";

/** https://sqlite.org/eqp.html */
export const explain: ExplainSyntax = {
  query: sql => `EXPLAIN QUERY PLAN ${sql}`,
  read: rows => stepsUnder(rows, 0),
  asIfMany: [],
};

function stepsUnder(rows: readonly CatalogRow[], parent: number): PlanStep[] {
  return rows
    .filter(row => Number(row["parent"]) === parent)
    .map(row => {
      const words = String(row["detail"]);
      const [, scans] = /^SCAN (\S+)(?! USING)(?:$| (?!USING))/.exec(words) ?? [];
      return { words, ...(scans !== undefined && { scans }), children: stepsUnder(rows, Number(row["id"])) };
    });
}

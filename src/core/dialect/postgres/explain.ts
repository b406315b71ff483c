import type { ExplainSyntax, PlanStep } from "../shared/explain.js";

/** https://www.postgresql.org/docs/15/sql-explain.html */
export const explain: ExplainSyntax = {
  query: sql => `EXPLAIN (FORMAT JSON, COSTS OFF) ${sql}`,
  read: ([row]) => {
    const said = row?.["QUERY PLAN"];
    const plans = (typeof said === "string" ? JSON.parse(said) : said) as { readonly Plan: Node }[];
    return plans.map(({ Plan }) => stepOf(Plan));
  },
  asIfMany: ["SET enable_seqscan = off", "SET enable_bitmapscan = off"],
};

interface Node {
  readonly "Node Type": string;
  readonly "Relation Name"?: string;
  readonly "Index Name"?: string;
  readonly Alias?: string;
  readonly Filter?: string;
  readonly "Index Cond"?: string;
  readonly "Hash Cond"?: string;
  readonly "Sort Key"?: readonly string[];
  readonly Plans?: readonly Node[];
}

function stepOf(node: Node): PlanStep {
  const { Alias: alias, Filter: filter, Plans: plans = [] } = node;
  const [kind, relation, index] = [node["Node Type"], node["Relation Name"], node["Index Name"]];
  const words = [
    kind,
    index && `by ${index}`,
    relation && `on ${relation}${alias !== undefined && alias !== relation ? ` (${alias})` : ""}`,
    node["Index Cond"] ?? node["Hash Cond"],
    filter && `where ${filter}`,
    node["Sort Key"] && `by ${node["Sort Key"].join(", ")}`,
  ];
  return {
    words: words.filter(Boolean).join(" "),
    ...(kind === "Seq Scan" && relation !== undefined && { scans: alias ?? relation }),
    children: plans.map(stepOf),
  };
}

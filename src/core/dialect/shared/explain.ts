/** A step of a plan that an engine makes for a query. */
export interface PlanStep {
  readonly words: string;
  /** The table, or what the query calls it, that is read whole. */
  readonly scans?: string;
  readonly children: readonly PlanStep[];
}

/** How an engine tells what it would do for a query. */
export interface ExplainSyntax {
  readonly query: (sql: string) => string;
  readonly read: (rows: readonly Readonly<Record<string, unknown>>[]) => readonly PlanStep[];
  /** Statements after which few rows are looked for as many would be. */
  readonly asIfMany: readonly string[];
}

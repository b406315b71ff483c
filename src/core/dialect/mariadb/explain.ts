import type { ExplainSyntax, PlanStep } from "../shared/explain.js";

/** https://mariadb.com/kb/en/explain/ */
export const explain: ExplainSyntax = {
  query: sql => `EXPLAIN ${sql}`,
  read: rows =>
    rows.map((row): PlanStep => {
      const text = (name: string) => (row[name] === null || row[name] === undefined ? "" : String(row[name]));
      const [table, type, key] = [text("table"), text("type"), text("key")];
      const words = [
        type === "ALL"
          ? `read all of ${table}`
          : table === ""
            ? text("select_type").toLowerCase()
            : `${table} by ${type}`,
        key === "" ? "" : `on ${key}`,
        text("ref") === "" ? "" : `(${text("ref")})`,
        text("Extra").toLowerCase(),
      ];
      return {
        words: words.filter(Boolean).join(" "),
        ...(type === "ALL" && { scans: table }),
        children: [],
      };
    }),
  asIfMany: [],
};

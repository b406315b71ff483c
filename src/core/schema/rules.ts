import { mapSqlText, placeholdersInSqlText } from "../sql/placeholders.js";
import type { Rule } from "./types.js";

/** The columns that a rule is about, each once. */
export function columnsOfRule(rule: Rule): readonly string[] {
  if ("columns" in rule) return rule.columns;
  if (rule.kind === "sql") return placeholdersInSqlText(rule.sql);
  return rule.kind === "only with" ? [rule.column, rule.other] : [rule.column];
}

/** The rule about other columns. @param renameSql the same for the developer's own SQL */
export function withRuleColumns(
  rule: Rule,
  rename: (column: string) => string,
  renameSql: (text: string) => string,
): Rule {
  if ("columns" in rule) return { ...rule, columns: rule.columns.map(rename) };
  if (rule.kind === "sql") return { ...rule, sql: mapSqlText(rule.sql, renameSql) };
  if (rule.kind === "only with") return { ...rule, column: rename(rule.column), other: rename(rule.other) };
  return { ...rule, column: rename(rule.column) };
}

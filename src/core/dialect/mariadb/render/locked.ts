import { addressOf } from "../../../schema/address.js";
import type { Block, RenderPlan } from "../../shared/render-plan.js";
import { quoteTable } from "../names.js";
import type { TablePair } from "./table-pair.js";

/**
 * Nobody else writes to a table from before its values are copied until they are where they will be: what is written
 * meanwhile would be in neither. While tables are locked no others can be used, none can be made or renamed, and each is
 * known by the one name it was locked under: https://mariadb.com/kb/en/lock-tables/
 */
export function whileLocked(
  plan: RenderPlan,
  pairs: readonly TablePair[],
  blocks: readonly Block[],
): Block[] {
  const { kept: all = [], numbered = [] } = plan.attic ?? {};
  const values = all.filter(({ kind }) => kind !== "table");
  const kept = [...values, ...numbered].map(({ address }) => address);
  if (kept.length === 0) return [...blocks];
  const tables = [...new Set([...pairs.map(({ now }) => addressOf(now)), ...kept])].sort();
  return [
    {
      title: "let nobody write meanwhile: it would be in neither the attic nor the table",
      statements: [`LOCK TABLES ${tables.map(table => `${quoteTable(table)} WRITE`).join(", ")}`],
    },
    ...blocks.map(block => ({ ...block, statements: block.statements.map(withoutAliases) })),
    { title: "let others write again", statements: ["UNLOCK TABLES"] },
  ];
}

/** Names and texts as they stand in quotes. */
const QUOTED = /(`(?:[^`]|``)*`|'(?:[^'\\]|''|\\.)*')/s;

/** A statement in which tables are called by their own names, rather than t and k: ``UPDATE `pieces` AS t`` … */
export function withoutAliases(sql: string): string {
  const pieces = sql.split(QUOTED);
  const names = new Map<string, string>();
  for (const [at, piece] of pieces.entries()) {
    const alias = at % 2 === 0 ? /^ AS ([tk])\b/.exec(piece)?.[1] : undefined;
    if (alias !== undefined) names.set(alias, pieces[at - 1]!);
  }
  if (names.size === 0) return sql;
  return pieces
    .map((piece, at) =>
      at % 2 === 1
        ? piece
        : piece
            .replace(/^ AS [tk]\b/, "")
            .replace(/\b([tk])(?=\.$| FROM )/g, alias => names.get(alias) ?? alias),
    )
    .join("");
}

import { addressOf } from "../../../schema/address.js";
import type { Table } from "../../../schema/types.js";
import type { Block, RenderPlan } from "../../shared/render-plan.js";
import { quoteTable } from "../names.js";

/** The plan with no more in the attic than what is kept of one table, as it is called once tables are renamed. */
export function keptOf(plan: RenderPlan, table: Table): RenderPlan {
  const { attic } = plan;
  if (!attic) return plan;
  const address = addressOf(table);
  const isOfIt = (each: { readonly table: Table; readonly now: string }) =>
    (attic.direction === "back" ? addressOf(each.table) : each.now) === address;
  return {
    ...plan,
    attic: {
      ...attic,
      counters: [],
      kept: attic.kept.filter(kept => kept.kind !== "table" && isOfIt(kept)),
      numbered: attic.numbered.filter(isOfIt),
    },
  };
}

/** Whether something of the one table is kept, so that it is locked. */
export function locks(plan: RenderPlan): boolean {
  return keptOrNumbered(plan).length > 0;
}

function keptOrNumbered({ attic }: RenderPlan): string[] {
  return [...(attic?.kept ?? []), ...(attic?.numbered ?? [])].map(({ address }) => address);
}

/**
 * Nobody else writes to a table from before its values are copied until they are where they will be: what is written
 * meanwhile would be in neither. Each table is locked by itself, so that what is done to it is done from one lock to its
 * end. While it is locked no others can be used, none can be made or renamed, and each is known by the one name it was
 * locked under: https://mariadb.com/kb/en/lock-tables/
 * @param plan with no more in the attic than what is kept of the table
 */
export function whileLocked(plan: RenderPlan, table: Table, blocks: readonly Block[]): Block[] {
  if (!locks(plan)) return [...blocks];
  const kept = keptOrNumbered(plan);
  const tables = [addressOf(table), ...[...new Set(kept)].sort()];
  return [
    {
      title: "let nobody write meanwhile: it would be in neither the attic nor the table",
      statements: [`LOCK TABLES ${tables.map(each => `${quoteTable(each)} WRITE`).join(", ")}`],
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

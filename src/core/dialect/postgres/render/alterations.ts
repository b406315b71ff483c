import type { Change } from "../../../change/types.js";
import { titleOf } from "../../../change/words.js";
import type { Block } from "../../shared/render-plan.js";
import { alterTableSql, type Alteration, type Clauses } from "./clauses.js";

/** One ALTER TABLE for all that the chosen changes do to a table, so that its rows are passed over once. */
export function alterations(
  changes: readonly Change[],
  choose: (change: Change) => Alteration | undefined,
): Block[] {
  const byTable = new Map<string, { readonly title: string; readonly chosen: Alteration }[]>();
  for (const change of changes) {
    const chosen = choose(change);
    if (!chosen) continue;
    byTable.set(chosen.table, [...(byTable.get(chosen.table) ?? []), { title: titleOf(change), chosen }]);
  }
  return [...byTable].flatMap(([table, group]) => {
    const titles = group.map(({ title }) => title);
    const statements = statementsOf(
      table,
      group.map(({ chosen }) => chosen),
    );
    if (statements.length === 0) return [];
    return titles.length === 1
      ? [{ title: titles.join(), statements }]
      : [{ title: `alter table ${table}`, details: titles, statements }];
  });
}

function statementsOf(table: string, group: readonly Clauses[]): string[] {
  const all = (step: keyof Clauses) => group.flatMap(each => each[step] ?? []);
  const altered = [[...all("first"), ...all("clauses")], all("afterwards")]
    .filter(list => list.length > 0)
    .map(list => alterTableSql(table, ...list));
  return [...all("before"), ...altered, ...all("after")];
}

/** A block for each change that has statements. */
export function blockEach<C extends Change>(
  changes: readonly C[],
  statementsFor: (change: C) => string[],
): Block[] {
  return changes.flatMap(change => {
    const statements = statementsFor(change);
    return statements.length > 0 ? [{ title: titleOf(change), statements }] : [];
  });
}

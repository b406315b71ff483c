import type { AddPart, AlterPart, Change, DropPart } from "../../../change/types.js";
import { titleOf } from "../../../change/words.js";
import { addressOf } from "../../../schema/address.js";
import { equal } from "../../../schema/canonical.js";
import type { Table } from "../../../schema/types.js";
import { putAway } from "../../shared/attic.js";
import type { Block } from "../../shared/render-plan.js";
import { keepTableSql } from "../attic.js";
import { quote, quoteTable } from "../names.js";
import { alterations, blockEach } from "./alterations.js";
import { unturnSql } from "./second-column.js";
import { dropIndexesOnline, exchangedReferences } from "./online.js";
import { mirrorsEndSql } from "./meanwhile.js";
import { dropStampSql } from "./stamps.js";
import { type Steps } from "./steps.js";
import { dropIndexSql } from "./tables.js";
import { type Alteration } from "./clauses.js";

/** Nothing refers any more to what will go or change. */
export function dropReferences(steps: Steps): Block[] {
  const { changes, plan } = steps;
  const exchanged = new Set<Change>(plan.online ? exchangedReferences(steps).values() : []);
  return alterations(changes, change =>
    change.kind === "drop part" && change.what === "foreign key" && !exchanged.has(change)
      ? { table: change.table, clauses: [dropConstraintSql(change.value)] }
      : undefined,
  );
}

/** The clause that drops a constraint. */
export function dropConstraintSql({ name }: { readonly name: string }): string {
  return `DROP CONSTRAINT ${quote(name)}`;
}

/** No index speaks of what will change: not of values either, which one that is made anew may not allow twice. */
export function dropIndexes(steps: Steps): Block[] {
  const { changes, was, names, plan } = steps;
  if (plan.online) return dropIndexesOnline(steps, "early");
  return blockEach(changes, change => {
    if (change.kind === "drop part" && change.what === "index")
      return [dropIndexSql(was(change.table), change.value)];
    if (change.kind !== "alter part" || change.what !== "index") return [];
    return [dropIndexSql(was(names.before(change.table)), change.before)];
  });
}

/** No trigger of ours speaks of a name that goes. */
export function dropStamps({ stamps }: Steps): Block[] {
  return stamps.dropped.map(({ table, column }) => ({
    title: `drop the stamp of ${addressOf(table)}.${column.name}`,
    statements: dropStampSql(table, column),
  }));
}

/** The names of tables that go are free. */
export function dropTables(steps: Steps): Block[] {
  return steps.changes.flatMap(change =>
    change.kind === "drop table" ? [dropTable(change.table, steps)] : [],
  );
}

function dropTable(dropped: Table, { plan }: Steps): Block {
  const address = addressOf(dropped);
  const kept = putAway(plan, address);
  if (!kept)
    return {
      title: titleOf({ kind: "drop table", table: dropped }),
      statements: [`DROP TABLE ${quoteTable(address)}`],
    };
  const isDropped = (reference: Table["foreignKeys"][number]) =>
    plan.changes.some(
      change =>
        change.kind === "drop part" &&
        change.what === "foreign key" &&
        change.table === address &&
        equal(change.value, reference),
    );
  const references = kept.table.foreignKeys.filter(each => !isDropped(each));
  return {
    title: `put table ${address} into the attic`,
    statements: keepTableSql(kept, references, plan),
  };
}

/** What is computed is gone before what it is computed from. */
export function dropComputed({ changes }: Steps): Block[] {
  return alterations(changes, change =>
    isDropOfComputed(change) ? dropColumnOrConstraint(change) : undefined,
  );
}

/** What goes is gone, in the old names. */
export function dropColumnsAndConstraints(steps: Steps): Block[] {
  const { changes, was } = steps;
  // What keeps columns ends with the first of them.
  const isFirst = (change: Change) =>
    changes.find(
      each =>
        each.kind === "drop column" &&
        !isDropOfComputed(each) &&
        "table" in change &&
        each.table === change.table,
    ) === change;
  return alterations(changes, change => {
    const dropped = isDropOfComputed(change) ? undefined : dropColumnOrConstraint(change);
    if (!dropped) return undefined;
    const ends = isFirst(change) ? mirrorsEndSql(steps, dropped.table) : [];
    return { ...dropped, before: [...ends, ...unturnSql(was(dropped.table), change)] };
  });
}

function isDropOfComputed(change: Change): boolean {
  return change.kind === "drop column" && change.column.computed !== undefined;
}

function dropColumnOrConstraint(change: Change): Alteration | undefined {
  if (change.kind === "drop column")
    return { table: change.table, clauses: [`DROP COLUMN ${quote(change.column.name)}`] };
  return change.kind === "drop part" && isConstraint(change)
    ? { table: change.table, clauses: [dropConstraintSql(change.value)] }
    : undefined;
}

/** Whether a part is stated in the table it belongs to: references are stated last of all, indexes by themselves. */
export function isConstraint<C extends AddPart | DropPart | AlterPart>(
  change: C,
): change is Exclude<C, { readonly what: "foreign key" | "index" }> {
  return change.what !== "foreign key" && change.what !== "index";
}

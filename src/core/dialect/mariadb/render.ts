import { renameInPart } from "../../change/rename.js";
import { startNames } from "../../change/start-names.js";
import { isOfDefinition, type Change } from "../../change/types.js";
import { describeChange, titleOf } from "../../change/words.js";
import { addressOf, tablesByAddress } from "../../schema/address.js";
import { equal } from "../../schema/canonical.js";
import type { ForeignKey, Schema, Table } from "../../schema/types.js";
import {
  becameBlocks,
  changedSinceBlocks,
  emptiedBlocks,
  keepBlocks,
  putAway,
  restoredTo,
  takenOut,
} from "../attic.js";
import type { Block, RenderPlan } from "../dialect.js";
import { alterationOf, namesBetween, type TablePair } from "./alter-table.js";
import { ATTIC_SYNTAX, moveText } from "./attic.js";
import { quote } from "./expressions.js";
import { alterText, indexText, partText, quoteTable, tableText } from "./text.js";

/**
 * The statements of a plan: https://mariadb.com/kb/en/alter-table/. MariaDB takes all that happens to a table as one
 * ALTER TABLE, and looks only at the result; renames of columns are part of it. Each statement is committed by itself.
 * The order: references go · tables go · tables are renamed · tables are altered · tables arrive · references arrive.
 */
export function render(plan: RenderPlan): Block[] {
  const { before, after, changes } = plan;
  const start = startNames(changes);
  const arriving = new Set(
    changes.flatMap(change => (change.kind === "add table" ? [addressOf(change.table)] : [])),
  );
  const oldTables = tablesByAddress(before);
  const pairs = after.tables.flatMap(now => {
    const was = arriving.has(addressOf(now)) ? undefined : oldTables.get(start.table(addressOf(now)));
    const restored = restoredTo(plan, addressOf(now));
    return was ? [{ was, now, restored, ...namesBetween(now, changes) }] : [];
  });
  const lifted = liftReferences(pairs, before, after, arriving);
  return [
    ...keepBlocks(plan, ATTIC_SYNTAX),
    ...changedSinceBlocks(plan, ATTIC_SYNTAX),
    ...lifted.drops.map(({ address, foreignKey }) => ({
      title: `drop foreign key ${foreignKey.name} on ${address}`,
      statements: [
        alterText(address, [
          `DROP FOREIGN KEY ${quote(foreignKey.name)}`,
          ...ownIndex(oldTables.get(address)!, foreignKey),
        ]),
      ],
    })),
    ...changes.flatMap((change): Block[] => {
      if (change.kind !== "drop table") return [];
      const address = addressOf(change.table);
      const kept = putAway(plan, address);
      return kept
        ? [{ title: `put table ${address} into the attic`, statements: [moveText(address, kept.place)] }]
        : [{ title: describeChange(change), statements: [`DROP TABLE ${quoteTable(address)}`] }];
    }),
    ...changes.flatMap((change): Block[] =>
      change.kind === "rename table"
        ? [
            {
              title: describeChange(change),
              statements: [moveText(change.from, change.to)],
            },
          ]
        : [],
    ),
    ...pairs.flatMap(pair => alterBlock(pair, changes)),
    ...changes.flatMap((change): Block[] => {
      if (change.kind !== "add table") return [];
      const address = addressOf(change.table);
      const kept = takenOut(plan, address);
      if (kept)
        return [
          { title: `take table ${address} out of the attic`, statements: [moveText(kept.place, address)] },
        ];
      const table = after.tables.find(each => addressOf(each) === address)!;
      return [{ title: titleOf(change), statements: [tableText(table)] }];
    }),
    ...lifted.adds.map(({ address, foreignKeys }) => ({
      title: `references of ${address}`,
      statements: [
        alterText(
          address,
          foreignKeys.map(foreignKey => `ADD ${partText("foreign key", foreignKey)}`),
        ),
      ],
    })),
    ...becameBlocks(plan, ATTIC_SYNTAX),
    ...emptiedBlocks(plan, ATTIC_SYNTAX),
  ];
}

/**
 * A reference that was made without a name got an index called after its column, which the server would replace by one
 * of another name as soon as the reference is made again. Stated by itself, it stays.
 */
function ownIndex({ indexes }: Table, { name, columns }: ForeignKey): string[] {
  const made = indexes.find(
    index =>
      index.name.replace(/_\d+$/, "") === columns[0] &&
      equal(
        index.parts,
        columns.map(column => ({ column })),
      ),
  );
  return made && /_ibfk_\d+$/.test(name) ? [`DROP INDEX ${quote(made.name)}`, `ADD ${indexText(made)}`] : [];
}

/** MariaDB never takes anything along unasked. */
export function attachments(_schema: Schema): string[] {
  return [];
}

export function scriptNotes(blocks: readonly Block[]): string[] {
  return blocks.some(({ statements }) => statements.length > 0)
    ? ["MariaDB commits each statement by itself: one that fails leaves those before it done."]
    : [];
}

interface Lifted {
  readonly drops: readonly { readonly address: string; readonly foreignKey: ForeignKey }[];
  readonly adds: readonly { readonly address: string; readonly foreignKeys: readonly ForeignKey[] }[];
}

/** A reference stays only where neither of its tables is altered: it may need an index or a type that changes. */
function liftReferences(
  pairs: readonly TablePair[],
  before: Schema,
  after: Schema,
  arriving: ReadonlySet<string>,
): Lifted {
  const altered = new Set(pairs.filter(isAltered).map(({ now }) => addressOf(now)));
  const byOld = new Map(pairs.map(pair => [addressOf(pair.was), pair]));
  const kept = new Set<string>();
  const drops = before.tables.flatMap(table => {
    const pair = byOld.get(addressOf(table));
    return table.foreignKeys.flatMap(foreignKey => {
      const renamed = pair && renameInPart("foreign key", foreignKey, addressOf(table), pair.names);
      const same = renamed && pair.now.foreignKeys.find(each => equal(each, renamed));
      if (
        same &&
        !altered.has(addressOf(pair.now)) &&
        !altered.has(same.references.table) &&
        !arriving.has(same.references.table)
      ) {
        kept.add(JSON.stringify([addressOf(pair.now), same.name]));
        return [];
      }
      return [{ address: addressOf(table), foreignKey }];
    });
  });
  const adds = after.tables.flatMap(table => {
    const address = addressOf(table);
    const foreignKeys = table.foreignKeys.filter(({ name }) => !kept.has(JSON.stringify([address, name])));
    return foreignKeys.length > 0 ? [{ address, foreignKeys }] : [];
  });
  return { drops, adds };
}

function isAltered(pair: TablePair): boolean {
  const { clauses, between } = alterationOf(pair);
  return between.length > 0 || clauses.some(clause => !clause.startsWith("COMMENT"));
}

function alterBlock(pair: TablePair, changes: readonly Change[]): Block[] {
  const { before, clauses, between, afterwards } = alterationOf(pair);
  const address = addressOf(pair.now);
  const alter = (list: readonly string[]) => (list.length > 0 ? [alterText(address, list)] : []);
  const statements = [...before, ...alter(clauses), ...between, ...alter(afterwards)];
  if (statements.length === 0) return [];
  const from = addressOf(pair.was);
  const about = changes.filter(change => {
    if (
      change.kind === "add table" ||
      change.kind === "drop table" ||
      change.kind === "rename table" ||
      isOfDefinition(change)
    )
      return false;
    if ("what" in change && change.what === "foreign key") return false;
    return change.table === address || change.table === from;
  });
  const titles = about.map(titleOf);
  return titles.length === 1
    ? [{ title: titles[0]!, statements }]
    : [{ title: `alter table ${address}`, details: titles, statements }];
}

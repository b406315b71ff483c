import type { NamesThrough } from "../../../change/names.js";
import { renameInPart, renameInTable } from "../../../change/rename.js";
import { addressOf, tablesByAddress } from "../../../schema/address.js";
import { equal } from "../../../schema/canonical.js";
import type { Column, ForeignKey, Table } from "../../../schema/types.js";
import type { Block, RenderPlan } from "../../shared/render-plan.js";
import { quote } from "../names.js";
import { alterationOf } from "./alter-table.js";
import type { TablePair } from "./table-pair.js";
import { alterTableSql, indexSql, partSql } from "./tables.js";

/** References that go before tables are altered, and those that come when all are there. */
interface Lifted {
  readonly drops: readonly { readonly address: string; readonly foreignKey: ForeignKey }[];
  readonly adds: readonly { readonly address: string; readonly foreignKeys: readonly ForeignKey[] }[];
}

/**
 * A reference stays wherever the server lets it: it is lifted where its columns, on either side, or an index that serves
 * them become others. While it is lifted, clients may write what refers to nothing.
 */
export function liftReferences(
  pairs: readonly TablePair[],
  { before, after }: RenderPlan,
  { arrives }: NamesThrough,
): Lifted {
  const byNow = new Map(pairs.map(pair => [addressOf(pair.now), pair]));
  const byOld = new Map(pairs.map(pair => [addressOf(pair.was), pair]));
  const kept = new Set<string>();
  const drops = before.tables.flatMap(table => {
    const pair = byOld.get(addressOf(table));
    return table.foreignKeys.flatMap(foreignKey => {
      const renamed = pair && renameInPart("foreign key", foreignKey, addressOf(table), pair.names);
      const same = renamed && pair.now.foreignKeys.find(each => equal(each, renamed));
      const target = same && byNow.get(same.references.table);
      const stays =
        same &&
        target &&
        !arrives(same.references.table) &&
        !disturbs(pair, same.columns, same) &&
        !disturbs(target, same.references.columns, same);
      if (!stays) return [{ address: addressOf(table), foreignKey }];
      kept.add(JSON.stringify([addressOf(pair.now), same.name]));
      return [];
    });
  });
  const adds = after.tables.flatMap(table => {
    const address = addressOf(table);
    const foreignKeys = table.foreignKeys.filter(({ name }) => !kept.has(JSON.stringify([address, name])));
    return foreignKeys.length > 0 ? [{ address, foreignKeys }] : [];
  });
  return { drops, adds };
}

/** Whether what happens to a table touches columns of a reference, by their names afterwards, or what serves them. */
function disturbs(pair: TablePair, columns: readonly string[], { onDelete, onUpdate }: ForeignKey): boolean {
  const { was, now, oldName, arrives, conversionOf, names, restored } = pair;
  if (!isAltered(pair)) return false;
  if (!equal(was.options, now.options)) return true;
  // Beside other changes the server would copy the table, and a copy renames no column of a reference.
  const onlyRenamed = equal(renameInTable(was, names), now);
  const setsNull = onDelete === "set null" || onUpdate === "set null";
  const isTouched = (name: string) => {
    const [before, after] = [
      was.columns.find(each => each.name === oldName(name)),
      now.columns.find(each => each.name === name),
    ];
    if (!before || !after || arrives(name) || conversionOf(name) !== undefined) return true;
    if (before.name !== after.name && !onlyRenamed) return true;
    if (restored.some(each => each.columns.some(column => column.name === name))) return true;
    const facts = ({ type, collation, identity, computed }: Column) => ({
      type,
      collation,
      identity,
      computed,
    });
    return !equal(facts(before), facts(after)) || (setsNull && before.nullable !== after.nullable);
  };
  if (columns.some(isTouched)) return true;
  const renamed = renameInTable(was, names);
  const isBeginning = (list: readonly string[]) => columns.every((column, at) => list[at] === column);
  const serving = [
    ...(renamed.key && isBeginning(renamed.key.columns) ? [equal(renamed.key, now.key)] : []),
    ...renamed.uniques
      .filter(each => isBeginning(each.columns))
      .map(each => now.uniques.some(other => equal(other, each))),
    ...renamed.indexes
      .filter(({ parts }) => isBeginning(parts.map(part => ("column" in part ? part.column : ""))))
      .map(each => now.indexes.some(other => equal(other, each))),
  ];
  return !serving.every(Boolean);
}

function isAltered(pair: TablePair): boolean {
  const { clauses, between, before } = alterationOf(pair);
  return before.length > 0 || between.length > 0 || clauses.some(clause => !clause.startsWith("COMMENT"));
}

/** Nothing refers any more to what will go or change. */
export function dropReferences({ drops }: Lifted, { before }: RenderPlan): Block[] {
  const tables = tablesByAddress(before);
  return drops.map(({ address, foreignKey }) => ({
    title: `drop foreign key ${foreignKey.name} on ${address}`,
    statements: [
      alterTableSql(address, [
        `DROP FOREIGN KEY ${quote(foreignKey.name)}`,
        ...ownIndexSql(tables.get(address), foreignKey),
      ]),
    ],
  }));
}

/** All tables are there: what refers to them does. */
export function addReferences({ adds }: Lifted): Block[] {
  return adds.map(({ address, foreignKeys }) => ({
    title: `references of ${address}`,
    statements: [
      alterTableSql(
        address,
        foreignKeys.map(foreignKey => `ADD ${partSql("foreign key", foreignKey)}`),
      ),
    ],
  }));
}

/**
 * A reference that was made without a name got an index called after its column, which the server would replace by one
 * of another name as soon as the reference is made again. Stated by itself, it stays.
 */
function ownIndexSql(table: Table | undefined, { name, columns }: ForeignKey): string[] {
  const parts = columns.map(column => ({ column }));
  const made = table?.indexes.find(
    index => index.name.replace(/_\d+$/, "") === columns[0] && equal(index.parts, parts),
  );
  return made && /_ibfk_\d+$/.test(name) ? [`DROP INDEX ${quote(made.name)}`, `ADD ${indexSql(made)}`] : [];
}

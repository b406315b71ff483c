import type { NamesThrough } from "../../../change/names.js";
import { renameInPart } from "../../../change/rename.js";
import { addressOf, tablesByAddress } from "../../../schema/address.js";
import { equal } from "../../../schema/canonical.js";
import type { ForeignKey, Table } from "../../../schema/types.js";
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

/** A reference stays only where neither of its tables is altered: it may need an index or a type that changes. */
export function liftReferences(
  pairs: readonly TablePair[],
  { before, after }: RenderPlan,
  { arrives }: NamesThrough,
): Lifted {
  const altered = new Set(pairs.filter(isAltered).map(({ now }) => addressOf(now)));
  const byOld = new Map(pairs.map(pair => [addressOf(pair.was), pair]));
  const kept = new Set<string>();
  const drops = before.tables.flatMap(table => {
    const pair = byOld.get(addressOf(table));
    return table.foreignKeys.flatMap(foreignKey => {
      const renamed = pair && renameInPart("foreign key", foreignKey, addressOf(table), pair.names);
      const same = renamed && pair.now.foreignKeys.find(each => equal(each, renamed));
      const isMoved = (address: string) => altered.has(address) || arrives(address);
      if (!same || altered.has(addressOf(pair.now)) || isMoved(same.references.table))
        return [{ address: addressOf(table), foreignKey }];
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

function isAltered(pair: TablePair): boolean {
  const { clauses, between } = alterationOf(pair);
  return between.length > 0 || clauses.some(clause => !clause.startsWith("COMMENT"));
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

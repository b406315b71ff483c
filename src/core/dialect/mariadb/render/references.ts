import type { NamesThrough } from "../../../change/names.js";
import { renameInPart, renameInTable } from "../../../change/rename.js";
import { addressOf, tablesByAddress } from "../../../schema/address.js";
import { equal } from "../../../schema/canonical.js";
import type { Column, ForeignKey, Table } from "../../../schema/types.js";
import type { Block, RenderPlan } from "../../shared/render-plan.js";
import { cutName } from "../../../schema/naming.js";
import { literalSql } from "../expressions.js";
import { NAME_LIMIT, quote, quoteTable } from "../names.js";
import { algorithmFor, withAlgorithm } from "./algorithm.js";
import { alterationOf } from "./alter-table.js";
import type { TablePair } from "./table-pair.js";
import { alterTableSql, indexSql, referenceSql } from "./tables.js";

/** References that go before tables are altered, and those that come when all are there. */
interface Lifted {
  readonly drops: readonly { readonly address: string; readonly foreignKey: ForeignKey }[];
  readonly adds: readonly { readonly address: string; readonly foreignKeys: readonly ForeignKey[] }[];
  /** References that get another name or other rules, and hold all along: no row has to be looked at again. */
  readonly swaps: readonly Swap[];
}

interface Swap {
  readonly was: Table;
  readonly now: Table;
  /** What it is called until then. */
  readonly from: string;
  readonly to: ForeignKey;
}

/**
 * A reference stays wherever the server lets it: it is lifted where its columns, on either side, or an index that serves
 * them become others. While it is lifted, clients may write what refers to nothing.
 */
export function liftReferences(
  pairs: readonly TablePair[],
  { before, after, online }: RenderPlan,
  { arrives }: NamesThrough,
): Lifted {
  const byNow = new Map(pairs.map(pair => [addressOf(pair.now), pair]));
  const byOld = new Map(pairs.map(pair => [addressOf(pair.was), pair]));
  const kept = new Set<string>();
  const swaps: Swap[] = [];
  const drops = before.tables.flatMap(table => {
    const pair = byOld.get(addressOf(table));
    return table.foreignKeys.flatMap(foreignKey => {
      const renamed = pair && renameInPart("foreign key", foreignKey, addressOf(table), pair.names);
      const same =
        renamed &&
        (pair.now.foreignKeys.find(each => equal(each, renamed)) ??
          pair.now.foreignKeys.find(each => equal(bare(each), bare(renamed))));
      const target = same && byNow.get(same.references.table);
      const stays =
        same &&
        target &&
        !arrives(same.references.table) &&
        !disturbs(pair, same.columns, same) &&
        !disturbs(target, same.references.columns, same);
      const key = JSON.stringify([addressOf(pair?.now ?? table), same?.name]);
      const isSame = equal(same, renamed);
      // With a reference that restricts and stays, the server may want the other table locked as well, as 10.11 was seen to do.
      const isFree = same && (online || !isRestricted(same));
      const maySwap = isFree && !isSame && ownIndexSql(table, foreignKey).length === 0;
      if (!stays || kept.has(key) || !(isSame || maySwap)) return [{ address: addressOf(table), foreignKey }];
      kept.add(key);
      if (!isSame) swaps.push({ was: pair.was, now: pair.now, from: foreignKey.name, to: same });
      return [];
    });
  });
  const adds = after.tables.flatMap(table => {
    const address = addressOf(table);
    const foreignKeys = table.foreignKeys.filter(({ name }) => !kept.has(JSON.stringify([address, name])));
    return foreignKeys.length > 0 ? [{ address, foreignKeys }] : [];
  });
  return { drops, adds, swaps };
}

function isRestricted({ onDelete, onUpdate }: ForeignKey): boolean {
  return onDelete === "restrict" || onUpdate === "restrict";
}

/** What a reference is but for its name and its rules. */
function bare({
  columns,
  references,
  options,
}: ForeignKey): Pick<ForeignKey, "columns" | "references" | "options"> {
  return { columns, references, ...(options && { options }) };
}

/** Whether what happens to a table touches columns of a reference, by their names afterwards, or what serves them. */
function disturbs(pair: TablePair, columns: readonly string[], { onDelete, onUpdate }: ForeignKey): boolean {
  const { was, now, oldName, arrives, conversionOf, names, restored } = pair;
  if (!isAltered(pair)) return false;
  if (!equal(was.options, now.options)) return true;
  // A copy of the table renames no column of a reference.
  const mayRename = equal(renameInTable(was, names), now) || !isCopied(pair);
  const setsNull = onDelete === "set null" || onUpdate === "set null";
  const isTouched = (name: string) => {
    const [before, after] = [
      was.columns.find(each => each.name === oldName(name)),
      now.columns.find(each => each.name === name),
    ];
    if (!before || !after || arrives(name) || conversionOf(name) !== undefined) return true;
    if (before.name !== after.name && !mayRename) return true;
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
      .map(each => now.uniques.some(other => equal({ ...other, name: each.name }, each))),
    ...renamed.indexes
      .filter(({ parts }) => isBeginning(parts.map(part => ("column" in part ? part.column : ""))))
      .map(each => now.indexes.some(other => equal({ ...other, name: each.name }, each))),
  ];
  return !serving.every(Boolean);
}

function isCopied(pair: TablePair): boolean {
  const { clauses, aside } = alterationOf(pair);
  return algorithmFor(clauses, { was: pair.was, now: pair.now, interim: aside }) === "COPY";
}

function isAltered(pair: TablePair): boolean {
  const { clauses, between, before } = alterationOf(pair);
  return before.length > 0 || between.length > 0 || clauses.some(clause => !clause.startsWith("COMMENT"));
}

/** Nothing refers any more to what will go or change. */
export function dropReferences({ drops }: Lifted, { before }: RenderPlan): Block[] {
  const tables = tablesByAddress(before);
  return drops.map(({ address, foreignKey }) => {
    const table = tables.get(address);
    const clauses = [`DROP FOREIGN KEY ${quote(foreignKey.name)}`, ...ownIndexSql(table, foreignKey)];
    const own = table ? withAlgorithm(clauses, { was: table, now: table }, false) : clauses;
    return {
      title: `drop foreign key ${foreignKey.name} on ${address}`,
      statements: [alterTableSql(address, own)],
    };
  });
}

/**
 * All tables are there: what refers to them does. While others write, a table with rows is not copied for that: new rows are held to a
 * reference as soon as it is there, and of those that are there it is asked whether they keep to it.
 */
export function addReferences(
  { adds }: Lifted,
  pairs: readonly TablePair[],
  { online }: RenderPlan,
): Block[] {
  const staying = new Map(pairs.map(pair => [addressOf(pair.now), pair]));
  return adds.flatMap(({ address, foreignKeys }): Block[] => {
    const pair = staying.get(address);
    const inPlace = foreignKeys.map(foreignKey => `ADD ${referenceSql(foreignKey, "in place")}`);
    const asked =
      online && pair && withAlgorithm(inPlace, { was: pair.now, now: pair.now, held: true }, false);
    if (!asked || asked === inPlace) {
      const clauses = foreignKeys.map(foreignKey => `ADD ${referenceSql(foreignKey)}`);
      return [{ title: `references of ${address}`, statements: [alterTableSql(address, clauses)] }];
    }
    return [
      {
        title: `references of ${address}: what is written from now on keeps to them`,
        statements: [
          "SET foreign_key_checks = 0",
          alterTableSql(address, asked),
          "SET foreign_key_checks = 1",
        ],
      },
      {
        title: "and so do the rows that are there, or it stops here",
        statements: foreignKeys.flatMap(foreignKey => proofSql(address, foreignKey)),
      },
    ];
  });
}

/** A variable of the session: how many rows refer to nothing, 0 or 1. */
const ASTRAY = "@emberset_astray";

/** Fails where a row refers to nothing, as the server would: https://mariadb.com/kb/en/mariadb-error-code-reference/ */
function proofSql(address: string, { name, columns, references }: ForeignKey): string[] {
  // Read under another name, a table may not be altered under a lock afterwards: 10.11 looks for its columns by that name.
  const own = columns.map(column => `${quoteTable(address)}.${quote(column)}`);
  const match = references.columns.map((column, at) => `p.${quote(column)} = ${own[at]!}`);
  const orphans = [
    `SELECT 1 FROM ${quoteTable(address)}`,
    `WHERE ${own.map(column => `${column} IS NOT NULL`).join(" AND ")}`,
    `AND NOT EXISTS (SELECT 1 FROM ${quoteTable(references.table)} AS p WHERE ${match.join(" AND ")}) LIMIT 1`,
  ].join(" ");
  const text = literalSql(`rows of ${address} refer to nothing by ${name}`.slice(0, 120));
  const signal = `SIGNAL SQLSTATE '23000' SET MYSQL_ERRNO = 1452, MESSAGE_TEXT = ${text}`;
  return [
    `SET ${ASTRAY} = (SELECT count(*) FROM (${orphans}) AS orphans)`,
    `EXECUTE IMMEDIATE IF(${ASTRAY} = 0, 'DO 0', ${literalSql(signal)})`,
  ];
}

/**
 * One statement drops a reference and adds it as it is to be, so that it holds all along; by way of another name where its
 * own is still taken. Rows are looked at again only where the server is told to check.
 */
export function swapReferences({ swaps }: Lifted, { before }: RenderPlan): Block[] {
  if (swaps.length === 0) return [];
  const taken = new Set(before.tables.flatMap(table => table.foreignKeys.map(({ name }) => name)));
  const swap = ({ was, now }: Swap, from: string, to: ForeignKey) => {
    const clauses = [`DROP FOREIGN KEY ${quote(from)}`, `ADD ${referenceSql(to, "in place")}`];
    return alterTableSql(addressOf(now), withAlgorithm(clauses, { was, now, held: true }, false));
  };
  const aside = ({ to }: Swap) => cutName(`emberset_new_${to.name}`, NAME_LIMIT);
  const isTaken = ({ to }: Swap) => taken.has(to.name);
  const first = swaps.map(each =>
    swap(each, each.from, isTaken(each) ? { ...each.to, name: aside(each) } : each.to),
  );
  const second = swaps.filter(isTaken).map(each => swap(each, aside(each), each.to));
  const names = swaps.map(({ now, to }) => `foreign key ${to.name} on ${addressOf(now)}`);
  return [
    {
      title: "references that hold all along: no row is looked at again",
      details: names,
      statements: ["SET foreign_key_checks = 0", ...first, ...second, "SET foreign_key_checks = 1"],
    },
  ];
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

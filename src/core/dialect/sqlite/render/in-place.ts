import type { Change } from "../../../change/types.js";
import { describeChange, titleOf } from "../../../change/words.js";
import { addressOf } from "../../../schema/address.js";
import { columnsOfPart } from "../../../schema/lookups.js";
import { expressionSql } from "../../../lower/expressions.js";
import { textFor } from "../../../sql/placeholders.js";
import type { Check, Column, Index, Table, Unique } from "../../../schema/types.js";
import type { Block } from "../../shared/render-plan.js";
import { literalSql } from "../expressions.js";
import { NAME } from "../types.js";
import { quote, quoteTable, stampTriggerName } from "../names.js";
import {
  checkSql,
  columnSql,
  createIndexSql,
  createTableSql,
  createTriggerSql,
  RESTATE_END,
  RESTATE_START,
  inlineSql,
  keyedSql,
} from "./tables.js";
import { droppedAs, ownIndexes, type Work } from "./works.js";

/** What must go before tables and columns get their new names: indexes, stamps, and names that are taken over. */
export function makeRoom(work: Work): Block[] {
  return [...dropStamps(work), ...freeIndexNames(work), ...dropInPlace(work), ...freeColumnNames(work)];
}

function dropStamps({ from, was, now, taken, rebuilt, changes }: Work): Block[] {
  const renamed = isRenamed({ was, now, changes });
  return was.columns.filter(isStamped).flatMap((column): Block[] => {
    const stays = now.columns.some(({ name, stamp }) => name === column.name && stamp);
    const name = stampTriggerName(was.name, column.name);
    if (!taken.has(name) && (rebuilt || (stays && !renamed))) return [];
    return [
      { title: `drop the stamp of ${from}.${column.name}`, statements: [`DROP TRIGGER ${quote(name)}`] },
    ];
  });
}

function isStamped({ stamp }: Column): boolean {
  return stamp !== undefined;
}

/** Triggers of stamps speak of the table and its columns by name. */
function isRenamed({ was, now, changes }: Pick<Work, "was" | "now" | "changes">): boolean {
  return addressOf(was) !== addressOf(now) || changes.some(({ kind }) => kind === "rename column");
}

function freeIndexNames({ was, taken }: Work): Block[] {
  return was.indexes
    .filter(({ name }) => taken.has(name))
    .map(({ name }) => ({ title: `make the name ${name} free`, statements: [`DROP INDEX ${quote(name)}`] }));
}

/** Indexes and columns that go from a table that is not rebuilt. */
function dropInPlace({ from, changes, taken, rebuilt }: Work): Block[] {
  if (rebuilt) return [];
  return changes.flatMap((change): Block[] => {
    if (change.kind === "drop part" && change.what === "index" && !taken.has(change.value.name))
      return [{ title: describeChange(change), statements: [`DROP INDEX ${quote(change.value.name)}`] }];
    if (change.kind !== "drop column") return [];
    const statements = [`ALTER TABLE ${quoteTable(from)} DROP COLUMN ${quote(change.column.name)}`];
    return [{ title: describeChange(change), statements }];
  });
}

/** A column that goes with a rebuild has another name while another takes its own. */
function freeColumnNames({ from, changes, rebuilt }: Work): Block[] {
  if (!rebuilt) return [];
  return changes.flatMap((change): Block[] => {
    const gone = change.kind === "rename column" ? droppedAs(change.to, changes) : undefined;
    if (gone === undefined) return [];
    return [
      {
        title: `make the name ${from}.${gone} free`,
        statements: [
          `ALTER TABLE ${quoteTable(from)} RENAME COLUMN ${quote(gone)} TO ${quote(`emberset_old_${gone}`)}`,
        ],
      },
    ];
  });
}

/** A statement for each column that gets another name: ALTER TABLE … RENAME COLUMN. */
export function renameColumns({ to, changes }: Work): Block[] {
  return changes.flatMap((change): Block[] =>
    change.kind === "rename column"
      ? [
          {
            title: describeChange(change),
            statements: [
              `ALTER TABLE ${quoteTable(to)} RENAME COLUMN ${quote(change.from)} TO ${quote(change.to)}`,
            ],
          },
        ]
      : [],
  );
}

/** A table changed where it stands: columns renamed and added, indexes and stamps made. */
export function alterInPlace(work: Work): Block[] {
  return [
    ...renameColumns(work),
    ...work.changes.flatMap(change => alterOne(change, work)),
    ...restate(work),
    ...addStamps(work),
  ];
}

/**
 * What the table is said to be, written anew as its rows already keep to it, and read again by all who use the file:
 * https://sqlite.org/lang_altertable.html#otheralter. A row that does not keep to what is new is put as it is, which is refused.
 */
function restate(work: Work): Block[] {
  const { to, now, changes, restated, looser } = work;
  if (!restated) return [];
  const [added, gone] = [addedUniques(work), goneUniques(work)];
  const held = changes.flatMap(change => {
    if (change.kind === "add part" && change.what === "check") return breaches(change.value as Check);
    if (change.kind === "alter part" && change.what === "check")
      return looser.has(change.after.name) ? [] : breaches(change.after as Check);
    const isStricter =
      change.kind === "alter column" && change.before.nullable && !change.after.nullable && change.after;
    // Of a column that may not be null the engine takes IS NULL for false without looking.
    return isStricter
      ? [{ columns: [isStricter.name], where: `typeof(${quote(isStricter.name)}) = 'null'` }]
      : [];
  });
  const free = now.columns.filter(({ computed }) => !computed).map(({ name }) => name);
  return [
    {
      title: `say anew what table ${to} is: its rows stay as they are`,
      details: changes.filter(isSaid).map(titleOf),
      statements: [
        ...added.map(({ made }) => made),
        RESTATE_START,
        ...gone.map(({ released }) => released),
        ...callOwnIndexes(work, added.length + gone.length > 0),
        restateSql(work),
        ...SEEN_BY_ALL,
        RESTATE_END,
        ...gone.map(({ name }) => `DROP INDEX ${quote(name)}`),
        ...held.map(({ columns, where }) => {
          const column = quote(columns.find(name => free.includes(name)) ?? free[0] ?? "rowid");
          return `UPDATE ${quoteTable(to)} SET ${column} = ${column} WHERE ${where}`;
        }),
      ],
    },
  ];
}

/**
 * Only where columns and indexes stand as the text will have them: else the rows would be read as something else. To a check that
 * asks for less than it did they keep, unless somebody has taken away what it was: then they are looked at.
 */
function restateSql({ to, was, now, changes, looser }: Work): string {
  const gone = changes.flatMap(change =>
    change.kind === "alter part" && change.what === "check" && looser.has(change.after.name)
      ? breaches(change.after as Check).map(
          ({ where }) =>
            `WHEN instr(sql, ${literalSql(checkSql(change.before as Check))}) = 0 AND EXISTS (SELECT 1 FROM ${quoteTable(to)} WHERE ${where})\n  THEN ${refusalSql(`rows break ${change.after.name}`)}`,
        )
      : [],
  );
  const name = literalSql(now.name);
  const columns = now.columns.map(column => literalSql(column.name)).join(",");
  return [
    "UPDATE sqlite_schema SET sql = CASE",
    ...gone,
    `WHEN (SELECT group_concat(quote(name)) FROM pragma_table_xinfo(${name})) = ${literalSql(columns)}`,
    `AND (SELECT count(*) FROM pragma_index_list(${name}) WHERE origin <> 'c') = ${ownIndexes(was).length}`,
    `THEN ${literalSql(createTableSql(now, to))}`,
    `ELSE ${refusalSql("columns or indexes stand otherwise: a script of your own has to build the table anew")}`,
    `END WHERE type = 'table' AND name = ${name} COLLATE NOCASE`,
  ].join("\n  ");
}

/**
 * What fails with a reason within a statement: only triggers may RAISE, and a path that is none is named in the error
 * (https://sqlite.org/json1.html#jpath). The runner takes the reason out of it.
 */
function refusalSql(reason: string): string {
  return `json_extract('{}', ${literalSql(reason)})`;
}

/** The index of each unique constraint that comes, made as any other. */
function addedUniques({ now, changes }: Work): { readonly name: string; readonly made: string }[] {
  return partsThat("add part", changes).map((unique, at) => {
    const name = `emberset_unique${at + 1}`;
    return { name, made: `CREATE UNIQUE INDEX ${quote(name)} ON ${quote(now.name)} ${keyedSql(unique)}` };
  });
}

/** The index of each unique constraint that goes, said to be any other, which can be dropped. */
function goneUniques({ now, changes }: Work): { readonly name: string; readonly released: string }[] {
  const renamed = new Map(
    changes.flatMap(change => (change.kind === "rename column" ? [[change.from, change.to]] : [])),
  );
  return partsThat("drop part", changes).map((dropped, at) => {
    const name = `emberset_gone${at + 1}`;
    const unique = { ...dropped, columns: dropped.columns.map(column => renamed.get(column) ?? column) };
    const sql = `CREATE UNIQUE INDEX ${quote(name)} ON ${quote(now.name)} ${keyedSql(unique)}`;
    return {
      name,
      released: [
        `UPDATE sqlite_schema SET name = ${literalSql(name)}, sql = ${literalSql(sql)}`,
        `WHERE ${OWN_OF(now)} AND sql IS NULL AND ${COLUMNS_OF_INDEX} = ${columnsText(unique)}`,
      ].join("\n  "),
    };
  });
}

function partsThat(kind: "add part" | "drop part", changes: readonly Change[]): Unique[] {
  return changes.flatMap(change => (change.kind === kind && change.what === "unique" ? [change.value] : []));
}

/** The indexes of a table's key and unique constraints are called after their place in what it is said to be. */
function callOwnIndexes({ was, now, changes }: Work, isOther: boolean): string[] {
  if (!isOther && ownIndexes(now).length < 2 && ownIndexes(was).length < 2) return [];
  const own = ownIndexes(now);
  if (own.length === 0) return [];
  const added = partsThat("add part", changes).map((_, at) => literalSql(`emberset_unique${at + 1}`));
  return [
    [
      `UPDATE sqlite_schema SET sql = NULL, name = CASE ${COLUMNS_OF_INDEX}`,
      ...own.map(
        (unique, at) =>
          `WHEN ${columnsText(unique)} THEN ${literalSql(`sqlite_autoindex_${now.name}_${at + 1}`)}`,
      ),
      `ELSE ${refusalSql("an index stands otherwise: a script of your own has to build the table anew")}`,
      `END WHERE ${OWN_OF(now)} AND (sql IS NULL${added.length > 0 ? ` OR name IN (${added.join(", ")})` : ""})`,
    ].join("\n  "),
  ];
}

const OWN_OF = ({ name }: Table) => `type = 'index' AND tbl_name = ${literalSql(name)} COLLATE NOCASE`;

/** Of the index that a row of the schema is about. */
const COLUMNS_OF_INDEX =
  "(SELECT group_concat(quote(name)) FROM pragma_index_xinfo(sqlite_schema.name) WHERE key)";

function columnsText({ columns }: Unique): string {
  return literalSql(columns.map(name => literalSql(name)).join(","));
}

/** Whether all that an index is can be asked for: an expression cannot. */
function isPlain({ parts, where }: Index): boolean {
  return where === undefined && parts.every(part => "column" in part);
}

/** Gives an index another name where it stands, if it is what it is said to be: to make it anew reads all rows. */
function renameIndexSql(from: string, index: Index, now: Table): string[] {
  const collationOf = (name: string) => now.columns.find(column => column.name === name)?.collation;
  const parts = index.parts.map(part => {
    const name = "column" in part ? part.column : "";
    const collation = textFor(part.collation ?? collationOf(name) ?? "", NAME) || "BINARY";
    return `${literalSql(name)}${part.descending ? 1 : 0}${collation.toUpperCase()}`;
  });
  const old = literalSql(from);
  const held = "SELECT group_concat(quote(name) || desc || upper(coll))";
  return [
    RESTATE_START,
    [
      `UPDATE sqlite_schema SET name = ${literalSql(index.name)}, sql = CASE`,
      `WHEN (${held} FROM pragma_index_xinfo(${old}) WHERE key) = ${literalSql(parts.join(","))}`,
      `AND (SELECT "unique" || partial FROM pragma_index_list(${literalSql(now.name)}) WHERE name = ${old} COLLATE NOCASE) = '${index.unique ? 1 : 0}0'`,
      `THEN ${literalSql(createIndexSql(now, index))}`,
      `ELSE ${refusalSql("the index is otherwise: a script of your own has to make it anew")}`,
      `END WHERE type = 'index' AND name = ${old} COLLATE NOCASE`,
    ].join("\n  "),
    ...SEEN_BY_ALL,
    RESTATE_END,
  ];
}

/** Any change of the schema tells others to read it again. */
const SEEN_BY_ALL = ["CREATE VIEW emberset_seen AS SELECT 1", "DROP VIEW emberset_seen"];

function isSaid(change: Change): boolean {
  return change.kind === "alter column" || ("what" in change && change.what !== "index");
}

function breaches(check: Check): { readonly columns: readonly string[]; readonly where: string }[] {
  const [rule] = check.rules;
  if (rule?.kind !== "sql") return [];
  return [{ columns: columnsOfPart("check", check), where: `NOT (${expressionSql(rule.sql, NAME, quote)})` }];
}

function alterOne(change: Change, { to, now, changes, taken, restated }: Work): Block[] {
  const dropIndex = (name: string) => (taken.has(name) ? [] : [`DROP INDEX ${quote(name)}`]);
  if (change.kind === "add column") {
    const { column } = change;
    const parts = (restated ? [] : changes)
      .filter(each => each.kind === "add part")
      .filter(({ what, value }) => what !== "index" && columnsOfPart(what, value).includes(column.name));
    const added = `ALTER TABLE ${quoteTable(to)} ADD COLUMN ${columnSql(column, now)}`;
    return [
      {
        title: [change, ...parts].map(titleOf).join(" · "),
        statements: [[added, ...parts.map(inlineSql)].join(" ")],
      },
    ];
  }
  if (!("what" in change) || change.what !== "index") return [];
  const title = titleOf(change);
  switch (change.kind) {
    case "rename part": {
      const made = now.indexes.filter(({ name }) => name === change.to);
      const [index] = made;
      if (index && isPlain(index) && !taken.has(change.from))
        return [{ title, statements: renameIndexSql(change.from, index, now) }];
      return [
        { title, statements: [...dropIndex(change.from), ...made.map(each => createIndexSql(now, each))] },
      ];
    }
    case "alter part":
      return [{ title, statements: [...dropIndex(change.before.name), createIndexSql(now, change.after)] }];
    case "add part":
      return [{ title, statements: [createIndexSql(now, change.value)] }];
    default:
      return [];
  }
}

function addStamps({ to, was, now, changes }: Work): Block[] {
  const renamed = isRenamed({ was, now, changes });
  const stands = (column: Column) => was.columns.some(({ name, stamp }) => name === column.name && stamp);
  return now.columns
    .filter(column => isStamped(column) && (renamed || !stands(column)))
    .map(column => ({
      title: `keep the stamp ${to}.${column.name}`,
      statements: [createTriggerSql(now, column)],
    }));
}

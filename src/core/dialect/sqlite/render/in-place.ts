import type { Change } from "../../../change/types.js";
import { describeChange, titleOf } from "../../../change/words.js";
import { addressOf } from "../../../schema/address.js";
import { columnsOfPart } from "../../../schema/lookups.js";
import type { Column } from "../../../schema/types.js";
import type { Block } from "../../shared/render-plan.js";
import { quote, quoteTable, stampTriggerName } from "../names.js";
import { columnSql, createIndexSql, createTriggerSql, inlineSql } from "./tables.js";
import { droppedAs, type Work } from "./works.js";

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
    ...addStamps(work),
  ];
}

function alterOne(change: Change, { to, now, changes, taken }: Work): Block[] {
  const dropIndex = (name: string) => (taken.has(name) ? [] : [`DROP INDEX ${quote(name)}`]);
  if (change.kind === "add column") {
    const { column } = change;
    const parts = changes
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
      return [
        { title, statements: [...dropIndex(change.from), ...made.map(index => createIndexSql(now, index))] },
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

import {
  isOfDefinition,
  tableOf,
  type AddColumn,
  type Change,
  type DefinitionChange,
} from "../core/change/types.js";
import {
  describeChange,
  describeColumn,
  describeDefault,
  describeDetail,
  describeDifference,
  describePart,
} from "../core/change/words.js";
import { addressOf } from "../core/schema/address.js";
import { showDataType } from "../core/schema/data-type.js";
import { equal } from "../core/schema/canonical.js";
import type { PartKind } from "../core/schema/types.js";

/** Where a table of a database differs from another version of the schema. */
export interface Difference {
  /** What it is about: the table itself, a column or another part. */
  readonly of: "table" | "column" | PartKind;
  /** As the database calls it; of what is missing there, as the other does. */
  readonly name: string;
  /** "missing": the database lacks it; "extra": the other does; "other": both have it, and not alike. */
  readonly is: "missing" | "extra" | "other";
  /** What is missing, or how the other has it: `varchar(120), required`, `varchar(80) → varchar(120)`, `called racks`. */
  readonly what: string;
  /** Of a missing column: how it would be, and where it would stand among the table's, from 0; absent: last. */
  readonly column?: {
    readonly type: string;
    readonly required: boolean;
    readonly default?: string;
    readonly at?: number;
  };
}

/** Differences by the database's tables, and the tables that it lacks. */
export interface Beside {
  readonly byTable: ReadonlyMap<string, readonly Difference[]>;
  /** By address, each in a few words. */
  readonly missing: readonly { readonly table: string; readonly what: string }[];
  /** Types and sequences beside the tables. */
  readonly others: readonly string[];
}

/** @param changes what would make the other version of the database */
export function besideOf(changes: readonly Change[]): Beside {
  const missing = changes.flatMap(change =>
    change.kind === "add table" ? [{ table: addressOf(change.table), what: describeDetail(change) }] : [],
  );
  const lacked = new Set(missing.map(({ table }) => table));
  const tables = new Renamed();
  const columns = new Map<string, Renamed>();
  const byTable = new Map<string, Difference[]>();
  for (const change of changes) {
    if (isOfDefinition(change) || change.kind === "add table") continue;
    const table = tableOf(change)!;
    // What closes a circle between tables that are missing is a part of them.
    if (lacked.has(table)) continue;
    const here = change.kind === "rename table" ? tables.rename(change.from, change.to) : tables.here(table);
    const own = columns.get(here) ?? new Renamed();
    columns.set(here, own);
    const found = differenceOf(change, own);
    const told = byTable.get(here) ?? [];
    // On its way to a name something may have another for a while.
    const others = told.filter(each => !(isRename(change) && equal(keyOf(each), keyOf(found))));
    byTable.set(here, [...others, found]);
  }
  return { byTable, missing, others: changes.filter(isOfDefinition).map(describeChange) };
}

const isRename = ({ kind }: Change) => kind.startsWith("rename ");

/** What tells differences about names apart. */
const keyOf = ({ of, name, what }: Difference) => [of, name, what.startsWith(CALLED)];

const CALLED = "called ";

/** What things are called in the database, by their names at a point of the way to the other version. */
class Renamed {
  private readonly names = new Map<string, string>();

  here(name: string): string {
    return this.names.get(name) ?? name;
  }

  rename(from: string, to: string): string {
    const here = this.here(from);
    this.names.delete(from);
    this.names.set(to, here);
    return here;
  }
}

/** One about a table that the database has. */
type TableChange = Exclude<Change, DefinitionChange | { readonly kind: "add table" }>;

/** @param columns those of its table */
function differenceOf(change: TableChange, columns: Renamed): Difference {
  switch (change.kind) {
    case "drop table":
      return { of: "table", name: "", is: "extra", what: "" };
    case "rename table":
      return { of: "table", name: "", is: "other", what: `${CALLED}${change.to}` };
    case "alter table":
      return { of: "table", name: "", is: "other", what: describeDetail(change) };
    case "add column":
      return missingColumn(change);
    case "drop column":
      return { of: "column", name: columns.here(change.column.name), is: "extra", what: "" };
    case "rename column":
      return {
        of: "column",
        name: columns.rename(change.from, change.to),
        is: "other",
        what: `${CALLED}${change.to}`,
      };
    case "alter column": {
      const name = columns.here(change.before.name);
      return { of: "column", name, is: "other", what: describeDifference(change) };
    }
    case "add part": {
      const what = describePart(change.what, change.value);
      return { of: change.what, name: change.value.name, is: "missing", what };
    }
    case "drop part":
      return { of: change.what, name: change.value.name, is: "extra", what: "" };
    case "alter part": {
      const what = describePart(change.what, change.after);
      return { of: change.what, name: change.before.name, is: "other", what };
    }
    case "rename part":
      return { of: change.what, name: change.from, is: "other", what: `${CALLED}${change.to}` };
    default:
      return change satisfies never;
  }
}

function missingColumn({ column, at }: AddColumn): Difference {
  const { name, type, nullable, default: value } = column;
  return {
    ...{ of: "column", name, is: "missing", what: describeColumn(column) },
    column: {
      ...{ type: showDataType(type), required: !nullable },
      ...(value && { default: describeDefault(value) }),
      ...(at !== undefined && { at }),
    },
  };
}

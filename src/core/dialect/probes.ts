import type { AddPart, AlterColumn, Change } from "../change/types.js";
import { isWidening } from "../change/widening.js";
import { startNames, type StartNames } from "../change/start-names.js";
import { columnsOfPart } from "../change/columns-used.js";
import { addressOf, quoteAddress } from "../schema/address.js";
import type { ForeignKey } from "../schema/types.js";
import { matchOf, restoredTo, type KeptValues } from "./attic.js";
import { cutBy } from "./narrowing.js";
import type { Dialect, RenderPlan } from "./dialect.js";
import { renderExpression } from "./settle.js";

/** A read-only query that counts the rows which would make a change fail, or that it would take away. */
export interface Probe {
  readonly change: Change;
  /** What is counted: `rows of pieces without a title`. */
  readonly question: string;
  /** Gives one row with one number, `n`. Reads the database as it is before the changes. */
  readonly sql: string;
  /**
   * "refuses": the change fails while the number is not 0; "loses": so many rows or values go; "keeps": so many go into
   * the attic.
   */
  readonly meaning: "refuses" | "loses" | "keeps";
}

/** `12 rows of pieces without a title` */
export function sayCount(count: number, question: string): string {
  return `${count} ${count === 1 ? question.replace(/^(row|value)s/, "$1") : question}`;
}

/** The probes of a plan. Standard SQL: the same for every dialect but for its quoting. */
export function probes(plan: RenderPlan, dialect: Dialect): Probe[] {
  const start = startNames(plan.changes);
  const table = (address: string) => quoteAddress(start.table(address), dialect.quote);
  const naming = { dialect, start, table, plan };
  return plan.changes.flatMap(change =>
    [probeOf(change, naming), probeOfCut(change, naming)].flatMap(found => {
      if (!found) return [];
      const keeps = plan.attic?.direction === "forward" && found.meaning === "loses";
      return [{ change, ...found, ...(keeps && { meaning: "keeps" as const }) }];
    }),
  );
}

/** Values that the engine would cut or round to make them fit another type. */
function probeOfCut(
  change: Change,
  { dialect, start, table, plan }: Naming,
): Omit<Probe, "change"> | undefined {
  if (change.kind !== "alter column" || change.convert !== undefined) return undefined;
  const { before, after } = change;
  const value = dialect.quote(start.column(change.table, after.name));
  const cut = cutBy(dialect, before, after, value);
  if (cut === undefined) return undefined;
  // Where the attic has what they were turned from, nothing is lost.
  const kept = restoredTo(plan, change.table).find(
    each => each.kind === "values" && each.columns[0]!.column.name === after.name,
  );
  const since = kept
    ? ` AND NOT EXISTS (SELECT 1 FROM ${quoteAddress(kept.place, dialect.quote)} AS k WHERE ${matchOf(kept.key, dialect.quote)})`
    : "";
  return {
    question: `values of ${change.table}.${after.name} that would be cut or rounded`,
    sql: `SELECT count(*) AS n FROM ${table(change.table)} AS t WHERE ${cut}${since}`,
    meaning: "refuses",
  };
}

interface Naming {
  readonly dialect: Dialect;
  readonly start: StartNames;
  /** A table as it is called at the start, quoted. */
  readonly table: (address: string) => string;
  readonly plan: RenderPlan;
}

function probeOf(change: Change, naming: Naming): Omit<Probe, "change"> | undefined {
  const { dialect, start, table, plan } = naming;
  switch (change.kind) {
    case "drop table": {
      const address = addressOf(change.table);
      return {
        question: `rows of ${address}`,
        sql: `SELECT count(*) AS n FROM ${table(address)}`,
        meaning: "loses",
      };
    }
    case "drop column": {
      if (change.column.computed) return undefined;
      const column = dialect.quote(change.column.name);
      return {
        question: `values of ${change.table}.${change.column.name}`,
        sql: `SELECT count(${column}) AS n FROM ${table(change.table)}`,
        meaning: "loses",
      };
    }
    case "add column": {
      const { column } = change;
      if (column.nullable || change.fill || column.default || column.identity || column.computed)
        return undefined;
      const kept = restoredTo(plan, change.table).find(({ columns }) =>
        columns.some(each => each.column.name === column.name),
      );
      if (kept) return addedSince(change.table, column.name, kept, naming);
      return {
        question: `rows of ${change.table}, which have no value for the required ${column.name}`,
        sql: `SELECT count(*) AS n FROM ${table(change.table)}`,
        meaning: "refuses",
      };
    }
    case "alter column": {
      const { before, after } = change;
      if (!before.nullable || after.nullable || change.fill || after.computed) return undefined;
      const column = dialect.quote(start.column(change.table, after.name));
      return {
        question: `rows of ${change.table} without a ${after.name}`,
        sql: `SELECT count(*) AS n FROM ${table(change.table)} WHERE ${column} IS NULL`,
        meaning: "refuses",
      };
    }
    case "add part":
      return probeOfPart(change, naming);
    case "alter part":
      return probeOfPart({ ...change, kind: "add part", value: change.after } as AddPart, naming);
    default:
      return undefined;
  }
}

/** Rows that came after the attic took the values of a required column: nothing says what theirs is. */
function addedSince(
  address: string,
  column: string,
  { place, key }: KeptValues,
  { dialect, table }: Naming,
): Omit<Probe, "change"> {
  return {
    question: `rows of ${address} added since, which have no value for the required ${column}`,
    sql:
      `SELECT count(*) AS n FROM ${table(address)} AS t ` +
      `WHERE NOT EXISTS (SELECT 1 FROM ${quoteAddress(place, dialect.quote)} AS k WHERE ${matchOf(key, dialect.quote)})`,
    meaning: "refuses",
  };
}

function probeOfPart(change: AddPart, naming: Naming): Omit<Probe, "change"> | undefined {
  const { dialect, start, table } = naming;
  const columns = columnsOfPart(change.what, change.value);
  if (columns.some(column => start.columnArrives(change.table, column))) return undefined;
  if (columns.some(column => valueToBe(change.table, column, naming) === undefined)) return undefined;
  const quoted = (column: string) => dialect.quote(start.column(change.table, column));
  const duplicates = (names: readonly string[], where?: string): Omit<Probe, "change"> => ({
    question: `values of ${change.table} (${names.join(", ")}) held by more than one row`,
    sql:
      `SELECT count(*) AS n FROM (SELECT 1 FROM ${table(change.table)} ` +
      `WHERE ${[...names.map(name => `${quoted(name)} IS NOT NULL`), ...(where ? [`(${where})`] : [])].join(" AND ")} ` +
      `GROUP BY ${names.map(quoted).join(", ")} HAVING count(*) > 1) AS doubled`,
    meaning: "refuses",
  });
  switch (change.what) {
    case "key":
    case "unique":
      return duplicates(change.value.columns);
    case "index": {
      const index = change.value;
      if (!index.unique || index.parts.some(part => "sql" in part)) return undefined;
      const where =
        index.where === undefined ? undefined : renderExpression(index.where, dialect.name, quoted);
      return duplicates(
        index.parts.flatMap(part => ("column" in part ? [part.column] : [])),
        where,
      );
    }
    case "check": {
      const rules = change.value.rules.flatMap(rule => (rule.kind === "sql" ? [rule.sql] : []));
      const holds = rules.map(sql => `(${renderExpression(sql, dialect.name, quoted)})`).join(" AND ");
      return {
        question: `rows of ${change.table} that break ${change.value.name}`,
        sql: `SELECT count(*) AS n FROM ${table(change.table)} WHERE NOT (${holds})`,
        meaning: "refuses",
      };
    }
    case "foreign key":
      return orphans(change.table, change.value, naming);
    default:
      return change satisfies never;
  }
}

/**
 * What holds already what a column will hold; undefined: its values become others, and only the engine can tell, which
 * then refuses what does not fit.
 */
function valueToBe(address: string, column: string, { dialect, start, plan }: Naming): string | undefined {
  const change = plan.changes.find(
    (each): each is AlterColumn =>
      each.kind === "alter column" && each.table === address && each.after.name === column,
  );
  const stays =
    !change || (change.convert === undefined && isWidening(change.before.type, change.after.type));
  return stays ? dialect.quote(start.column(address, column)) : undefined;
}

function orphans(
  address: string,
  { columns, references }: ForeignKey,
  naming: Naming,
): Omit<Probe, "change"> | undefined {
  const { dialect, start, table } = naming;
  const values = columns.flatMap(column => valueToBe(address, column, naming) ?? []);
  if (values.length < columns.length) return undefined;
  const own = values.map(value => `r.${value}`);
  const present = own.map(column => `${column} IS NOT NULL`);
  const matches = references.columns.map(
    (column, index) => `k.${dialect.quote(start.column(references.table, column))} = ${own[index]}`,
  );
  const missing = start.tableArrives(references.table)
    ? []
    : [`NOT EXISTS (SELECT 1 FROM ${table(references.table)} AS k WHERE ${matches.join(" AND ")})`];
  return {
    question: `rows of ${address} whose ${columns.join(", ")} refers to nothing in ${references.table}`,
    sql: `SELECT count(*) AS n FROM ${table(address)} AS r WHERE ${[...present, ...missing].join(" AND ")}`,
    meaning: "refuses",
  };
}

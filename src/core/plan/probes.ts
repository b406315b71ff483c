import type { Direction } from "../direction.js";
import { lossOf, type Loss } from "../change/loss.js";
import { namesThrough, type NamesThrough } from "../change/names.js";
import type { AddColumn, AddPart, AlterColumn, AlterPart, Change } from "../change/types.js";
import { matchSql, restoredTo } from "../dialect/shared/attic.js";
import type { KeptBesideKey } from "../dialect/shared/kept.js";
import { cutSql } from "../dialect/shared/cuts.js";
import type { Dialect } from "../dialect/shared/dialect.js";
import type { RenderPlan } from "../dialect/shared/render-plan.js";
import { expressionSql } from "../lower/expressions.js";
import { addressOf, quoteAddress } from "../schema/address.js";
import { columnsOfPart } from "../schema/lookups.js";
import { handlePart, type Check, type ForeignKey, type Index, type PartKind } from "../schema/types.js";
import { widensOn } from "./kept.js";

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

/**
 * The probes of a plan that is run in a direction. Portable but for quoting and for what only a dialect cuts; casts
 * around keys that change their type are in words that all three take.
 */
export function probes(plan: RenderPlan, dialect: Dialect, direction: Direction = "forward"): Probe[] {
  const names = namesThrough(plan.changes);
  const asking: Asking = {
    dialect,
    names,
    plan,
    direction,
    table: address => quoteAddress(names.before(address), dialect.names.quote),
    column: (table, column) => dialect.names.quote(names.before(table, column)),
  };
  return plan.changes.flatMap(change =>
    [probeOfRefusal(change, asking), probeOfCut(change, asking), probeOfLoss(change, asking)].flatMap(
      found => (found ? [{ change, ...found }] : []),
    ),
  );
}

type Question = Omit<Probe, "change">;

interface Asking {
  readonly dialect: Dialect;
  readonly names: NamesThrough;
  readonly plan: RenderPlan;
  readonly direction: Direction;
  /** A table as it is called at the start, quoted. */
  readonly table: (address: string) => string;
  /** A column as it is called at the start, quoted. */
  readonly column: (table: string, column: string) => string;
}

/** Rows or values that a change takes away. */
function probeOfLoss(change: Change, asking: Asking): Question | undefined {
  const loss = lossOf(change, widensOn(asking.dialect));
  const asked = loss && questionOfLoss(change, loss, asking);
  return asked && { ...asked, meaning: isKept(change, loss, asking) ? "keeps" : "loses" };
}

function questionOfLoss(
  change: Change,
  loss: Loss,
  { dialect, direction, table, column }: Asking,
): Omit<Question, "meaning"> | undefined {
  switch (change.kind) {
    case "drop table": {
      const address = addressOf(change.table);
      return { question: `rows of ${address}`, sql: `SELECT count(*) AS n FROM ${table(address)}` };
    }
    case "drop column": {
      const { name } = change.column;
      return {
        question: `values of ${change.table}.${name}`,
        sql: `SELECT count(${dialect.names.quote(name)}) AS n FROM ${table(change.table)}`,
      };
    }
    case "alter column": {
      // Going back turns values into what they were made of, which is what it is asked for.
      if (direction === "back" || loss.kind !== "values") return undefined;
      const [from, name] = [table(change.table), column(change.table, change.after.name)];
      return loss.by === "fill"
        ? {
            question: `rows of ${change.table} without a ${change.after.name}, which get one`,
            sql: `SELECT count(*) AS n FROM ${from} WHERE ${name} IS NULL`,
          }
        : {
            question: `values of ${change.table}.${change.after.name} that others take the place of`,
            sql: `SELECT count(${name}) AS n FROM ${from}`,
          };
    }
    default:
      return undefined;
  }
}

/** Whether the attic has what a change takes away. Values of rows that no key tells have no place to go back to. */
function isKept(change: Change, loss: Loss, { plan: { attic } }: Asking): boolean {
  if (attic?.direction !== "forward") return false;
  return (
    loss.kind !== "values" ||
    attic.kept.some(
      kept =>
        kept.kind === "values" &&
        change.kind === "alter column" &&
        kept.now === change.table &&
        kept.change.after.name === change.after.name,
    )
  );
}

/** Values that the engine would cut or round to make them fit another type. */
function probeOfCut(change: Change, { dialect, plan, table, column }: Asking): Question | undefined {
  if (change.kind !== "alter column" || change.convert !== undefined) return undefined;
  const { before, after } = change;
  const cut = cutSql(dialect, before, after, column(change.table, after.name));
  if (cut === undefined) return undefined;
  // Where the attic has what they were turned from, nothing is lost.
  const kept = restoredTo(plan, change.table).find(
    each => each.kind === "values" && each.columns.some(({ name }) => name === after.name),
  );
  return {
    question: `values of ${change.table}.${after.name} that would be cut or rounded`,
    sql: `SELECT count(*) AS n FROM ${table(change.table)} AS t WHERE ${cut}${kept ? ` AND ${notInAtticSql(kept, dialect)}` : ""}`,
    meaning: "refuses",
  };
}

/** That a row of a table, called t, is none of those the attic has. */
function notInAtticSql({ address, key }: KeptBesideKey, { names: { quote } }: Dialect): string {
  return `NOT EXISTS (SELECT 1 FROM ${quoteAddress(address, quote)} AS k WHERE ${matchSql(key, quote)})`;
}

/** Rows that would make a change fail. */
function probeOfRefusal(change: Change, asking: Asking): Question | undefined {
  switch (change.kind) {
    case "add column":
      return probeOfNewColumn(change, asking);
    case "alter column":
      return probeOfRequired(change, asking);
    case "add part":
    case "alter part":
      return probeOfPart(change, asking);
    default:
      return undefined;
  }
}

function probeOfNewColumn(change: AddColumn, { dialect, plan, table }: Asking): Question | undefined {
  const { column, table: address } = change;
  if (column.nullable || change.fill || column.default || column.identity || column.computed)
    return undefined;
  const kept = restoredTo(plan, address).find(({ columns }) =>
    columns.some(({ name }) => name === column.name),
  );
  // Rows that came after the attic took the values of a required column: nothing says what theirs is.
  const [since, where] = kept ? [" added since", ` AS t WHERE ${notInAtticSql(kept, dialect)}`] : ["", ""];
  return {
    question: `rows of ${address}${since}, which have no value for the required ${column.name}`,
    sql: `SELECT count(*) AS n FROM ${table(address)}${where}`,
    meaning: "refuses",
  };
}

function probeOfRequired(
  { table: address, before, after, fill }: AlterColumn,
  { table, column }: Asking,
): Question | undefined {
  if (!before.nullable || after.nullable || fill || after.computed) return undefined;
  return {
    question: `rows of ${address} without a ${after.name}`,
    sql: `SELECT count(*) AS n FROM ${table(address)} WHERE ${column(address, after.name)} IS NULL`,
    meaning: "refuses",
  };
}

function probeOfPart(change: AddPart | AlterPart, asking: Asking): Question | undefined {
  const part = change.kind === "add part" ? change.value : change.after;
  const { table } = change;
  const columns = columnsOfPart(change.what, part);
  if (columns.some(column => asking.names.arrives(table, column) || isReplaced(table, column, asking)))
    return undefined;
  return handlePart<PartKind, Question | undefined>(change.what, part, {
    key: key => duplicates(table, key.columns, asking),
    unique: unique => duplicates(table, unique.columns, asking),
    index: index => duplicatesInIndex(table, index, asking),
    "foreign key": foreignKey => orphans(table, foreignKey, asking),
    check: check => breaking(table, check, asking),
  });
}

/** Whether a column's values become others: only the engine can tell, which then refuses what does not fit. */
function isReplaced(table: string, column: string, { plan, dialect }: Asking): boolean {
  const change = plan.changes.find(
    (each): each is AlterColumn =>
      each.kind === "alter column" && each.table === table && each.after.name === column,
  );
  if (!change) return false;
  return change.convert !== undefined || !widensOn(dialect)(change.before.type, change.after.type);
}

function duplicates(
  address: string,
  names: readonly string[],
  { table, column }: Asking,
  where?: string,
): Question {
  const quoted = names.map(name => column(address, name));
  const conditions = [...quoted.map(name => `${name} IS NOT NULL`), ...(where ? [`(${where})`] : [])];
  return {
    question: `values of ${address} (${names.join(", ")}) held by more than one row`,
    sql:
      `SELECT count(*) AS n FROM (SELECT 1 FROM ${table(address)} WHERE ${conditions.join(" AND ")} ` +
      `GROUP BY ${quoted.join(", ")} HAVING count(*) > 1) AS doubled`,
    meaning: "refuses",
  };
}

function duplicatesInIndex(address: string, index: Index, asking: Asking): Question | undefined {
  if (!index.unique || index.parts.some(part => "sql" in part)) return undefined;
  const { dialect, column } = asking;
  const where =
    index.where === undefined
      ? undefined
      : expressionSql(index.where, dialect.name, name => column(address, name));
  const names = index.parts.flatMap(part => ("column" in part ? [part.column] : []));
  return duplicates(address, names, asking, where);
}

function breaking(address: string, check: Check, { dialect, table, column }: Asking): Question {
  const rules = check.rules.flatMap(rule => (rule.kind === "sql" ? [rule.sql] : []));
  const holds = rules
    .map(sql => `(${expressionSql(sql, dialect.name, name => column(address, name))})`)
    .join(" AND ");
  return {
    question: `rows of ${address} that break ${check.name}`,
    sql: `SELECT count(*) AS n FROM ${table(address)} WHERE NOT (${holds})`,
    meaning: "refuses",
  };
}

function orphans(
  address: string,
  { columns, references }: ForeignKey,
  { names, table, column }: Asking,
): Question {
  const own = columns.map(name => `r.${column(address, name)}`);
  const present = own.map(name => `${name} IS NOT NULL`);
  const matches = references.columns.map(
    (name, index) => `k.${column(references.table, name)} = ${own[index]}`,
  );
  const missing = names.arrives(references.table)
    ? []
    : [`NOT EXISTS (SELECT 1 FROM ${table(references.table)} AS k WHERE ${matches.join(" AND ")})`];
  return {
    question: `rows of ${address} whose ${columns.join(", ")} refers to nothing in ${references.table}`,
    sql: `SELECT count(*) AS n FROM ${table(address)} AS r WHERE ${[...present, ...missing].join(" AND ")}`,
    meaning: "refuses",
  };
}

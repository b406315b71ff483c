import type { Direction } from "../direction.js";
import { lossOf, type Loss } from "../change/loss.js";
import { namesThrough } from "../change/names.js";
import type { AddColumn, AddPart, AlterColumn, AlterPart, Change } from "../change/types.js";
import { matchSql, restoredTo } from "../dialect/shared/attic.js";
import type { KeptBesideKey } from "../dialect/shared/kept.js";
import type { Dialect } from "../dialect/shared/dialect.js";
import type { Cure } from "../problems.js";
import { unfoundSql, unlikeAnySql } from "../dialect/shared/numbering.js";
import type { RenderPlan } from "../dialect/shared/render-plan.js";
import { addressOf, quoteAddress } from "../schema/address.js";
import { columnsOfPart } from "../schema/lookups.js";
import {
  handlePart,
  PART_KINDS,
  partsOf,
  type Check,
  type Definition,
  type ForeignKey,
  type Index,
  type PartKind,
  type Parts,
} from "../schema/types.js";
import { widensOn } from "./kept.js";
import {
  conditionToBe,
  counting,
  countSql,
  retypedBy,
  valueToBe,
  valuesToBe,
  type Asking,
  type ValueToBe,
} from "./values-to-be.js";

/** A read-only query that counts the rows which would make a change fail, or that it would take away. */
export interface Probe {
  readonly change: Change;
  /** What is counted: `rows of pieces without a title`. */
  readonly question: string;
  /** Gives one row with one number, `n`. Reads the database as it is before the changes. */
  readonly sql: string;
  /** What is run before it, in the same session; it changes nothing. */
  readonly before?: string;
  /**
   * "refuses": the change fails while the number is not 0; "loses": so many rows or values go; "keeps": so many go into
   * the attic.
   */
  readonly meaning: "refuses" | "loses" | "keeps";
  /** What gets rows out of the way; absent: they must be corrected. */
  readonly cure?: Cure;
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
  const found = plan.changes.flatMap(change =>
    [probeOfRefusal(change, asking), probeOfCut(change, asking), probeOfLoss(change, asking)].flatMap(each =>
      each ? [{ change, ...each }] : [],
    ),
  );
  return [...found, ...probesOfStaying(asking), ...probesOfUnplaced(plan, dialect)];
}

/** Parts that stay as they are, over columns in which other values will stand. */
function probesOfStaying(asking: Asking): Probe[] {
  const { plan, names } = asking;
  const own = new Set(
    plan.changes.flatMap(change =>
      change.kind === "add part" || change.kind === "alter part"
        ? [JSON.stringify([change.table, change.what, partAfter(change).name])]
        : [],
    ),
  );
  return plan.after.tables.flatMap(table => {
    const address = addressOf(table);
    if (names.arrives(address)) return [];
    return PART_KINDS.flatMap(kind =>
      partsOf(table, kind).flatMap((part): Probe[] => {
        if (own.has(JSON.stringify([address, kind, part.name]))) return [];
        const change =
          changeOfValues(address, columnsOfPart(kind, part), asking) ??
          ("references" in part
            ? changeOfValues(part.references.table, part.references.columns, asking)
            : undefined);
        const asked = change && probeOfPart(address, kind, part, asking);
        return asked ? [{ change, ...asked }] : [];
      }),
    );
  });
}

/** The change, if any, that puts other values into one of some columns of a table. */
function changeOfValues(
  address: string,
  columns: readonly string[],
  asking: Asking,
): AlterColumn | undefined {
  return asking.plan.changes.find(
    (change): change is AlterColumn =>
      change.kind === "alter column" &&
      change.table === address &&
      columns.includes(change.after.name) &&
      (retypedBy(change, asking) !== undefined ||
        (change.fill !== undefined && change.before.nullable && !change.after.nullable)),
  );
}

/** What going back lets go of, since nothing tells into which rows it belongs. */
function probesOfUnplaced({ attic, changes: [change] }: RenderPlan, dialect: Dialect): Probe[] {
  if (attic?.direction !== "back" || !change) return [];
  const { quote } = dialect.names;
  const changed = attic.numbered.map((numbered): Probe => ({
    change,
    question: `rows kept of ${addressOf(numbered.table)}, which no row is any more as it was`,
    sql: unfoundSql("attic", numbered, quoteAddress(numbered.now, quote), dialect.attic),
    meaning: "loses",
  }));
  const unplaced = attic.kept.flatMap((kept): Probe[] =>
    kept.kind === "columns" && kept.key.length === 0
      ? [
          {
            change,
            question: `rows of ${addressOf(kept.table)} in the attic, which no key brings back`,
            sql: `SELECT count(*) AS n FROM ${quoteAddress(kept.address, quote)}`,
            meaning: "loses",
          },
        ]
      : [],
  );
  return [...changed, ...unplaced];
}

type Question = Omit<Probe, "change">;

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

/** Values that the engine would cut, round or refuse to make them fit another type. */
function probeOfCut(change: Change, asking: Asking): Question | undefined {
  if (change.kind !== "alter column") return undefined;
  const retyped = retypedBy(change, asking);
  if (retyped?.unfit === undefined) return undefined;
  const { dialect, plan, table } = asking;
  const { name } = change.after;
  // Where the attic has what they were turned from, nothing is lost.
  const kept = restoredTo(plan, change.table).find(
    each => each.kind === "values" && each.columns.some(column => column.name === name),
  );
  const unfit = kept ? `(${retyped.unfit}) AND ${notInAtticSql(kept, plan, dialect)}` : retyped.unfit;
  const what =
    change.convert === undefined ? "that would be cut, rounded or refused" : "that are not converted";
  return {
    question: `values of ${change.table}.${name} ${what}`,
    ...countSql(table(change.table), `${oldColumn(change, asking)} IS NOT NULL AND (${unfit})`, {
      ...{ fails: retyped.fails, refused: "counts", dialect },
    }),
    meaning: "refuses",
    cure: "convert",
  };
}

/** A column of a table called t, as it is called at the start. */
function oldColumn({ table, after }: AlterColumn, { column }: Asking): string {
  return `t.${column(table, after.name)}`;
}

/** That a row of a table, called t, is none of those the attic has. */
function notInAtticSql({ address, key, now }: KeptBesideKey, plan: RenderPlan, dialect: Dialect): string {
  const { quote } = dialect.names;
  const numbered = plan.attic?.numbered.find(each => each.now === now);
  if (numbered) return unlikeAnySql(numbered, dialect.attic);
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
      return probeOfPart(change.table, change.what, partAfter(change), asking);
    case "alter definition":
      return probeOfValues(change.before, change.after, asking);
    default:
      return undefined;
  }
}

/** Values, wherever a column is of the type, that it will not have any more. */
function probeOfValues(before: Definition, after: Definition, asking: Asking): Question | undefined {
  if (before.kind !== "enum" || after.kind !== "enum") return undefined;
  const { dialect, plan, names } = asking;
  const { quote } = dialect.names;
  const gone = before.values.filter(value => !after.values.includes(value));
  if (gone.length === 0) return undefined;
  const literals = gone.map(dialect.rows.literalSql);
  const staying = new Map(plan.after.tables.map(table => [names.before(addressOf(table)), table]));
  const counts = plan.before.tables.flatMap(table => {
    const now = staying.get(addressOf(table));
    return table.columns.flatMap(column => {
      const type = dialect.types.definedType?.(column, [before]);
      const stays = now?.columns.some(({ name }) => names.before(addressOf(now), name) === column.name);
      if (!type || !stays) return [];
      const holds = type.holdsOneOf(`t.${quote(column.name)}`, literals);
      return [`(SELECT count(*) FROM ${quoteAddress(addressOf(table), quote)} AS t WHERE ${holds})`];
    });
  });
  if (counts.length === 0) return undefined;
  return {
    question: `values ${gone.join(", ")} of the type ${after.name}`,
    sql: `SELECT ${counts.join(" + ")} AS n`,
    meaning: "refuses",
  };
}

function probeOfNewColumn(change: AddColumn, { dialect, plan, table }: Asking): Question | undefined {
  const { column, table: address } = change;
  if (column.nullable || change.fill || column.default || column.identity || column.computed)
    return undefined;
  const kept = restoredTo(plan, address).find(({ columns }) =>
    columns.some(({ name }) => name === column.name),
  );
  // Rows that came after the attic took the values of a required column: nothing says what theirs is.
  const numbered = kept && plan.attic?.numbered.find(({ now }) => now === kept.now);
  const since = numbered ? " added or changed since" : kept ? " added since" : "";
  const where = kept ? ` AS t WHERE ${notInAtticSql(kept, plan, dialect)}` : "";
  return {
    question: `rows of ${address}${since}, which have no value for the required ${column.name}`,
    sql: numbered
      ? unfoundSql("table", numbered, table(address), dialect.attic)
      : `SELECT count(*) AS n FROM ${table(address)}${where}`,
    meaning: "refuses",
    cure: "fill",
  };
}

function probeOfRequired(change: AlterColumn, asking: Asking): Question | undefined {
  const { table: address, before, after, fill, convert } = change;
  if (after.nullable || fill || after.computed) return undefined;
  const question = {
    question: `rows of ${address} without a ${after.name}`,
    meaning: "refuses",
    cure: "fill",
  } as const;
  // What is made of a value may be null, too.
  const retyped = convert === undefined ? undefined : retypedBy(change, asking);
  if (retyped) {
    const isNull = `(${retyped.value}) IS NULL`;
    const { fails } = retyped;
    const passing = { fails, refused: "is passed over", dialect: asking.dialect } as const;
    return { ...question, ...countSql(asking.table(address), isNull, passing) };
  }
  if (!before.nullable) return undefined;
  const where = `${oldColumn(change, asking)} IS NULL`;
  return { ...question, sql: `SELECT count(*) AS n FROM ${asking.table(address)} AS t WHERE ${where}` };
}

function partAfter(change: AddPart | AlterPart): Parts[PartKind] {
  return change.kind === "add part" ? change.value : change.after;
}

function probeOfPart(
  table: string,
  what: PartKind,
  part: Parts[PartKind],
  asking: Asking,
): Question | undefined {
  return handlePart<PartKind, Question | undefined>(what, part, {
    key: key => duplicates(table, key.columns, asking),
    unique: unique => duplicates(table, unique.columns, asking),
    index: index => duplicatesInIndex(table, index, asking),
    "foreign key": foreignKey => orphans(table, foreignKey, asking),
    check: check => breaking(table, check, asking),
  });
}

function duplicates(
  address: string,
  names: readonly string[],
  asking: Asking,
  where?: ValueToBe,
): Question | undefined {
  const found = valuesToBe(address, names, asking);
  return found && sharedValues(address, names, { ...found, ...(where && { where }) }, asking);
}

interface Shared {
  readonly values: readonly string[];
  readonly fails: boolean;
  readonly where?: ValueToBe;
}

/** Lists of values that more than one row has, nulls aside. */
function sharedValues(
  address: string,
  names: readonly string[],
  { values, fails, where }: Shared,
  asking: Asking,
): Question | undefined {
  if (asking.names.arrives(address)) return undefined;
  const conditions = [
    ...values.map(value => `(${value}) IS NOT NULL`),
    ...(where ? [`(${where.value})`] : []),
  ];
  const named = values.map((value, at) => `${value} AS value${at}`);
  const sql =
    `SELECT count(*) AS n FROM (SELECT 1 AS one FROM (SELECT ${named.join(", ")} FROM ${asking.table(address)} AS t ` +
    `WHERE ${conditions.join(" AND ")}) AS held GROUP BY ${named.map((_, at) => `value${at}`).join(", ")} ` +
    "HAVING count(*) > 1) AS doubled";
  return {
    question: `values of ${address} (${names.join(", ")}) held by more than one row`,
    ...counting(sql, fails || (where?.fails ?? false), asking),
    meaning: "refuses",
  };
}

function duplicatesInIndex(address: string, index: Index, asking: Asking): Question | undefined {
  if (!index.unique) return undefined;
  const where = index.where === undefined ? undefined : conditionToBe(address, index.where, asking);
  if (index.where !== undefined && !where) return undefined;
  const found = index.parts.map(part =>
    "column" in part ? valueToBe(address, part.column, asking) : conditionToBe(address, part.sql, asking),
  );
  const known = found.filter(each => each !== undefined);
  if (known.length < found.length) return undefined;
  const shared = {
    values: known.map(({ value }) => value),
    fails: known.some(each => each.fails),
    ...(where && { where }),
  };
  const names = index.parts.map(part => ("column" in part ? part.column : index.name));
  return sharedValues(address, names, shared, asking);
}

function breaking(address: string, check: Check, asking: Asking): Question | undefined {
  const rules = check.rules.flatMap(rule => (rule.kind === "sql" ? [rule.sql] : []));
  const found = rules.map(sql => conditionToBe(address, sql, asking));
  if (found.some(each => each === undefined) || asking.names.arrives(address)) return undefined;
  const known = found.filter(each => each !== undefined);
  const holds = known.map(({ value }) => `(${value})`).join(" AND ");
  const sql = `SELECT count(*) AS n FROM ${asking.table(address)} AS t WHERE NOT (${holds})`;
  return {
    question: `rows of ${address} that break ${check.name}`,
    ...counting(
      sql,
      known.some(({ fails }) => fails),
      asking,
    ),
    meaning: "refuses",
  };
}

function orphans(address: string, { columns, references }: ForeignKey, asking: Asking): Question | undefined {
  const { names, table } = asking;
  const own = valuesToBe(address, columns, asking, "r");
  const keys = valuesToBe(references.table, references.columns, asking, "k");
  if (!own || names.arrives(address)) return undefined;
  const present = own.values.map(value => `(${value}) IS NOT NULL`);
  const isNew = names.arrives(references.table);
  if (!keys && !isNew) return undefined;
  const matches = (keys?.values ?? []).map((value, at) => `(${value}) = (${own.values[at]})`);
  const missing = isNew
    ? []
    : [`NOT EXISTS (SELECT 1 FROM ${table(references.table)} AS k WHERE ${matches.join(" AND ")})`];
  const sql = `SELECT count(*) AS n FROM ${table(address)} AS r WHERE ${[...present, ...missing].join(" AND ")}`;
  return {
    question: `rows of ${address} whose ${columns.join(", ")} refers to nothing in ${references.table}`,
    ...counting(sql, own.fails || (keys?.fails ?? false), asking),
    meaning: "refuses",
  };
}

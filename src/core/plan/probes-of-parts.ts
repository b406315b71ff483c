import type { AddPart, AlterColumn, AlterPart } from "../change/types.js";
import { addressOf } from "../schema/address.js";
import { columnsOfPart } from "../schema/lookups.js";
import {
  handlePart,
  PART_KINDS,
  partsOf,
  type Check,
  type ForeignKey,
  type Index,
  type PartKind,
  type Parts,
} from "../schema/types.js";
import { takenOut } from "../dialect/shared/attic.js";
import { GROUPS, type Probe, type Question, type Sight } from "./probe.js";
import { sightOf } from "./sight.js";
import {
  conditionToBe,
  counting,
  NOTHING,
  retypedBy,
  valueToBe,
  valuesToBe,
  type Asking,
  type ValueToBe,
} from "./values-to-be.js";

/** Parts that stay as they are, over columns in which other values will stand. */
export function probesOfStaying(asking: Asking): Probe[] {
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
export function changeOfValues(
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

/** A part as it is to be. */
export function partAfter(change: AddPart | AlterPart): Parts[PartKind] {
  return change.kind === "add part" ? change.value : change.after;
}

/** Rows that a part does not take. */
export function probeOfPart(
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
  if (found?.values.includes(NOTHING)) return undefined;
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
    `SELECT count(*) AS n FROM (SELECT ${manyGroups(asking)}1 AS one FROM (SELECT ${named.join(", ")} FROM ${asking.table(address)} AS t ` +
    `WHERE ${conditions.join(" AND ")}) AS held GROUP BY ${named.map((_, at) => `value${at}`).join(", ")} ` +
    "HAVING count(*) > 1) AS doubled";
  return {
    question: `values of ${address} (${names.join(", ")}) held by more than one row`,
    sight: groupsSight(
      names,
      `(SELECT ${named.join(", ")} FROM ${asking.table(address)} AS t WHERE ${conditions.join(" AND ")})`,
      asking,
    ),
    ...counting(sql, fails || (where?.fails ?? false), asking),
    meaning: "refuses",
  };
}

/** Most rows are groups of their own. */
function manyGroups({ dialect }: Asking): string {
  const { manyGroups: hint } = dialect.rows;
  return hint === undefined ? "" : `${hint} `;
}

/** Values that several rows share, each with how many: one pass counts all of them, too. */
function groupsSight(names: readonly string[], from: string, asking: Asking): Sight {
  const { quote } = asking.dialect.names;
  const columns = names.map((_, at) => `value${at}`).join(", ");
  const shown = names.map((name, at) => `value${at} AS ${quote(name)}`);
  const counts = [`count(*) OVER () AS ${quote(GROUPS.all)}`, `count(*) AS ${quote(GROUPS.rows)}`];
  const sql = `SELECT ${manyGroups(asking)}${[...shown, ...counts].join(", ")} FROM ${from} AS held GROUP BY ${columns} HAVING count(*) > 1`;
  return { sql, key: [], values: names, grouped: true };
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
    sight: sightOf(address, asking, { columns: columnsOfPart("check", check), where: `NOT (${holds})` }),
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
  const kept = inAttic(references, asking);
  const keys = kept ?? valuesToBe(references.table, references.columns, asking, "k");
  if (!own || own.values.includes(NOTHING) || names.arrives(address)) return undefined;
  const present = own.values.map(value => `(${value}) IS NOT NULL`);
  const isNew = !kept && names.arrives(references.table);
  if (!keys && !isNew) return undefined;
  const matches = (keys?.values ?? []).map((value, at) => `(${value}) = (${own.values[at]})`);
  const place = kept?.place ?? table(references.table);
  const missing = isNew ? [] : [`NOT EXISTS (SELECT 1 FROM ${place} AS k WHERE ${matches.join(" AND ")})`];
  const where = [...present, ...missing].join(" AND ");
  const sql = `SELECT count(*) AS n FROM ${table(address)} AS r WHERE ${where}`;
  return {
    sight: sightOf(address, asking, { alias: "r", columns, where }),
    question: `rows of ${address} whose ${columns.join(", ")} refers to nothing in ${references.table}`,
    ...counting(sql, own.fails || (keys?.fails ?? false), asking),
    meaning: "refuses",
  };
}

/** Where what a reference refers to is until it comes out of the attic, as it was; undefined: it is not there. */
function inAttic({ table, columns }: ForeignKey["references"], { plan, dialect }: Asking) {
  const kept = takenOut(plan, table);
  const { quote } = dialect.names;
  return (
    kept && {
      place: dialect.attic.table(kept.address),
      values: columns.map(name => `k.${quote(name)}`),
      fails: false,
    }
  );
}

import type { Direction } from "../direction.js";
import { lossOf, type Loss } from "../change/loss.js";
import { namesThrough, type NamesThrough } from "../change/names.js";
import type { AddColumn, AlterColumn, AlterPart, Change } from "../change/types.js";
import { matchSql, replacedSql, restoredTo } from "../dialect/shared/attic.js";
import type { KeptBesideKey } from "../dialect/shared/kept.js";
import type { Dialect } from "../dialect/shared/dialect.js";
import { unfoundSql, unlikeAnySql } from "../dialect/shared/numbering.js";
import { checkKey, type RenderPlan } from "../dialect/shared/render-plan.js";
import { addressOf, quoteAddress } from "../schema/address.js";
import { columnsOfPart } from "../schema/lookups.js";
import type { Definition } from "../schema/types.js";
import { mentionsIn } from "../sql/object-head.js";
import { losesNothingOn } from "./kept.js";
import type { Probe, Question } from "./probe.js";
import { changeOfValues, partAfter, probeOfPart, probesOfStaying } from "./probes-of-parts.js";
import { sightOf, tellingColumns } from "./sight.js";
import type { Retyped } from "../dialect/shared/retyping.js";
import { countSql, retypedBy, type Asking } from "./values-to-be.js";

/** `12 rows of pieces without a title` */
export function sayCount(count: number, question: string): string {
  return `${count} ${count === 1 ? question.replace(/^(row|value)s/, "$1") : question}`;
}

/**
 * The probes of a plan that is run in a direction. Portable but for quoting and for what only a dialect cuts; casts
 * around keys that change their type are in words that all three take.
 */
export function probes(plan: RenderPlan, dialect: Dialect, direction: Direction = "forward"): Probe[] {
  const askingBy = (names: NamesThrough): Asking => ({
    dialect,
    names,
    plan,
    direction,
    table: address => quoteAddress(names.before(address), dialect.names.quote),
    column: (table, column) => dialect.names.quote(names.before(table, column)),
  });
  const asking = askingBy(namesThrough(plan.changes));
  // What goes is called as it is when it goes: another may have its name at the end.
  const asGoing = (change: Change, at: number) =>
    change.kind === "drop table" || change.kind === "drop column"
      ? askingBy(namesThrough(plan.changes.slice(0, at)))
      : asking;
  const isRenaming = plan.changes.some(({ kind }) => kind === "rename table" || kind === "rename column");
  const found = plan.changes.flatMap((change, at) =>
    [
      probeOfRefusal(change, asking),
      probeOfCut(change, asking),
      probeOfLoss(change, isRenaming ? asGoing(change, at) : asking),
    ].flatMap(each => (each ? [{ change, ...each }] : [])),
  );
  const all = [...found, ...probesOfStaying(asking), ...probesOfUnplaced(plan, dialect)];
  const isAskable = askable(plan, dialect);
  return all.filter(({ meaning, sql }) => meaning !== "refuses" || isAskable(sql));
}

/** Whether a query can be asked beforehand: what speaks of a function that only comes cannot. The engine will tell. */
function askable({ changes }: RenderPlan, { tokens }: Dialect): (sql: string) => boolean {
  const coming = changes.flatMap(change =>
    change.kind === "add definition" && change.definition.kind === "function"
      ? [change.definition.name.toLowerCase()]
      : [],
  );
  if (coming.length === 0) return () => true;
  return sql => !coming.some(name => mentionsIn(sql, tokens).read.has(name));
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

/** Rows or values that a change takes away. */
function probeOfLoss(change: Change, asking: Asking): Question | undefined {
  const loss = lossOf(change, losesNothingOn(asking.dialect));
  const asked = loss && questionOfLoss(change, loss, asking);
  return asked && { ...asked, meaning: isKept(change, loss, asking) ? "keeps" : "loses" };
}

function questionOfLoss(change: Change, loss: Loss, asking: Asking): Omit<Question, "meaning"> | undefined {
  const { dialect, direction, table, column } = asking;
  switch (change.kind) {
    case "drop table": {
      const address = addressOf(change.table);
      const from = table(address);
      const sight = sightOf(address, asking, { columns: tellingColumns(address, asking) });
      return { question: `rows of ${address}`, sql: `SELECT count(*) AS n FROM ${from}`, table: from, sight };
    }
    case "drop column": {
      const { name } = change.column;
      return {
        question: `values of ${change.table}.${name}`,
        sql: `SELECT count(${dialect.names.quote(name)}) AS n FROM ${table(change.table)}`,
        table: table(change.table),
        sight: sightOf(change.table, asking, {
          columns: [name],
          where: `t.${dialect.names.quote(name)} IS NOT NULL`,
        }),
      };
    }
    case "alter column": {
      // Going back turns values into what they were made of, which is what it is asked for.
      if (direction === "back" || loss.kind !== "values") return undefined;
      const [from, name] = [table(change.table), column(change.table, change.after.name)];
      const where = replacedSql(loss.by, change, `t.${name}`, dialect.attic) ?? `t.${name} IS NOT NULL`;
      const isFilled = loss.by === "fill";
      return {
        question: isFilled
          ? `rows of ${change.table} without a ${change.after.name}, which get one`
          : `values of ${change.table}.${change.after.name} that others take the place of`,
        sql: `SELECT count(*) AS n FROM ${from} AS t WHERE ${where}`,
        table: from,
        sight: sightOf(change.table, asking, { where, ...(!isFilled && { columns: [change.after.name] }) }),
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
  const unfit = kept
    ? unlessKept(retyped, retyped.unfit, notInAtticSql(kept, plan, dialect), dialect)
    : retyped.unfit;
  const what =
    change.convert === undefined ? "that would be cut, rounded or refused" : "that are not converted";
  const where = `${oldColumn(change, asking)} IS NOT NULL AND (${unfit})`;
  const sight = sightOf(change.table, asking, { columns: [name], where });
  return {
    question: `values of ${change.table}.${name} ${what}`,
    ...countSql(table(change.table), where, {
      ...{ fails: retyped.fails, refused: "counts", dialect },
      ...(sight && { sight }),
    }),
    sight,
    meaning: "refuses",
    cure: "convert",
  };
}

/** Where the engine refuses a value rather than say that it does not fit, one that the attic has is not looked at. */
function unlessKept({ fails }: Retyped, unfit: string, isNotKept: string, { rows }: Dialect): string {
  return fails && rows.countGuarded
    ? `CASE WHEN ${isNotKept} THEN ${unfit} ELSE false END`
    : `(${unfit}) AND ${isNotKept}`;
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
  return `NOT EXISTS (SELECT 1 FROM ${quoteAddress(address, quote)} AS k WHERE ${matchSql(key, dialect.attic)})`;
}

/** Rows that would make a change fail. */
function probeOfRefusal(change: Change, asking: Asking): Question | undefined {
  switch (change.kind) {
    case "add column":
      return probeOfNewColumn(change, asking);
    case "alter column":
      return probeOfRequired(change, asking);
    case "alter part":
      // Rows keep to a check that is there.
      if (change.what === "check" && isHeld(change, asking)) return undefined;
      return probeOfPart(change.table, change.what, partAfter(change), asking);
    case "add part":
      return probeOfPart(change.table, change.what, partAfter(change), asking);
    case "alter definition":
      return probeOfValues(change.before, change.after, asking);
    default:
      return undefined;
  }
}

/** Whether rows keep to a check that asks for less than it did, and hold then what they held. */
function isHeld({ table, before, after }: AlterPart<"check">, asking: Asking): boolean {
  if (!asking.plan.looser?.has(checkKey(table, after.name))) return false;
  const isProven = before.options?.[asking.dialect.name]?.["not valid"] === undefined;
  return isProven && changeOfValues(table, columnsOfPart("check", after), asking) === undefined;
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

function probeOfNewColumn(change: AddColumn, asking: Asking): Question | undefined {
  const { dialect, plan, table } = asking;
  const { column, table: address } = change;
  if (column.nullable || change.fill || column.default || column.identity || column.computed)
    return undefined;
  const kept = restoredTo(plan, address).find(({ columns }) =>
    columns.some(({ name }) => name === column.name),
  );
  // Rows that came after the attic took the values of a required column: nothing says what theirs is.
  const numbered = kept && plan.attic?.numbered.find(({ now }) => now === kept.now);
  const since = numbered ? " added or changed since" : kept ? " added since" : "";
  const condition = kept && !numbered ? notInAtticSql(kept, plan, dialect) : undefined;
  const where = condition === undefined ? "" : ` AS t WHERE ${condition}`;
  const looking = {
    columns: tellingColumns(address, asking),
    ...(condition !== undefined && { where: condition }),
  };
  return {
    question: `rows of ${address}${since}, which have no value for the required ${column.name}`,
    sql: numbered
      ? unfoundSql("table", numbered, table(address), dialect.attic)
      : `SELECT count(*) AS n FROM ${table(address)}${where}`,
    ...(!numbered && { sight: sightOf(address, asking, looking) }),
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
    const sight = sightOf(address, asking, { columns: [after.name], where: isNull });
    return { ...question, ...countSql(asking.table(address), isNull, passing), sight };
  }
  if (!before.nullable) return undefined;
  const where = `${oldColumn(change, asking)} IS NULL`;
  const sight = sightOf(address, asking, { columns: tellingColumns(address, asking), where });
  return {
    ...question,
    sql: `SELECT count(*) AS n FROM ${asking.table(address)} AS t WHERE ${where}`,
    sight,
  };
}

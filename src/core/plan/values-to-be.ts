import type { Direction } from "../direction.js";
import type { NamesThrough } from "../change/names.js";
import type { AddColumn, AlterColumn } from "../change/types.js";
import { restoredTo } from "../dialect/shared/attic.js";
import type { DefinedType, Dialect, GuardedCount, RowCondition } from "../dialect/shared/dialect.js";
import type { RenderPlan } from "../dialect/shared/render-plan.js";
import type { Retyped } from "../dialect/shared/retyping.js";
import { expressionSql } from "../lower/expressions.js";
import { addressOf } from "../schema/address.js";
import { equal } from "../schema/canonical.js";
import type { Default, SqlText } from "../schema/types.js";
import { widensOn } from "./kept.js";
import type { Sight } from "./probe.js";

/** What a probe is made of: a plan, and how things are called at its start. */
export interface Asking {
  readonly dialect: Dialect;
  readonly names: NamesThrough;
  readonly plan: RenderPlan;
  readonly direction: Direction;
  /** A table as it is called at the start, quoted. */
  readonly table: (address: string) => string;
  /** A column as it is called at the start, quoted. */
  readonly column: (table: string, column: string) => string;
}

/**
 * Counts the rows of a table, called t, of which a condition holds.
 * @param fails whether the engine may refuse to work it out
 * @param refused what then comes of rows of which it cannot be worked out
 */
export function countSql(
  table: string,
  condition: string,
  { fails, refused, dialect, sight }: Counting,
): Partial<GuardedCount> & Pick<GuardedCount, "sql"> {
  const count = `SELECT count(*) AS n FROM ${table} AS t WHERE ${condition}`;
  const guarded = fails
    ? dialect.rows.countGuarded?.(
        count,
        refused === "counts" ? { table, condition, ...shownOf(sight, dialect) } : undefined,
      )
    : undefined;
  return guarded ?? { sql: count };
}

interface Counting {
  readonly fails: boolean;
  readonly refused: "counts" | "is passed over";
  readonly dialect: Dialect;
  /** A look at the rows that are counted. */
  readonly sight?: Sight;
}

/** What a look shows of a row that is called t. */
function shownOf(sight: Sight | undefined, { names: { quote } }: Dialect): Pick<RowCondition, "shown"> {
  return sight ? { shown: [...sight.key, ...sight.values].map(name => `t.${quote(name)}`) } : {};
}

/** What becomes of a value, where another stands in its place afterwards; undefined: it stays. */
export function retypedBy(
  { table, before, after, convert }: AlterColumn,
  { dialect, column }: Asking,
  alias = "t",
): Retyped | undefined {
  if (after.computed) return undefined;
  const named = (name: string) => `${alias}.${column(table, name)}`;
  if (convert === undefined && widensOn(dialect)(before.type, after.type)) {
    const value = named(after.name);
    const unfit = after.identity && !before.identity ? dialect.types.unfitToCount?.(value) : undefined;
    return unfit === undefined ? undefined : { value, unfit, fails: false };
  }
  const converted = convert === undefined ? undefined : expressionSql(convert, dialect.name, named);
  return dialect.types.retype(before, after, named(after.name), converted);
}

/** What stands in a new column that nothing gives a value to: no rule but one that demands a value looks at it. */
export const NOTHING = "NULL";

/** A value as SQL; `fails`: the engine may refuse to work it out. */
export interface ValueToBe {
  readonly value: string;
  readonly fails: boolean;
}

/** A column's value as it will be, by what there is before; undefined: nothing can tell, as of what counts up. */
export function valueToBe(address: string, name: string, asking: Asking, alias = "t"): ValueToBe | undefined {
  const { names, plan, dialect } = asking;
  const given = (value: Default): ValueToBe | undefined =>
    value.kind === "uuid"
      ? undefined
      : {
          value:
            value.kind === "sql"
              ? `(${expressionSql(value.sql, dialect.name, each => `${alias}.${asking.column(address, each)}`)})`
              : dialect.rows.literalSql(value.value),
          fails: false,
        };
  const change = plan.changes.find(
    (each): each is AddColumn | AlterColumn =>
      (each.kind === "alter column" && each.table === address && each.after.name === name) ||
      (each.kind === "add column" && each.table === address && each.column.name === name),
  );
  const column = change?.kind === "add column" ? change.column : change?.after;
  if (column?.computed) return undefined;
  if (names.arrives(address, name)) {
    if (change?.kind !== "add column" || change.column.identity) return undefined;
    // What the attic has of it, only a query beside the attic's tables could tell.
    if (restoredTo(plan, address).some(({ columns }) => columns.some(each => each.name === name)))
      return undefined;
    const value = change.fill && !change.column.nullable ? change.fill : change.column.default;
    return value ? given(value) : { value: NOTHING, fails: false };
  }
  const plain = `${alias}.${asking.column(address, name)}`;
  const redefined = redefinedType(address, name, asking);
  if (redefined) return { value: redefined.asText(plain), fails: true };
  if (change?.kind !== "alter column") return { value: plain, fails: false };
  if (restoredTo(plan, address).some(({ columns }) => columns.some(each => each.name === name)))
    return undefined;
  const { value, fails } = retypedBy(change, asking, alias) ?? {
    value: widenedTo(change, plain, asking),
    fails: false,
  };
  const fill = change.fill && !change.after.nullable ? given(change.fill) : undefined;
  return { value: fill ? `coalesce(${value}, ${fill.value})` : value, fails };
}

/** A value that stays what it is, in a type that holds others beside it: what it is compared with may be one of those. */
function widenedTo({ before, after }: AlterColumn, plain: string, { dialect }: Asking): string {
  return equal(before.type, after.type) ? plain : dialect.types.retype(before, after, plain, undefined).value;
}

/** The type of a column whose values change: it does not know the new ones yet, which a text does. */
function redefinedType(
  address: string,
  name: string,
  { dialect, plan, names }: Asking,
): DefinedType | undefined {
  const redefined = plan.changes.flatMap(change =>
    change.kind === "alter definition" ? [change.before] : [],
  );
  if (redefined.length === 0) return undefined;
  const table = plan.before.tables.find(each => addressOf(each) === names.before(address));
  const column = table?.columns.find(each => each.name === names.before(address, name));
  return column && dialect.types.definedType?.(column, redefined);
}

/** The same of several; undefined where one cannot be told. */
export function valuesToBe(
  address: string,
  columns: readonly string[],
  asking: Asking,
  alias?: string,
): { readonly values: readonly string[]; readonly fails: boolean } | undefined {
  const found = columns.map(name => valueToBe(address, name, asking, alias));
  if (found.some(each => each === undefined)) return undefined;
  const known = found.filter(each => each !== undefined);
  return { values: known.map(({ value }) => value), fails: known.some(({ fails }) => fails) };
}

/** A count that is passed over where the engine refuses to work it out: what it stumbles over is counted by itself. */
export function counting(
  sql: string,
  fails: boolean,
  { dialect }: Asking,
): Partial<GuardedCount> & Pick<GuardedCount, "sql"> {
  return (fails ? dialect.rows.countGuarded?.(sql) : undefined) ?? { sql };
}

/** An SQL condition on a table, by the values its columns will have. */
export function conditionToBe(address: string, sql: SqlText, asking: Asking): ValueToBe | undefined {
  let [known, fails] = [true, false];
  const value = expressionSql(sql, asking.dialect.name, name => {
    const found = valueToBe(address, name, asking);
    if (!found) known = false;
    if (found?.fails) fails = true;
    return found?.value.includes(" ") ? `(${found.value})` : (found?.value ?? "NULL");
  });
  return known ? { value, fails } : undefined;
}

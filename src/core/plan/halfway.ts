import { diff, fillKey } from "../change/diff.js";
import { hintsOf } from "../change/hints.js";
import type { Dialect } from "../dialect/shared/dialect.js";
import type { Kept, KeptCounter } from "../dialect/shared/kept.js";
import type { RenderPlan, SecondColumn } from "../dialect/shared/render-plan.js";
import { addressOf, tablesByAddress } from "../schema/address.js";
import { equal } from "../schema/canonical.js";
import { definitionKey, type Schema, type Table } from "../schema/types.js";

/**
 * What takes a database back that is in the midst of a migration: the schema that it holds tells how far that came.
 * @param full the migration forward @param before the schema before it and @param held the one that is there, both as the
 * engine spells them @returns undefined where the schema does not tell: of values that become others, of rows that no key
 * tells, and of names that are traded
 */
export function wayBackFrom({ full, before, held }: Midst, { render }: Dialect): RenderPlan | undefined {
  const { kept: all = [], counters: counted = [], numbered = [] } = full.attic ?? {};
  const { tables, columns, fills, conversions } = hintsOf(full.changes);
  const seconds = full.online ? render.online?.seconds?.(full) : undefined;
  const untouched = new Set(
    (seconds ?? [])
      .filter(each => isUntouched(each, before, held))
      .map(({ table, column }) => fillKey(table, column)),
  );
  const isUntold = (kept: Kept) =>
    kept.kind === "values"
      ? !untouched.has(fillKey(kept.now, kept.change.after.name))
      : kept.kind === "columns" && kept.key.length === 0;
  const isSaid = (key: string) => !untouched.has(key);
  if (all.some(isUntold) || numbered.length > 0) return undefined;
  if ([...fills.keys(), ...conversions.keys()].some(isSaid)) return undefined;
  const known = new Set([...before.tables, ...full.after.tables].map(addressOf));
  const midst: Schema = { ...held, tables: held.tables.filter(table => known.has(addressOf(table))) };
  const [was, now] = [tablesByAddress(before), tablesByAddress(midst)];
  const tableNames = undone(tables, new Set(was.keys()), new Set(now.keys()));
  if (!tableNames) return undefined;
  const columnNames = new Map<string, ReadonlyMap<string, string>>();
  for (const [address, pairs] of columns) {
    const old = [...tables].find(([, to]) => to === address)?.[0] ?? address;
    const names = undone(pairs, namesIn(was.get(old)), namesIn(now.get(address) ?? now.get(old)));
    if (!names) return undefined;
    columnNames.set(old, names);
  }
  const states = all.map(kept => stateOf(kept, now));
  if (states.includes("in part")) return undefined;
  const kept = all.filter((_, at) => states[at] === "taken");
  const there = new Set((midst.definitions ?? []).map(definitionKey));
  const counters = counted.filter(counter => countsNoMore(counter, now, there));
  const inUse = new Set([...kept, ...counters].map(({ address }) => address));
  const leftOver = [...all, ...counted].map(({ address }) => address).filter(address => !inUse.has(address));
  return {
    before: midst,
    after: before,
    changes: diff(midst, before, { tables: tableNames, columns: columnNames, positions: true }),
    attic: {
      ...{ direction: "back", kept, counters, numbered: [] },
      ...(leftOver.length > 0 && { leftOver }),
    },
  };
}

/** Renames that are done, the other way round; undefined: which are cannot be told, as where two trade their names. */
function undone(
  renames: ReadonlyMap<string, string>,
  was: ReadonlySet<string>,
  now: ReadonlySet<string>,
): Map<string, string> | undefined {
  const pairs = [...renames];
  if (pairs.some(([from, to]) => was.has(to) || now.has(from) === now.has(to))) return undefined;
  return new Map(pairs.filter(([, to]) => now.has(to)).map(([from, to]) => [to, from]));
}

function namesIn(table: Table | undefined): Set<string> {
  return new Set(table?.columns.map(({ name }) => name));
}

interface Midst {
  readonly full: RenderPlan;
  readonly before: Schema;
  readonly held: Schema;
}

/** As long as both columns are there, or the first is as it was, it has all that it had. */
function isUntouched({ table, column, spare, retyped }: SecondColumn, before: Schema, held: Schema): boolean {
  const columnsIn = ({ tables }: Schema) => tables.find(each => addressOf(each) === table)?.columns ?? [];
  const [was, now] = [columnsIn(before), columnsIn(held)].map(all => all.find(({ name }) => name === column));
  if (!now) return false;
  return columnsIn(held).some(({ name }) => name === spare) || (retyped && equal(was?.type, now.type));
}

/** Whether what is kept is gone from where it was: values that are told never are. */
function stateOf(kept: Kept, now: ReadonlyMap<string, Table>): "taken" | "there" | "in part" {
  if (kept.kind === "table") return now.has(addressOf(kept.table)) ? "there" : "taken";
  if (kept.kind === "values") return "there";
  const table = now.get(kept.now) ?? now.get(addressOf(kept.table));
  const names = namesIn(table);
  const there = kept.columns.filter(({ name }) => names.has(name)).length;
  if (there === 0) return "taken";
  return there === kept.columns.length ? "there" : "in part";
}

/** Whether what counted does so no more. */
function countsNoMore(
  counter: KeptCounter,
  now: ReadonlyMap<string, Table>,
  definitions: ReadonlySet<string>,
): boolean {
  if (counter.kind === "sequence") return !definitions.has(definitionKey(counter.definition));
  const table = now.get(counter.now ?? "") ?? now.get(addressOf(counter.table));
  return !table?.columns.some(({ name, identity }) => name === counter.column.name && identity !== undefined);
}

import { fillKey, type Conversion, type DiffHints } from "../../change/diff.js";
import type { Past } from "../../change/past.js";
import { tablesByAddress } from "../../schema/address.js";
import type { Column, Default, Schema, Table } from "../../schema/types.js";
import type { Said, SaidOfColumn, SaidOfTable } from "./model-schema.js";

/** Where a way starts: a schema, and what has been done to the names in it. */
export interface Start {
  readonly schema: Schema;
  readonly past: Past;
}

/** What is still to be done of what models say of the way to them, and how each saying was judged. */
export interface Way {
  readonly hints: DiffHints;
  readonly tables: readonly JudgedTable[];
  readonly columns: readonly JudgedColumn[];
}

interface Judgement {
  /** The name now of what is to be renamed. */
  readonly rename?: string;
  /** It is called by its new name already, and was once called by the old. */
  readonly done: boolean;
  /** Something was once called so. */
  readonly known: boolean;
}

interface JudgedTable extends Judgement {
  readonly said: SaidOfTable;
}

export interface JudgedColumn extends Judgement {
  readonly said: SaidOfColumn;
  /** Its table, and itself, at the start; absent: not there yet. */
  readonly table?: Table;
  readonly had?: Column;
  /** What was once done to its values. */
  readonly life: ReturnType<Past["life"]>;
}

/**
 * What models say of the way to them, as far as it is not done yet: a rename that the past holds is not done again,
 * however long `was` stays.
 */
export function wayTo(said: Said, { schema, past }: Start): Way {
  const before = tablesByAddress(schema);
  const tables = said.tables.map(each => judgeTable(each, before, past));
  const renamed = new Map(
    tables.flatMap(({ rename, said: { table } }) => (rename === undefined ? [] : [[rename, table]])),
  );
  const oldAddresses = new Map([...renamed].map(([from, to]) => [to, from]));
  const columns = said.columns.map(each => {
    const from = oldAddresses.get(each.table) ?? (renamed.has(each.table) ? undefined : each.table);
    return judgeColumn(each, from === undefined ? undefined : before.get(from), from ?? each.table, past);
  });
  return { hints: hintsFrom(renamed, columns), tables, columns };
}

function judgeTable(said: SaidOfTable, before: ReadonlyMap<string, Table>, past: Past): JudgedTable {
  const names = said.earlier.filter(name => name !== said.table);
  const done = before.has(said.table) && names.some(name => past.life(said.table)?.names.has(name));
  const rename = done ? undefined : names.find(name => before.has(name));
  return { said, done, known: names.some(past.hadTable), ...(rename !== undefined && { rename }) };
}

function judgeColumn(said: SaidOfColumn, table: Table | undefined, from: string, past: Past): JudgedColumn {
  const columnOf = (name: string) => table?.columns.find(each => each.name === name);
  const own = columnOf(said.column);
  const ownLife = own && past.life(from, said.column);
  const done = said.earlier.some(name => ownLife?.names.has(name));
  const rename = done ? undefined : said.earlier.find(columnOf);
  const had = rename === undefined ? own : columnOf(rename);
  return {
    said,
    done,
    known: said.earlier.some(name => past.hadColumn(from, name)),
    life: had && past.life(from, had.name),
    ...(rename !== undefined && { rename }),
    ...(table && { table }),
    ...(had && { had }),
  };
}

function hintsFrom(tables: ReadonlyMap<string, string>, judged: readonly JudgedColumn[]): DiffHints {
  const columns = new Map<string, Map<string, string>>();
  const fills = new Map<string, Default>();
  const conversions = new Map<string, Conversion>();
  for (const { rename, said } of judged) {
    const { table, column, fill, conversion } = said;
    if (rename !== undefined)
      columns.set(table, (columns.get(table) ?? new Map<string, string>()).set(rename, column));
    if (fill) fills.set(fillKey(table, column), fill);
    if (conversion) conversions.set(fillKey(table, column), conversion);
  }
  return { tables, columns, fills, conversions };
}

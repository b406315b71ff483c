import { parseAddress } from "./address.js";
import { isObject, type Schema, type Table } from "./types.js";

/** The table in each database that says which migrations ran there. */
export const LEDGER = "emberset_ledger";

/** The table that has what it takes to go back, beside the ledger. */
export const LEDGER_KEPT = `${LEDGER}_kept`;

/** The table, where an engine commits each statement by itself, that says how far a run came. */
export const JOURNAL = "emberset_journal";

/** What the names of the attic's tables, or of its namespaces, begin with. */
export const ATTIC = "emberset_attic_";

/** Whether a table is Emberset's own rather than the project's. */
export function isInternalTable({ name, namespace }: Pick<Table, "name" | "namespace">): boolean {
  return (
    [LEDGER, LEDGER_KEPT, JOURNAL].includes(name) ||
    name.startsWith(ATTIC) ||
    (namespace?.startsWith(ATTIC) ?? false)
  );
}

/** What a catalog says, but for Emberset's own tables and what hangs on them. */
export function withoutInternal<L extends { readonly table?: string }>({
  schema,
  leftAlone,
}: {
  readonly schema: Schema;
  readonly leftAlone: readonly L[];
}): { schema: Schema; leftAlone: L[] } {
  const isOther = (table: string | undefined) => table === undefined || !isInternalTable(parseAddress(table));
  const { definitions, ...rest } = schema;
  const own = definitions?.filter(each => !isObject(each) || isOther(each.on));
  return {
    schema: {
      ...rest,
      tables: schema.tables.filter(table => !isInternalTable(table)),
      ...(own && own.length > 0 && { definitions: own }),
    },
    leftAlone: leftAlone.filter(({ table }) => isOther(table)),
  };
}

import { diff } from "../core/change/diff.js";
import type { Change } from "../core/change/types.js";
import type { Catalog, Dialect } from "../core/dialect/shared/dialect.js";
import { respell, type Spellings } from "../core/lower/spellings.js";
import { addressOf } from "../core/schema/address.js";
import { withoutInternal } from "../core/schema/internal-tables.js";
import { definitionKey, type Index, type Schema } from "../core/schema/types.js";
import type { Database } from "../database/session/database.js";
import { allSpellings, readLedger } from "../database/ledger.js";

/** What a database holds beside what its ledger says. */
interface Found {
  /** How it differs, as changes from what the ledger says to what is there. */
  readonly drift: readonly Change[];
  /** Tables that the migrations do not know: they are none of their business. */
  readonly beside: readonly string[];
  /** Indexes of tables that they know, which somebody else has made: they are left alone. */
  readonly indexes: readonly BesideIndex[];
}

interface BesideIndex {
  /** The address of its table. */
  readonly table: string;
  readonly index: Index;
}

/** What was read of a database just now. */
export interface Known {
  readonly catalog?: Catalog | undefined;
  /** How its ledger spells expressions. */
  readonly spellings?: Spellings | undefined;
}

/**
 * Holds a database against the schema its ledger says it has. @param expected in portable words
 */
export async function lookAt(database: Database, expected: Schema, known: Known = {}): Promise<Found> {
  const { dialect } = database;
  const held = known.catalog ?? (await database.readCatalog());
  if (dialect.catalog.respells) {
    const spellings = known.spellings ?? allSpellings(await readLedger(database));
    return compared(dialect, expected, held, settled => respell(settled, spellings));
  }
  const before = lately.get(held)?.get(expected);
  if (before) return before;
  const found = compared(dialect, expected, held);
  lately.set(held, (lately.get(held) ?? new WeakMap<Schema, Found>()).set(expected, found));
  return found;
}

/** Of databases that hold the very same. */
const lately = new WeakMap<Catalog, WeakMap<Schema, Found>>();

function compared(
  { types }: Dialect,
  expected: Schema,
  held: Catalog,
  spelledAs = (settled: Schema) => settled,
): Found {
  const settled = types.settle(expected);
  const spelled = spelledAs(settled);
  const known = new Set(settled.tables.map(addressOf));
  const { schema: found } = withoutInternal(held);
  const defined = new Set((settled.definitions ?? []).map(definitionKey));
  const all = diff(spelled, {
    tables: found.tables.filter(table => known.has(addressOf(table))),
    definitions: (found.definitions ?? []).filter(definition => defined.has(definitionKey(definition))),
  });
  const indexes = all.flatMap(change => {
    const isNew = change.kind === "add part" && change.what === "index" && change.value.unique !== true;
    return isNew ? [{ table: change.table, index: change.value as Index, change }] : [];
  });
  const drift = all.filter(change => !indexes.some(each => each.change === change));
  return { drift, indexes, beside: found.tables.map(addressOf).filter(address => !known.has(address)) };
}

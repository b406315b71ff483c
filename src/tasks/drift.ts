import { diff } from "../core/change/diff.js";
import type { Change } from "../core/change/types.js";
import { respell } from "../core/lower/spellings.js";
import { addressOf } from "../core/schema/address.js";
import { definitionKey, type Schema } from "../core/schema/types.js";
import type { Database } from "../database/session/database.js";
import { allSpellings, readLedger } from "../database/ledger.js";

/**
 * How a database differs from the schema its ledger says it has, as changes from the latter to the former. Tables the
 * migrations do not know are none of their business.
 * @param expected in portable words
 */
export async function driftOf(database: Database, expected: Schema): Promise<Change[]> {
  const { dialect } = database;
  const settled = dialect.types.settle(expected);
  const spelled = dialect.catalog.respells
    ? respell(settled, allSpellings(await readLedger(database)))
    : settled;
  const known = new Set(settled.tables.map(addressOf));
  const { schema: found } = await database.readCatalog();
  const defined = new Set((settled.definitions ?? []).map(definitionKey));
  return diff(spelled, {
    tables: found.tables.filter(table => known.has(addressOf(table))),
    definitions: (found.definitions ?? []).filter(definition => defined.has(definitionKey(definition))),
  });
}

import type { Column, Options } from "../../../schema/types.js";
import type { CatalogRow } from "../../shared/dialect.js";
import { NAME, shortType } from "../types.js";
import { lastName, noteOf, optionsOf } from "./values.js";

const STORAGE: Readonly<Record<string, string>> = { p: "plain", e: "external", x: "extended", m: "main" };
const COMPRESSION: Readonly<Record<string, string>> = { p: "pglz", l: "lz4" };

/** A column from its row of the catalog; what it counts by is read beside it. */
export function readColumn(row: CatalogRow): Column {
  const { name, type, required, identity, computed, expression, collation } = row;
  return {
    name: String(name),
    type: { kind: "native", sql: { [NAME]: shortType(String(type)) } },
    nullable: required !== true,
    ...(expression !== null && readExpression(String(expression), computed)),
    ...(identity !== null && { identity: identity === "d" ? "serial" : "always" }),
    ...(collation !== null && { collation: lastName(String(collation)) }),
    ...noteOf(row),
    ...storageOf(row),
  };
}

function readExpression(sql: string, computed: unknown): Pick<Column, "computed" | "default"> {
  return computed === null
    ? { default: { kind: "sql", sql } }
    : { computed: { sql, stored: computed === "s" } };
}

/** Where and how the values are kept, where that is not as usual for the type. */
function storageOf({ storage, compression, statistics }: CatalogRow): { options?: Options } {
  const counted = Number(statistics ?? -1);
  if (storage === null && compression === null && counted < 0) return {};
  const [kept, packed] = [STORAGE[String(storage)], COMPRESSION[String(compression)]];
  return optionsOf({
    ...(kept && { storage: kept }),
    ...(packed && { compression: packed }),
    ...(counted >= 0 && { statistics: String(counted) }),
  });
}

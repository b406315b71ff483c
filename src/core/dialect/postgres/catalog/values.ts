import type { Deferrable, Options, Table } from "../../../schema/types.js";
import type { CatalogRow } from "../../shared/dialect.js";
import { NAME } from "../types.js";

/** `{1,2}` or `1 2`, as the server writes arrays and vectors: quicker than having the driver read them. */
export function numbersOf(text: unknown): number[] {
  return typeof text === "string" ? (text.match(/\d+/g) ?? []).map(Number) : [];
}

/** Where a row says its thing stands; in the usual namespace, its name alone. */
export function addressParts(row: CatalogRow): Pick<Table, "name" | "namespace"> {
  return {
    name: String(row["name"]),
    ...(row["here"] === true ? {} : { namespace: String(row["namespace"]) }),
  };
}

/** The comment on a thing, if it has one. */
export function noteOf({ note }: CatalogRow): { note?: string } {
  return typeof note === "string" ? { note } : {};
}

/** What only PostgreSQL knows of a thing; nothing where there is nothing. */
export function optionsOf(options: Readonly<Record<string, string>>): { options?: Options } {
  return Object.keys(options).length > 0 ? { options: { [NAME]: options } } : {};
}

/** The storage parameters of a table or an index (pg_class.reloptions). */
export function settingsOf({ settings }: CatalogRow): Record<string, string> {
  return Array.isArray(settings) ? { with: settings.join(", ") } : {};
}

/** Whether a unique index takes two nulls for the same. */
export function nullsOf(row: CatalogRow): Record<string, string> {
  return row["nulls_same"] === "true" ? { nulls: "not distinct" } : {};
}

/** When a constraint is proven, where that may wait for the end of a transaction. */
export function deferrableOf(part: CatalogRow): { deferrable?: Deferrable } {
  if (part["deferrable"] !== true) return {};
  return { deferrable: part["deferred"] === true ? "deferred" : "immediate" };
}

/** An array as the driver gives it; empty where there is none. */
export function listOf(value: unknown): readonly unknown[] {
  return Array.isArray(value) ? value : [];
}

/** The last name in `pg_catalog."de-x-icu"`, without its quotes. */
export function lastName(identity: string): string {
  const [, quoted, plain = ""] = /(?:"((?:[^"]|"")*)"|([^."]+))$/.exec(identity) ?? [];
  return quoted?.replaceAll('""', '"') ?? plain;
}

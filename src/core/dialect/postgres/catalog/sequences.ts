import { addressOf } from "../../../schema/address.js";
import type { Column, Definition } from "../../../schema/types.js";
import type { CatalogRow } from "../../shared/dialect.js";
import { sequenceName } from "../names.js";
import { NAME, shortType } from "../types.js";
import { addressParts, lastName, listOf, noteOf, optionsOf } from "./values.js";

/** A column with what is unusual about the sequence it owns; `counted`: whether its values come from there. */
export function withSequence(
  column: Column,
  sequence: CatalogRow | undefined,
  table: string,
): { readonly column: Column; readonly counted: boolean } {
  if (!sequence) return { column, counted: false };
  const type = column.type.kind === "native" ? (column.type.sql[NAME] ?? "") : "";
  const settings = sequenceSettings(sequence, type);
  const known = column.options?.[NAME] ?? {};
  const name = addressOf(addressParts(sequence));
  if (column.identity) {
    const usual = isUsualName(String(sequence["name"]), sequenceName(table, column.name));
    return {
      column: {
        ...column,
        ...optionsOf({ ...known, ...(!usual && { "sequence name": name }), ...settings }),
      },
      counted: true,
    };
  }
  const { default: value, ...rest } = column;
  const quoted = String(sequence["quoted"]);
  const called = sequence["here"] === true ? quoted : `${String(sequence["quoted_namespace"])}.${quoted}`;
  const text = `nextval('${called.replaceAll("'", "''")}'::regclass)`;
  if (value?.kind !== "sql" || value.sql !== text) return { column, counted: false };
  return {
    column: { ...rest, identity: "serial", ...optionsOf({ ...known, sequence: name, ...settings }) },
    counted: true,
  };
}

/** The server's own name for a sequence, with a number behind it where that was taken. */
function isUsualName(name: string, usual: string): boolean {
  return name === usual || (name.startsWith(usual) && /^\d+$/.test(name.slice(usual.length)));
}

/** Largest and smallest numbers of the types a sequence can have. */
const LIMITS: Readonly<Record<string, readonly [string, string]>> = {
  smallint: ["-32768", "32767"],
  integer: ["-2147483648", "2147483647"],
  bigint: ["-9223372036854775808", "9223372036854775807"],
};

/** What is not as https://www.postgresql.org/docs/15/sql-createsequence.html takes for granted, for a column's type. */
function sequenceSettings(row: CatalogRow, ownerType: string): Record<string, string> {
  const type = String(row["type"]);
  const [lowest, highest] = LIMITS[type] ?? LIMITS["bigint"]!;
  const text = (name: string) => String(row[name]);
  const down = text("increment").startsWith("-");
  const [minimum, maximum] = down ? [lowest, "-1"] : ["1", highest];
  const start = down ? text("maximum") : text("minimum");
  return {
    ...(type !== ownerType && { "sequence type": type }),
    ...(text("increment") !== "1" && { increment: text("increment") }),
    ...(text("minimum") !== minimum && { minimum: text("minimum") }),
    ...(text("maximum") !== maximum && { maximum: text("maximum") }),
    ...(text("start") !== start && { start: text("start") }),
    ...(text("cache") !== "1" && { cache: text("cache") }),
    ...(row["cycle"] === true && { cycle: "yes" }),
  };
}

/** A sequence that stands by itself. */
export function sequenceDefinition(row: CatalogRow): Definition {
  const settings = sequenceSettings(row, "bigint");
  return {
    kind: "sequence",
    ...addressParts(row),
    ...(Object.keys(settings).length > 0 && { settings }),
    ...noteOf(row),
  };
}

/** An enum or a domain from its row of pg_type. */
export function readType(row: CatalogRow): Definition {
  if (row["kind"] === "e") {
    return { kind: "enum", ...addressParts(row), values: listOf(row["labels"]).map(String), ...noteOf(row) };
  }
  const { value, collation } = row;
  const checks = listOf(row["checks"]).map(pair => listOf(pair).map(String));
  return {
    kind: "domain",
    ...addressParts(row),
    type: shortType(String(row["base"])),
    nullable: row["required"] !== true,
    ...(typeof value === "string" && { default: value }),
    ...(typeof collation === "string" && { collation: lastName(collation) }),
    checks: checks.map(([name = "", text = ""]) => ({
      name,
      sql: text.replace(/^CHECK \(([\s\S]*)\)( NOT VALID)?$/, "$1"),
    })),
    ...noteOf(row),
  };
}

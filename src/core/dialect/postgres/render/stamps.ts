import { addressOf } from "../../../schema/address.js";
import type { Column, Table } from "../../../schema/types.js";
import { dollarQuoted, quote, quoteBeside, quoteTable, stampName } from "../names.js";

/** The function and the trigger that keep the moment of a row's last update. */
export function createStampSql(table: Table, column: Column): string[] {
  const name = stampName(table.name, column.name);
  const stamp = quote(column.name);
  return [
    `CREATE FUNCTION ${quoteBeside(table, name)}() RETURNS trigger LANGUAGE plpgsql AS ${dollarQuoted(
      `\nBEGIN\n  IF NEW.${stamp} IS NOT DISTINCT FROM OLD.${stamp} THEN\n    NEW.${stamp} := now();\n  END IF;\n  RETURN NEW;\nEND\n`,
      "stamp",
    )}`,
    `CREATE TRIGGER ${quote(name)} BEFORE UPDATE ON ${quoteTable(addressOf(table))} FOR EACH ROW EXECUTE FUNCTION ${quoteBeside(table, name)}()`,
  ];
}

/** Takes away the trigger that keeps a stamp, and its function. */
export function dropStampSql(table: Table, column: Column): string[] {
  const name = stampName(table.name, column.name);
  return [
    `DROP TRIGGER ${quote(name)} ON ${quoteTable(addressOf(table))}`,
    `DROP FUNCTION ${quoteBeside(table, name)}()`,
  ];
}

/** An update that leaves the moments of the last update as they are. */
export function unstampedSql(table: Table, stamps: readonly Column[], update: string): string[] {
  const triggers = (verb: string) =>
    stamps.map(
      ({ name }) =>
        `ALTER TABLE ${quoteTable(addressOf(table))} ${verb} TRIGGER ${quote(stampName(table.name, name))}`,
    );
  return [...triggers("DISABLE"), update, ...triggers("ENABLE")];
}

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

/**
 * An update that is none in anybody's eyes: no stamp is renewed, and no trigger of somebody else's changes rows that only
 * get back what they held. Which triggers were off before, the runner sees to.
 */
export function quietlySql(address: string, update: string): string[] {
  const triggers = (verb: string) => `ALTER TABLE ${quoteTable(address)} ${verb} ${TRIGGERS_OF_USERS}`;
  return [triggers("DISABLE"), update, triggers("ENABLE")];
}

/** All but those that hold the constraints: https://www.postgresql.org/docs/15/sql-altertable.html */
export const TRIGGERS_OF_USERS = "TRIGGER USER";

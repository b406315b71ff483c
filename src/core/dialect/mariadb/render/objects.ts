import { addressOf } from "../../../schema/address.js";
import { createStatements, settingsBefore } from "../../shared/object-text.js";
import type { ObjectSyntax } from "../../shared/objects.js";
import { quote, quoteTable, SQL_MODE, TIME_ZONE } from "../names.js";
import { TOKENS } from "../settle.js";

/**
 * MariaDB lets tables change under views and routines, and puts one in the place of another in one statement
 * (https://mariadb.com/kb/en/create-view/). Triggers run for each row that a script touches, and go with their table.
 * Whatever stopped in the midst is done again by the same statement.
 */
export const OBJECTS: ObjectSyntax = {
  tokens: TOKENS,
  minds: ({ kind }, change) =>
    kind === "trigger" ||
    (kind === "view" && / (?:table|column)$/.test(change.kind) && change.kind !== "alter table"),
  isOff: ({ kind }) => kind === "trigger",
  replaces: () => true,
  isForTables: () => false,
  dropSql: object => [
    `DROP ${object.kind.toUpperCase()} IF EXISTS ${object.kind === "trigger" ? quote(object.name) : quoteTable(addressOf(object))}`,
  ],
  createSql: (object, inPlace) => {
    const statements = createStatements(object, inPlace, TOKENS);
    const settings = settingsBefore(statements, TOKENS);
    return settings.length === 0
      ? statements
      : [...statements, `SET sql_mode = '${SQL_MODE}', time_zone = '${TIME_ZONE}'`];
  },
};

import { EVERYONE } from "../../../schema/grants.js";
import type { GrantSyntax } from "../../shared/grants.js";
import { quote, quoteTable } from "../names.js";

/** Grants stand under names, whatever is called so: https://mariadb.com/kb/en/grant/ */
export const GRANTS: GrantSyntax = {
  followTables: false,
  takesColumns: false,
  quote,
  quoteTable,
  role: name => (name === EVERYONE ? "PUBLIC" : quote(name)),
};

import type { Schema } from "../../schema/types.js";
import { raiseSchema, type RaiseRules } from "../../lower/raise.js";
import { settle } from "./settle.js";
import { NAME, raiseType } from "./types.js";

const RULES: RaiseRules = { dialect: NAME, settle, type: raiseType, length: "length(" };

/** A settled schema in portable words wherever they settle back to the same. */
export function raise(schema: Schema): Schema {
  return raiseSchema(schema, RULES);
}

/** SQLite keeps what was sent. */
export function unspell(schema: Schema): Schema {
  return schema;
}

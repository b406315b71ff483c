import type { Schema } from "../../schema/types.js";
import { raiseSchema } from "../raise.js";
import { NAME, raiseType } from "./types.js";

/** A settled schema in portable words wherever they settle back to the same. */
export function raise(schema: Schema): Schema {
  return raiseSchema(schema, NAME, raiseType);
}

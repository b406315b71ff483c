import type { Column, Schema } from "../../schema/types.js";
import { NAME, raiseType } from "./types.js";

/** A settled schema in portable words wherever they settle back to the same. */
export function raise(schema: Schema): Schema {
  return { tables: schema.tables.map(table => ({ ...table, columns: table.columns.map(raiseColumn) })) };
}

function raiseColumn(column: Column): Column {
  return column.type.kind === "native" ? { ...column, type: raiseType(column.type.sql[NAME] ?? "") } : column;
}

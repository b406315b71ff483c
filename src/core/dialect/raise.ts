import type { Column, DataType, Schema } from "../schema/types.js";

/** A settled schema in portable words wherever they settle back to the same. */
export function raiseSchema(schema: Schema, dialect: string, raiseType: (text: string) => DataType): Schema {
  const raise = (column: Column): Column =>
    column.type.kind === "native" ? { ...column, type: raiseType(column.type.sql[dialect] ?? "") } : column;
  return { tables: schema.tables.map(table => ({ ...table, columns: table.columns.map(raise) })) };
}

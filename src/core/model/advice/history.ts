import type { ModelSchema } from "../build-schema.js";
import { collectFindings, type Finding } from "../findings.js";
import { tablesByAddress } from "../../schema/address.js";
import type { Schema, Table } from "../../schema/types.js";

/** What models say that a migration has done already, or that rows written before may stand against. */
export function adviseOnHistory({ models, schema }: ModelSchema, history: Schema): Finding[] {
  const { findings, report } = collectFindings();
  const [now, before] = [tablesByAddress(schema), tablesByAddress(history)];
  for (const entity of models.entities) {
    const address = models.address(entity);
    const { was } = entity.options;
    const old = before.get(address);
    if (was !== undefined && old && !before.has(was))
      report("A313", { entity: entity.name }, `That ${was} became ${address} is done`, "remove `was`");
    for (const { field, column } of models.columnsOf(entity)) {
      const earlier = field.facts.field?.was;
      const has = (name: string) => old?.columns.some(each => each.name === name);
      const where = { entity: entity.name, property: field.property };
      if (earlier !== undefined && has(column.name) && !has(earlier))
        report("A313", where, `That ${earlier} became ${column.name} is done`, "remove `was` from @Field");
      const gone = valuesOf(old, column.name).filter(
        value => !valuesOf(now.get(address), column.name).includes(value),
      );
      if (gone.length > 0 && valuesOf(now.get(address), column.name).length > 0)
        report(
          "A316",
          where,
          `${gone.map(value => JSON.stringify(value)).join(", ")} is no longer allowed; rows that hold it would stop the migration`,
          `give those rows another value first, in a migration of its own`,
        );
    }
  }
  return findings;
}

/** The values a column is limited to; none when it is not. */
function valuesOf(table: Table | undefined, column: string): readonly (string | number | boolean)[] {
  const rules = table?.checks.flatMap(check => check.rules) ?? [];
  const list = rules.find(rule => rule.kind === "in" && rule.column === column);
  return list?.kind === "in" ? list.values : [];
}

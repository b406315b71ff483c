import { diff, type DiffHints } from "../../change/diff.js";
import { gapsOf } from "../../change/gaps.js";
import { likelyRenames } from "../../change/likeness.js";
import type { Change } from "../../change/types.js";
import { widens } from "../../dialect/registry.js";
import { tablesByAddress } from "../../schema/address.js";
import { showDataType } from "../../schema/data-type.js";
import type { Schema, Table } from "../../schema/types.js";
import type { ModelSchema } from "../read/model-schema.js";
import type { ColumnResolver } from "../read/column-resolver.js";
import type { Start } from "../read/way.js";
import { adviseOnObjects } from "./objects.js";
import { readWay } from "./way.js";
import { collectFindings, type Finding, type Report } from "../read/findings.js";

/**
 * What models say that a migration has done already or that none can do, and what rows written before may stand against.
 * @param hints renames and fills, where more are known than the models say
 */
export function adviseOnHistory(model: ModelSchema, history: Start, hints?: DiffHints): Finding[] {
  const { findings, report } = collectFindings();
  const way = readWay(model, history);
  adviseOnLists(model, history.schema, report);
  adviseOnWay(model.resolver, diff(history.schema, model.schema, hints ?? way.hints), report);
  return [...way.findings, ...findings, ...adviseOnObjects(model.objects, model.schema, history.schema)];
}

function adviseOnLists({ resolver, schema }: ModelSchema, history: Schema, report: Report): void {
  const [now, before] = [tablesByAddress(schema), tablesByAddress(history)];
  for (const entity of resolver.entities) {
    const address = resolver.address(entity);
    const old = before.get(address);
    for (const { field, column } of resolver.columnsOf(entity)) {
      const where = { entity: entity.name, property: field.property };
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
}

/** What may not be meant on the way from the history to the models, or what rows that exist may stand against. */
function adviseOnWay(resolver: ColumnResolver, changes: readonly Change[], report: Report): void {
  for (const { what, from, to, table = to, score, reasons } of likelyRenames(changes))
    report(
      "A317",
      whereOf(resolver, table, to.slice(table.length + 1)),
      `${from} goes and ${to} comes, which are ${percent(score)} alike: ${reasons.join(", ")}`,
      `if it is one and the same ${what}, say so in the model with \`was\``,
      { rename: `${from}=${to}` },
    );
  for (const { table, column } of gapsOf(changes))
    report(
      "A318",
      whereOf(resolver, table, column.name),
      `Rows that exist have no value for the required ${table}.${column.name}`,
      "say `fill` in @Field; nothing is needed while there are no such rows",
      { fill: `${table}.${column.name}=VALUE` },
    );
  for (const change of changes) {
    if (change.kind !== "alter column") continue;
    const { table, before, after } = change;
    if (before.identity && !after.identity && !after.computed)
      report(
        "A320",
        whereOf(resolver, table, after.name),
        `${table}.${after.name} no longer counts by itself: new rows must bring their value`,
        'say generate: "serial" in @Key or @Field, unless the program gives it from now on',
      );
    if (change.convert !== undefined || before.computed || after.computed || widens(before.type, after.type))
      continue;
    report(
      "A319",
      whereOf(resolver, table, after.name),
      `${table}.${after.name} becomes ${showDataType(after.type)}, as which not every ${showDataType(before.type)} can be written: values that do not fit stop the migration`,
      "say `convert` and `convertBack` in @Field, unless all that is there fits",
    );
  }
}

/** `86 %` */
export function percent(score: number): string {
  return `${Math.round(score * 100)} %`;
}

function whereOf(resolver: ColumnResolver, address: string, column: string) {
  const entity = resolver.entities.find(each => resolver.address(each) === address);
  const property = entity && resolver.columnsOf(entity).find(each => each.column.name === column)?.field;
  return { entity: entity?.name ?? address, ...(property && { property: property.property }) };
}

/** The values a column is limited to; none when it is not. */
function valuesOf(table: Table | undefined, column: string): readonly (string | number | boolean)[] {
  const rules = table?.checks.flatMap(check => check.rules) ?? [];
  const list = rules.find(rule => rule.kind === "in" && rule.column === column);
  return list?.kind === "in" ? list.values : [];
}

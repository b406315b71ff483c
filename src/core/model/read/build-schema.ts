import type { FieldOptions } from "../../../modelling/facts.js";
import { fillKey, type Conversion, type DiffHints } from "../../change/diff.js";
import type { Dialect } from "../../dialect/dialect.js";
import { addressOf } from "../../schema/address.js";
import type { NamingRules } from "../../schema/naming.js";
import type { Default, Definition, Schema, Table } from "../../schema/types.js";
import { advise } from "../advice/index.js";
import type { Review } from "../advice/review.js";
import { reportClashes, reportNames, reportNested, reportShared, reportUndeferred } from "./clashes.js";
import { Columns } from "./columns.js";
import type { EntityDescription } from "./entities.js";
import { collectFindings, type Finding } from "./findings.js";
import { Parts } from "./parts.js";
import { Relations } from "./relations.js";

/** What the models come to: the schema they describe, and what they say of the way there. */
export interface ModelSchema {
  readonly schema: Schema;
  readonly hints: DiffHints;
  readonly findings: readonly Finding[];
  /** Which fields the schema's columns come from. */
  readonly models: Columns;
}

export interface BuildOptions {
  /** Types and sequences beside the tables. */
  readonly definitions?: readonly Definition[];
  /** How properties are declared in the sources, where those are at hand. */
  readonly declared?: Review["declared"];
}

/** The schema that entities describe. Where something is wrong it is left out, and a finding says so. */
export function buildSchema(
  entities: readonly EntityDescription[],
  naming: NamingRules,
  dialects: readonly Dialect[],
  { definitions = [], declared = () => undefined }: BuildOptions = {},
): ModelSchema {
  const { findings, report } = collectFindings();
  for (const { what, remedy, ...where } of entities.flatMap(({ faults }) => faults))
    report("E234", where, what, remedy);
  const columns = new Columns(entities, naming, dialects, report);
  const parts = new Parts(columns, dialects, report);
  const relations = new Relations(columns, report);
  const tables = [
    ...entities.map(entity => buildTable(entity, columns, parts, relations)),
    ...relations.pairTables(),
  ];
  reportClashes(tables, columns, report);
  reportNames(tables, columns, dialects, report);
  reportUndeferred(tables, columns, dialects, report);
  reportNested(columns, report);
  reportShared(tables, columns, dialects, report);
  advise({ models: columns, tables, dialects, report, declared });
  return {
    schema: {
      tables: tables.filter(
        (table, at) => tables.findIndex(each => addressOf(each) === addressOf(table)) === at,
      ),
      ...(definitions.length > 0 && { definitions }),
    },
    hints: hintsOf(columns),
    findings,
    models: columns,
  };
}

function buildTable(entity: EntityDescription, columns: Columns, parts: Parts, relations: Relations): Table {
  const name = columns.tableName(entity);
  const own = columns.columnsOf(entity).map(({ column }) => column);
  const key = parts.key(entity, name);
  const uniques = parts.uniques(entity, name);
  const { note, namespace, options, unnamed } = entity.options;
  relations.checkReferredBy(entity);
  const indexes = parts.indexes(entity, name, [
    ...(key ? [key.columns] : []),
    ...uniques.map(unique => unique.columns),
  ]);
  const foreignKeys = relations.foreignKeys(entity, name);
  const checks = parts.checks(entity, name);
  const nameless = <P extends { readonly name: string }>(part: P): P =>
    unnamed ? { ...part, name: "" } : part;
  return {
    name,
    ...(namespace !== undefined && { namespace }),
    columns: own,
    ...(key && { key: nameless(key) }),
    uniques: uniques.map(nameless),
    indexes,
    foreignKeys: foreignKeys.map(nameless),
    checks: checks.map(nameless),
    ...(note !== undefined && { note }),
    ...(options && { options }),
  };
}

/** Renames, fills and conversions, as the models say them. */
function hintsOf(models: Columns): DiffHints {
  const tables = new Map<string, string>();
  const columns = new Map<string, Map<string, string>>();
  const fills = new Map<string, Default>();
  const conversions = new Map<string, Conversion>();
  for (const entity of models.entities) {
    const table = models.address(entity);
    if (entity.options.was !== undefined) tables.set(entity.options.was, table);
    const renamed = new Map<string, string>();
    for (const { field, column } of models.columnsOf(entity)) {
      const options: FieldOptions = field.facts.field ?? {};
      if (options.was !== undefined) renamed.set(options.was, column.name);
      const fill = models.defaultOf(entity, field, column.type, options.fill, "fill");
      if (fill) fills.set(fillKey(table, column.name), fill);
      const { convert, convertBack } = options;
      if (convert !== undefined || convertBack !== undefined)
        conversions.set(fillKey(table, column.name), {
          ...(convert !== undefined && { convert: models.placed(entity, field, convert) }),
          ...(convertBack !== undefined && { convertBack: models.placed(entity, field, convertBack) }),
        });
    }
    if (renamed.size > 0) columns.set(table, renamed);
  }
  return { tables, columns, fills, conversions };
}

import type { ModelSchema } from "./read/model-schema.js";
import type { FieldOptions } from "../../modelling/facts.js";
import { fillKey, type Conversion, type DiffHints } from "../change/diff.js";
import type { Dialect } from "../dialect/shared/dialect.js";
import { addressOf } from "../schema/address.js";
import type { NamingRules } from "../schema/naming.js";
import type { Default, Definition, Table } from "../schema/types.js";
import { advise } from "./advice/index.js";
import type { Review } from "./advice/review.js";
import { reportClashes, reportNames, reportNested, reportShared, reportUndeferred } from "./read/clashes.js";
import { ColumnResolver } from "./read/column-resolver.js";
import type { EntityDescription } from "./read/descriptions.js";
import { collectFindings } from "./read/findings.js";
import { Parts } from "./read/parts.js";
import { Relations } from "./read/relations.js";

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
  const resolver = new ColumnResolver(entities, naming, dialects, report);
  const parts = new Parts(resolver, dialects, report);
  const relations = new Relations(resolver, report);
  const tables = [
    ...entities.map(entity => buildTable(entity, resolver, parts, relations)),
    ...relations.pairTables(),
  ];
  reportClashes(tables, resolver, report);
  reportNames(tables, resolver, dialects, report);
  reportUndeferred(tables, resolver, dialects, report);
  reportNested(resolver, report);
  reportShared(tables, resolver, dialects, report);
  advise({ resolver, tables, dialects, report, declared });
  return {
    schema: {
      tables: tables.filter(
        (table, at) => tables.findIndex(each => addressOf(each) === addressOf(table)) === at,
      ),
      ...(definitions.length > 0 && { definitions }),
    },
    hints: hintsOf(resolver),
    findings,
    resolver,
  };
}

function buildTable(
  entity: EntityDescription,
  resolver: ColumnResolver,
  parts: Parts,
  relations: Relations,
): Table {
  const name = resolver.tableName(entity);
  const own = resolver.columnsOf(entity).map(({ column }) => column);
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
function hintsOf(resolver: ColumnResolver): DiffHints {
  const tables = new Map<string, string>();
  const columns = new Map<string, Map<string, string>>();
  const fills = new Map<string, Default>();
  const conversions = new Map<string, Conversion>();
  for (const entity of resolver.entities) {
    const table = resolver.address(entity);
    if (entity.options.was !== undefined) tables.set(entity.options.was, table);
    const renamed = new Map<string, string>();
    for (const { field, column } of resolver.columnsOf(entity)) {
      const options: FieldOptions = field.facts.field ?? {};
      if (options.was !== undefined) renamed.set(options.was, column.name);
      const fill = resolver.defaultOf(entity, field, column.type, options.fill, "fill");
      if (fill) fills.set(fillKey(table, column.name), fill);
      const { convert, convertBack } = options;
      if (convert !== undefined || convertBack !== undefined)
        conversions.set(fillKey(table, column.name), {
          ...(convert !== undefined && { convert: resolver.placed(entity, field, convert) }),
          ...(convertBack !== undefined && { convertBack: resolver.placed(entity, field, convertBack) }),
        });
    }
    if (renamed.size > 0) columns.set(table, renamed);
  }
  return { tables, columns, fills, conversions };
}

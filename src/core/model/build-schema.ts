import { mapConversion } from "../change/hints.js";
import type { Dialect } from "../dialect/shared/dialect.js";
import { addressOf } from "../schema/address.js";
import { tableName, type NamingRules } from "../schema/naming.js";
import type { Column, Definition, Table } from "../schema/types.js";
import { advise } from "./advice/index.js";
import type { Review } from "./advice/review.js";
import {
  reportClashes,
  reportOverlong,
  reportNames,
  reportNested,
  reportShared,
  reportUndeferred,
} from "./read/clashes.js";
import { ColumnResolver } from "./read/column-resolver.js";
import type { EntityDescription, FieldDescription } from "./read/descriptions.js";
import { collectFindings } from "./read/findings.js";
import { EntityGrants, NO_ROLES, type Roles } from "./read/grants.js";
import type { ModelSchema, Said, SaidOfColumn } from "./read/model-schema.js";
import type { WrittenObject } from "./read/objects.js";
import { Parts } from "./read/parts.js";
import { Relations } from "./read/relations.js";

export interface BuildOptions {
  /** Types and sequences beside the tables. */
  readonly definitions?: readonly Definition[];
  /** What there is as SQL of the developer's own. @default nothing */
  readonly objects?: readonly WrittenObject[];
  /** How properties are declared in the sources, where those are at hand. */
  readonly declared?: Review["declared"];
  /** @default none may be spoken of */
  readonly roles?: Roles;
}

/** The schema that entities describe. Where something is wrong it is left out, and a finding says so. */
export function buildSchema(
  entities: readonly EntityDescription[],
  naming: NamingRules,
  dialects: readonly Dialect[],
  { definitions: types = [], objects = [], declared = () => undefined, roles = NO_ROLES }: BuildOptions = {},
): ModelSchema {
  const { findings, report } = collectFindings();
  for (const { what, remedy, ...where } of entities.flatMap(({ faults }) => faults))
    report("E234", where, what, remedy);
  const resolver = new ColumnResolver(entities, naming, dialects, report);
  const parts = new Parts(resolver, dialects, report);
  const relations = new Relations(resolver, report);
  const grants = new EntityGrants(resolver, roles, report);
  const own = entities.map(entity => ({
    entity,
    table: grants.granted(buildTable(entity, resolver, parts, relations), entity),
  }));
  const definitions = [
    ...types,
    ...objects.map(({ definition }) => definition),
    ...own.flatMap(({ entity, table }) => grants.policies(table, entity, dialects)),
  ];
  const tables = [
    ...own.map(({ table }) => table),
    ...relations.pairTables().map(({ table, owner }) => grants.grantedPair(table, owner)),
  ];
  reportClashes(tables, resolver, report);
  reportNames(tables, resolver, dialects, report);
  reportUndeferred(tables, resolver, dialects, report);
  reportNested(resolver, report);
  reportShared(tables, resolver, dialects, report);
  reportOverlong({ tables, definitions }, dialects, report);
  advise({ resolver, tables, dialects, report, declared, roles });
  return {
    schema: {
      tables: tables.filter(
        (table, at) => tables.findIndex(each => addressOf(each) === addressOf(table)) === at,
      ),
      ...(definitions.length > 0 && { definitions }),
    },
    said: saidBy(resolver),
    findings,
    objects,
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
function saidBy(resolver: ColumnResolver): Said {
  return {
    tables: resolver.entities.flatMap(entity => {
      const { was, namespace } = entity.options;
      if (was === undefined) return [];
      const names = [was, tableName(was, resolver.naming)];
      const within = names.map(name => addressOf({ name, ...(namespace !== undefined && { namespace }) }));
      const table = resolver.address(entity);
      return [{ entity: entity.name, table, was, earlier: [...new Set([...names, ...within])] }];
    }),
    columns: resolver.entities.flatMap(entity =>
      resolver
        .columnsOf(entity)
        .flatMap(({ field, column }) => saidOfColumn(resolver, entity, field, column)),
    ),
  };
}

function saidOfColumn(
  resolver: ColumnResolver,
  entity: EntityDescription,
  field: FieldDescription,
  column: Column,
): SaidOfColumn[] {
  const { convert, convertBack, fill: value } = field.facts.field ?? {};
  const fill = resolver.defaultOf(entity, field, column.type, value, "fill");
  const conversion = mapConversion({ convert, convertBack }, sql => resolver.placed(entity, field, sql));
  const converts = Object.keys(conversion).length > 0;
  const earlier = resolver.earlierNames(entity, field, column.name);
  if (field.was === undefined && !fill && !converts) return [];
  return [
    {
      entity: entity.name,
      property: field.property,
      once: `${field.declaredIn}.${field.property.split(".").at(-1)}`,
      table: resolver.address(entity),
      column: column.name,
      nullable: column.nullable,
      ...(field.was !== undefined && { was: field.was }),
      earlier,
      ...(fill && { fill }),
      ...(converts && { conversion }),
    },
  ];
}

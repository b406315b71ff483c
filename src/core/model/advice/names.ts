import { PART_KINDS, partsOf, type DataType } from "../../schema/types.js";
import { cutName, referenceColumnName } from "../../schema/naming.js";
import type { EntityDescription, FieldDescription } from "../read/descriptions.js";
import { entitiesWithTables, listed, referenceFields, type Review } from "./review.js";

/** Advice on names: SQL's own words, references that hide their target, names unlike the rest. */
export function adviseOnNames(review: Review): void {
  for (const [entity] of entitiesWithTables(review)) {
    reservedWords(entity, review);
    hiddenReferences(entity, review);
  }
  unlikeReferences(review);
  longNames(review);
}

function reservedWords(entity: EntityDescription, { resolver, dialects, report }: Review): void {
  const advise = (what: string, name: string, remedy: string, property?: string) => {
    const small = name.toLowerCase();
    if (!dialects.some(({ names }) => names.reserved.has(small))) return;
    const titles = dialects.filter(({ names }) => names.reserved.has(small)).map(({ title }) => title);
    report(
      "A301",
      { entity: entity.name, ...(property !== undefined && { property }) },
      `The ${what} ${name} is a reserved word of ${listed(titles)}: SQL written by hand needs quotes around it`,
      remedy,
    );
  };
  advise("table name", resolver.tableName(entity), 'choose another with @Stored({ table: "…" })');
  for (const { field, column } of resolver.columnsOf(entity)) {
    const remedy = field.facts.refersTo
      ? 'choose another with @RefersTo(…, { column: "…" })'
      : 'choose another with @Field({ column: "…" })';
    advise("column name", column.name, remedy, field.property);
  }
}

/** `potterId: number`, where there is an entity Potter. */
function hiddenReferences(entity: EntityDescription, { resolver, report }: Review): void {
  const used = new Set(entity.fields.flatMap(({ facts }) => facts.refersTo?.options.fields ?? []));
  for (const { field, column } of resolver.columnsOf(entity)) {
    const stem = /^(.+?)_?(?:Id|ID|id|Uuid)$/.exec(field.property)?.[1];
    const { refersTo, key, sameAsKeys, field: options } = field.facts;
    if (stem === undefined || refersTo || key || sameAsKeys || options?.generate || used.has(field.property))
      continue;
    const target = resolver.entities.find(({ name }) => endsInWord(stem, name));
    const [only, ...others] = target ? resolver.keyColumns(target) : [];
    if (!target || !only || others.length > 0 || !mayHold(column.type, only.type)) continue;
    const property = stem.charAt(0).toLowerCase() + stem.slice(1);
    report(
      "A302",
      { entity: entity.name, property: field.property },
      `${field.property} looks like a reference to ${target.name}, but nothing holds it to a row there`,
      `write @RefersTo(() => ${target.name}) ${property}!: ${target.name}`,
    );
  }
}

/** `leadPotter` ends in Potter. */
function endsInWord(stem: string, name: string): boolean {
  return stem.toLowerCase() === name.toLowerCase() || stem.endsWith(name);
}

function mayHold(type: DataType, key: DataType): boolean {
  const whole = (kind: string) => ["smallint", "integer", "bigint"].includes(kind);
  return type.kind === key.kind || (whole(type.kind) && whole(key.kind));
}

/** References called otherwise than most. */
function unlikeReferences({ resolver, report }: Review): void {
  const all = resolver.entities.flatMap(entity =>
    referenceFields(entity).flatMap(field => {
      const target = resolver.entityOf(field.facts.refersTo!.target());
      return target ? [{ entity, field, target }] : [];
    }),
  );
  const usualNames = (field: FieldDescription, target: EntityDescription) =>
    resolver.keyColumns(target).map(key => referenceColumnName(field.called, key.name, resolver.naming));
  const isUsual = ({ entity, field, target }: (typeof all)[number]) => {
    const { to, column } = field.facts.refersTo!.options;
    if (to !== undefined || (column ?? field.facts.field?.column) === undefined) return true;
    return resolver.namesOf(entity, field.property).join() === usualNames(field, target).join();
  };
  const usualOnes = all.filter(isUsual).length;
  for (const each of all) {
    const { entity, field, target } = each;
    const where = { entity: entity.name, property: field.property };
    const stem = /^(.+)(?:Id|ID|_id)$/.exec(field.property)?.[1];
    if (stem !== undefined && field.within.length === 0) {
      const what = `The reference is called ${field.property}, and its column ${resolver.namesOf(entity, field.property).join(", ")}`;
      report("A303", where, what, `call it after what it refers to: ${stem}`);
    } else if (!isUsual(each) && usualOnes >= 2 && usualOnes > all.length / 2) {
      report(
        "A303",
        where,
        `The reference column is ${resolver.namesOf(entity, field.property).join(", ")}, where the others are called like ${usualNames(field, target).join(", ")}`,
        "leave `column` out, unless the name is given from outside",
      );
    }
  }
}

/** Of at most three bytes a character, or four for two, within every limit. */
const SURELY_SHORT = 20;

function longNames({ resolver, tables, dialects, report }: Review): void {
  for (const [at, table] of tables.entries()) {
    const parts = PART_KINDS.flatMap(kind => partsOf(table, kind));
    const names = [table.name, ...table.columns.map(({ name }) => name), ...parts.map(({ name }) => name)];
    for (const name of new Set(names.filter(each => each.length > SURELY_SHORT))) {
      const cutting = dialects.filter(dialect => cutName(name, dialect.names.limit) !== name);
      if (cutting.length === 0) continue;
      const cuts = cutting.map(({ title, names: { limit } }) => `${cutName(name, limit)} on ${title}`);
      report(
        "A309",
        { entity: resolver.entities[at]?.name ?? table.name },
        `The name ${name} is too long and becomes ${listed(cuts)}`,
        "choose a shorter one, so that it is the same everywhere",
      );
    }
  }
}

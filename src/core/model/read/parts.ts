import type { CheckOptions, IndexOptions, IndexTerm, UniqueOptions } from "../../../modelling/facts.js";
import type { Dialect } from "../../dialect/shared/dialect.js";
import { isServed } from "../../schema/lookups.js";
import { columnName, constraintName } from "../../schema/naming.js";
import type { Check, Index, IndexPart, Key, Rule, SqlText, Unique } from "../../schema/types.js";
import type { ColumnResolver } from "./column-resolver.js";
import { isHeld, isStored } from "./resolving.js";
import type { EntityDescription, FieldDescription, Whole } from "./descriptions.js";
import type { Report } from "./findings.js";
import { rulesOf } from "../rules/standing.js";

function wholeRules(
  kind: Whole["kind"],
  optional: boolean,
  parts: readonly FieldDescription[],
  namesOf: (part: FieldDescription) => readonly string[],
): Rule[] {
  if (kind === "arcs") {
    const resolver = parts.flatMap(part => namesOf(part)[0] ?? []);
    const composite = parts.map(namesOf).filter(names => names.length > 1);
    return [
      { kind: "one of", columns: resolver, optional },
      ...composite.map(names => ({ kind: "together", columns: names }) as const),
    ];
  }
  if (!optional) return [];
  const isRequired = (part: FieldDescription) =>
    kind === "tag" || part.within.every(({ required }) => required);
  const plain = parts.filter(part => part.facts.refersTo?.options.computedBy === undefined);
  const columns = plain.filter(isRequired).flatMap(namesOf);
  const first = columns[0];
  if (first === undefined) return [];
  const others = plain.filter(part => !isRequired(part)).flatMap(namesOf);
  return [
    ...(columns.length > 1 ? [{ kind: "together", columns } as const] : []),
    ...others.map(column => ({ kind: "only with", column, other: first }) as const),
  ];
}

/** The key, unique constraints, indexes and checks of an entity's table. */
export class Parts {
  constructor(
    private readonly columns: ColumnResolver,
    private readonly dialects: readonly Dialect[],
    private readonly report: Report,
  ) {}

  key(entity: EntityDescription, table: string): Key | undefined {
    const { key } = entity.options;
    const own = this.columns.keyColumns(entity).map(column => column.name);
    if (own.length === 0) return undefined;
    if (!key) return { name: `pk_${table}`, columns: own };
    const columns = key.fields ? this.columns.columnNames(entity, key.fields, "`key`") : own;
    if (key.fields && [...columns].sort().join() !== [...own].sort().join()) {
      const fields = entity.fields.filter(({ facts }) => facts.key).map(({ property }) => property);
      this.report(
        "E225",
        { entity: entity.name },
        "`key` does not name the fields that are the key",
        fields.length === 0
          ? "mark those fields with @Key(); without one the key is an id that counts"
          : `name ${fields.join(", ")}, in the order the key has them; what is to belong to it is marked with @Key()`,
      );
    }
    return { name: key.name ?? `pk_${table}`, columns, ...this.keyed(entity, key) };
  }

  /** What a key or a unique constraint may have besides its columns. */
  private keyed(
    entity: EntityDescription,
    { include, deferrable, options }: Partial<UniqueOptions>,
  ): Omit<Unique, "name" | "columns"> {
    return {
      ...(include && { include: this.columns.columnNames(entity, include, "`include`") }),
      ...(deferrable && { deferrable }),
      ...(options && { options }),
    };
  }

  uniques(entity: EntityDescription, table: string): Unique[] {
    const fields = entity.fields
      .filter(field => isStored(field) && field.facts.field?.unique)
      .map(({ property }) => [property]);
    const lists = [...fields, ...(entity.options.unique ?? [])];
    return lists.flatMap((entry): Unique[] => {
      const options: UniqueOptions = "fields" in entry ? entry : { fields: entry };
      const columns = this.columns.columnNames(entity, options.fields, "`unique`");
      const name = options.name ?? constraintName("uq", table, columns);
      return columns.length > 0 ? [{ name, columns, ...this.keyed(entity, options) }] : [];
    });
  }

  indexes(entity: EntityDescription, table: string, covered: readonly (readonly string[])[]): Index[] {
    const plain = (columns: readonly string[]): Index => ({
      name: constraintName("ix", table, columns),
      parts: columns.map(column => ({ column })),
    });
    const fields = entity.fields.filter(field => isStored(field) && field.facts.field?.index);
    const given = (entity.options.indexes ?? []).flatMap((entry): Index[] => {
      const options: IndexOptions = "fields" in entry ? entry : { fields: entry };
      const parts = options.fields.flatMap(term => this.indexParts(entity, term));
      if (parts.length === 0) return [];
      const where =
        options.where === undefined ? undefined : this.columns.placed(entity, undefined, options.where);
      const called = parts.map(part => ("column" in part ? part.column : "expression"));
      const { method, include, options: own } = options;
      return [
        {
          name: options.name ?? constraintName("ix", table, called),
          parts,
          ...(options.unique && { unique: true }),
          ...(where !== undefined && { where }),
          ...(method !== undefined && { method }),
          ...(include && { include: this.columns.columnNames(entity, include, "`include`") }),
          ...(own && { options: own }),
        },
      ];
    });
    const wanted = [...fields.map(({ property }) => plain(this.columns.namesOf(entity, property))), ...given];
    const serving = wanted.filter(index => index.where === undefined && index.method === undefined);
    const leading = [...covered, ...serving.map(columnsOfIndex)];
    const references = entity.fields.filter(field => isStored(field) && field.facts.refersTo);
    for (const field of references) {
      const columns = this.columns.namesOf(entity, field.property);
      const served = isServed(columns, leading);
      if (field.facts.refersTo!.options.index !== false && !served && columns.length > 0)
        wanted.push(plain(columns));
    }
    for (const index of wanted) this.reportIndexShortfalls(entity, index);
    return wanted.filter((index, at) => wanted.findIndex(({ name }) => name === index.name) === at);
  }

  private indexParts(entity: EntityDescription, term: string | IndexTerm): IndexPart[] {
    if (typeof term === "string")
      return this.columns.columnNames(entity, [term], "`indexes`").map(column => ({ column }));
    if ("sql" in term) return [{ ...term, sql: this.columns.placed(entity, undefined, term.sql) }];
    const { field, ...rest } = term;
    return this.columns.columnNames(entity, [field], "`indexes`").map(column => ({ column, ...rest }));
  }

  checks(entity: EntityDescription, table: string): Check[] {
    const ofFields = this.columns.columnsOf(entity).flatMap(({ field, column }): Check[] => {
      const rules = rulesOf(column, field.facts.refersTo ? [] : field.validators);
      const { check } = field.facts.field ?? {};
      const own = field.facts.refersTo || column.computed || !isHeld(entity, field) ? [] : rules;
      const name = typeof check === "string" ? check : constraintName("ck", table, [column.name]);
      return own.length > 0 ? [{ name, rules: own }] : [];
    });
    return [...ofFields, ...this.wholeChecks(entity, table), ...this.statedChecks(entity, table)];
  }

  /** What holds the columns of a value object, or of a reference to any of several entities, together. */
  private wholeChecks(entity: EntityDescription, table: string): Check[] {
    const wholes = new Map<string, Whole>();
    for (const { within } of entity.fields) for (const whole of within) wholes.set(whole.of, whole);
    return [...wholes.values()].flatMap(({ of, kind, optional }): Check[] => {
      const parts = entity.fields.filter(
        field => isStored(field) && field.within.some(whole => whole.of === of),
      );
      const rules = wholeRules(kind, optional, parts, part => this.columns.namesOf(entity, part.property));
      const called = columnName(of.replaceAll(".", "_"), this.columns.naming);
      return rules.length > 0 ? [{ name: constraintName("ck", table, [called]), rules }] : [];
    });
  }

  private statedChecks(entity: EntityDescription, table: string): Check[] {
    const { checks = {} } = entity.options;
    const rules = (sql: SqlText): Check["rules"] => [
      { kind: "sql", sql: this.columns.placed(entity, undefined, sql) },
    ];
    if (!isList(checks)) {
      return Object.entries(checks).map(([name, sql]) => ({
        name: constraintName("ck", table, [name]),
        rules: rules(sql),
      }));
    }
    return checks.map(({ name, holds, field, options }): Check => {
      const column =
        field === undefined ? undefined : this.columns.columnNames(entity, [field], "`checks`")[0];
      return {
        name,
        rules: rules(holds),
        ...(column !== undefined && { column }),
        ...(options && { options }),
      };
    });
  }

  private reportIndexShortfalls(entity: EntityDescription, index: Index): void {
    for (const dialect of this.dialects) {
      const reason = dialect.types.cannotHoldIndex(index);
      if (reason === undefined) continue;
      const remedy = "the index is left out there; give it another form if you need it on every dialect";
      this.report("A300", { entity: entity.name }, `${index.name} is not made: ${reason}`, remedy);
    }
  }
}

function isList<T>(value: T | readonly CheckOptions[]): value is readonly CheckOptions[] {
  return Array.isArray(value);
}

function columnsOfIndex(index: Index): string[] {
  return index.parts.flatMap(part => ("column" in part ? [part.column] : []));
}

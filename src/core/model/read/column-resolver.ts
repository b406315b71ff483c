import type { Class, DefaultValue } from "../../../modelling/facts.js";
import type { Dialect } from "../../dialect/shared/dialect.js";
import { addressOf } from "../../schema/address.js";
import { columnName, referenceColumnName, tableName, type NamingRules } from "../../schema/naming.js";
import type { Column, DataType, Default, SqlText } from "../../schema/types.js";
import { fillPlaceholders, mapSqlText } from "../../sql/placeholders.js";
import { placeholderOf } from "../../sql/tokens.js";
import type { EntityDescription, FieldDescription } from "./descriptions.js";
import type { Report } from "./findings.js";
import { defaultOf, plainColumn } from "./plain-column.js";
import { referenceColumns } from "./reference-columns.js";
import { isStored, type Resolving } from "./resolving.js";

/** A column a field comes to. */
interface FieldColumn {
  readonly field: FieldDescription;
  readonly column: Column;
}

/** What the entities' fields are called and made of in the database, worked out when first asked for. */
export class ColumnResolver implements Resolving {
  private readonly byClass: Map<Class, EntityDescription>;
  private readonly columns = new Map<EntityDescription, FieldColumn[]>();
  private readonly keys = new Map<EntityDescription, Column[]>();
  private readonly ofField = new Map<EntityDescription, Map<FieldDescription, Column[]>>();
  private readonly tableNames = new Map<EntityDescription, string>();
  private readonly names = new Map<EntityDescription, Map<string, string[]>>();
  private readonly busy = new Set<FieldDescription>();

  constructor(
    readonly entities: readonly EntityDescription[],
    readonly naming: NamingRules,
    readonly dialects: readonly Dialect[],
    readonly report: Report,
  ) {
    this.byClass = new Map(entities.map(entity => [entity.cls, entity]));
  }

  entityOf(cls: Class): EntityDescription | undefined {
    return this.byClass.get(cls);
  }

  tableName(entity: EntityDescription): string {
    const known = this.tableNames.get(entity) ?? entity.options.table ?? tableName(entity.name, this.naming);
    this.tableNames.set(entity, known);
    return known;
  }

  /** How others speak of the table. */
  address(entity: EntityDescription): string {
    const { namespace } = entity.options;
    return addressOf({ name: this.tableName(entity), ...(namespace !== undefined && { namespace }) });
  }

  /** The columns of an entity, its key first. */
  columnsOf(entity: EntityDescription): FieldColumn[] {
    const known = this.columns.get(entity);
    if (known) return known;
    const stored = entity.fields.filter(isStored);
    const keys = stored.filter(({ facts }) => facts.key);
    const ordered =
      entity.options.keysFirst === false ? stored : [...keys, ...stored.filter(({ facts }) => !facts.key)];
    const built = ordered.flatMap(field =>
      this.columnsOfField(entity, field).map(column => ({ field, column })),
    );
    const columns =
      keys.length > 0 || entity.options.key === false ? built : [this.serialId(entity), ...built];
    this.columns.set(entity, columns);
    return columns;
  }

  private serialId(entity: EntityDescription): FieldColumn {
    const field: FieldDescription = {
      property: "id",
      called: "id",
      calledBefore: [],
      facts: { key: {} },
      validators: [],
      aside: [],
      optional: false,
      declaredIn: entity.name,
      within: [],
    };
    return {
      field,
      column: {
        name: columnName("id", this.naming),
        type: { kind: "integer" },
        nullable: false,
        identity: "serial",
      },
    };
  }

  /** The columns of the key, in its order. Built by themselves: the others may refer back here. */
  keyColumns(entity: EntityDescription): Column[] {
    const known = this.keys.get(entity);
    if (known) return known;
    const { key } = entity.options;
    const fields = entity.fields.filter(field => isStored(field) && field.facts.key);
    const order = (key && key.fields) || fields.map(({ property }) => property);
    const ordered = fields.toSorted((a, b) => order.indexOf(a.property) - order.indexOf(b.property));
    const columns =
      fields.length > 0
        ? ordered.flatMap(field => this.columnsOfField(entity, field))
        : key === false
          ? []
          : [this.serialId(entity).column];
    this.keys.set(entity, columns);
    return columns;
  }

  /** Worked out once: a field of a key is asked for by all that refer to it. */
  private columnsOfField(entity: EntityDescription, field: FieldDescription): Column[] {
    const ofEntity = this.ofField.get(entity) ?? new Map<FieldDescription, Column[]>();
    this.ofField.set(entity, ofEntity);
    const columns = ofEntity.get(field) ?? this.buildColumns(entity, field);
    ofEntity.set(field, columns);
    return columns;
  }

  private buildColumns(entity: EntityDescription, field: FieldDescription): Column[] {
    const reference = field.facts.refersTo;
    if (reference?.options.fields) return [];
    const one = { entity, field, resolving: this };
    if (reference) return referenceColumns(one, reference, this.busy);
    const column = plainColumn(one);
    return column ? [column] : [];
  }

  /** A default or a fill of a field as data. */
  defaultOf(
    entity: EntityDescription,
    field: FieldDescription,
    type: DataType,
    value: DefaultValue | undefined,
    what: "default" | "fill",
  ): Default | undefined {
    return defaultOf({ entity, field, resolving: this }, type, value, what);
  }

  /** The column of a field that is one. */
  columnName(field: FieldDescription): string {
    return field.facts.field?.column ?? columnName(field.called, this.naming);
  }

  /**
   * What a column of a field may have been called before. The earlier name of a field may be that of its property,
   * after which its columns were named, or that of its column.
   */
  earlierNames(entity: EntityDescription, field: FieldDescription, column: string): string[] {
    const names = field.calledBefore.flatMap(before => {
      const alone = [before, columnName(before, this.naming)];
      if (!field.facts.refersTo) return alone;
      const keys = this.keysReferredTo(field);
      const at = this.columnsOfField(entity, field).findIndex(({ name }) => name === column);
      const key = keys[at];
      return [
        ...(key === undefined ? [] : [referenceColumnName(before, key, this.naming)]),
        ...(keys.length > 1 ? [] : alone),
      ];
    });
    return [...new Set(names)].filter(name => name !== column);
  }

  /** The names of the columns that a reference points to. */
  private keysReferredTo({ facts }: FieldDescription): string[] {
    const { target, options } = facts.refersTo!;
    const entity = this.byClass.get(target());
    if (!entity) return [];
    return options.to
      ? options.to.flatMap(property => this.namesOf(entity, property))
      : this.keyColumns(entity).map(({ name }) => name);
  }

  /** Columns of the target by the fields that a reference names. */
  referredColumns(
    entity: EntityDescription,
    field: FieldDescription,
    target: EntityDescription,
    properties: readonly string[],
  ): Column[] {
    return properties.flatMap(property => {
      const found = target.fields.find(each => each.property === property && isStored(each));
      // The entity's own columns may still be being built.
      if (found) return this.columnsOfField(target, found);
      this.reportNoField(target, undefined, property, `${entity.name}.${field.property}: \`to\``);
      return [];
    });
  }

  target(entity: EntityDescription, field: FieldDescription): EntityDescription | undefined {
    const { refersTo, referredBy, pairedWith } = field.facts;
    const reference = refersTo ?? referredBy ?? pairedWith;
    const cls = reference?.target();
    const found = cls && this.byClass.get(cls);
    if (!found) {
      const name = typeof cls === "function" ? cls.name : String(cls);
      this.report(
        "E223",
        { entity: entity.name, property: field.property },
        `${name} is not an entity among the models`,
        `put @Stored() on ${name} and see that its file is among \`models\` in the config`,
      );
    }
    return found;
  }

  /** SQL with fields in its placeholders, turned to columns. */
  placed(entity: EntityDescription, field: FieldDescription | undefined, sql: SqlText): SqlText {
    return mapSqlText(sql, text =>
      fillPlaceholders(text, name => {
        const [column, ...others] = this.namesOf(entity, name);
        if (column !== undefined && others.length === 0) return placeholderOf(column);
        this.reportNoField(entity, field, name, `the expression ${text}`);
        return placeholderOf(name);
      }),
    );
  }

  reportNoField(
    entity: EntityDescription,
    field: FieldDescription | undefined,
    name: string,
    place: string,
  ): void {
    const known = entity.fields.filter(isStored).map(({ property }) => property);
    this.report(
      "E225",
      { entity: entity.name, ...(field && { property: field.property }) },
      `${place} names ${name}, which is not a field of ${entity.name}`,
      `write one of ${known.join(", ")}`,
    );
  }

  /** The column names of a field, while types may still be unknown. */
  namesOf(entity: EntityDescription, property: string): string[] {
    const known = this.names.get(entity)?.get(property);
    if (known) return known;
    const found = this.findNames(entity, property);
    // While the columns are still being built there may be more to come.
    if (!this.columns.has(entity)) return found;
    const ofEntity = this.names.get(entity) ?? new Map<string, string[]>();
    this.names.set(entity, ofEntity.set(property, found));
    return found;
  }

  private findNames(entity: EntityDescription, property: string): string[] {
    const field = entity.fields.find(each => each.property === property && isStored(each));
    if (!field) {
      const parts = entity.fields.filter(
        each =>
          each.property.startsWith(`${property}.`) && each.facts.refersTo?.options.computedBy === undefined,
      );
      if (parts.length > 0) return parts.flatMap(part => this.namesOf(entity, part.property));
      return property === "id" && !entity.fields.some(({ facts }) => facts.key)
        ? [columnName("id", this.naming)]
        : [];
    }
    const fields = field.facts.refersTo?.options.fields;
    if (fields) return fields.flatMap(each => this.namesOf(entity, each));
    if (!field.facts.refersTo) return [this.columnName(field)];
    return this.columnsOf(entity).flatMap(({ field: each, column }) => (each === field ? [column.name] : []));
  }

  columnNames(entity: EntityDescription, properties: readonly string[], place: string): string[] {
    return properties.flatMap(property => {
      const names = this.namesOf(entity, property);
      if (names.length === 0) this.reportNoField(entity, undefined, property, place);
      return names;
    });
  }
}

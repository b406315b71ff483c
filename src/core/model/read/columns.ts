import type { Class, DefaultValue, KeyOptions, SqlExpression } from "../../../modelling/facts.js";
import type { Dialect } from "../../dialect/dialect.js";
import { placeholderOf } from "../../sql/tokens.js";
import { addressOf } from "../../schema/address.js";
import { equal } from "../../schema/canonical.js";
import { parseDataType, showDataType, TYPE_WORDS } from "../../schema/data-type.js";
import { columnName, referenceColumnName, tableName, type NamingRules } from "../../schema/naming.js";
import { fillPlaceholders, mapSqlText } from "../../sql/placeholders.js";
import type { Column, DataType, Default, SqlText } from "../../schema/types.js";
import type { EntityDescription, FieldDescription } from "./entities.js";
import type { Report } from "./findings.js";
import { inferType } from "./infer-type.js";

/** A column a field comes to. */
export interface FieldColumn {
  readonly field: FieldDescription;
  readonly column: Column;
}

/** What the entities' fields are called and made of in the database, worked out when first asked for. */
export class Columns {
  private readonly byClass: Map<Class, EntityDescription>;
  private readonly columns = new Map<EntityDescription, FieldColumn[]>();
  private readonly keys = new Map<EntityDescription, Column[]>();
  private readonly ofField = new Map<EntityDescription, Map<FieldDescription, Column[]>>();
  private readonly tableNames = new Map<EntityDescription, string>();
  private readonly names = new Map<EntityDescription, Map<string, string[]>>();
  private readonly resolving = new Set<FieldDescription>();

  constructor(
    readonly entities: readonly EntityDescription[],
    readonly naming: NamingRules,
    private readonly dialects: readonly Dialect[],
    private readonly report: Report,
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
      facts: { key: {} },
      validators: [],
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
    if (field.facts.refersTo?.options.fields) return [];
    if (field.facts.refersTo) return this.referenceColumns(entity, field);
    const column = this.plainColumn(entity, field);
    return column ? [column] : [];
  }

  private plainColumn(entity: EntityDescription, field: FieldDescription): Column | undefined {
    const { facts, optional } = field;
    const options = facts.field ?? {};
    const generate = facts.key ? generationOf(field) : options.generate;
    const type = this.typeOf(entity, field, generate);
    if (!type) return undefined;
    const where = { entity: entity.name, property: field.property };
    // https://sqlite.org/lang_createtable.html#the_primary_key
    const nullableKey = optional && facts.key?.nullable === true;
    if (facts.key && optional && !nullableKey) {
      this.report("E227", where, "A key may not be optional", "remove @IsOptional()");
    }
    if (counts(generate) && !["smallint", "integer", "bigint", "native"].includes(type.kind)) {
      this.report(
        "E227",
        where,
        `A serial key counts in whole numbers, not in ${type.kind}`,
        'leave the type out, or say @Field({ type: "bigint" })',
      );
    }
    const value = this.defaultOf(entity, field, type, options.default, "default");
    const identity = counts(generate) ? { identity: generate } : {};
    const computed = this.computedOf(entity, field);
    return {
      name: this.columnName(field),
      type,
      nullable: optional && (!facts.key || nullableKey),
      ...identity,
      ...(generate === "uuid" && { default: { kind: "uuid" } as const }),
      ...(value && { default: value }),
      ...(computed && { computed }),
      ...(options.collation !== undefined && { collation: options.collation }),
      ...(options.options && { options: options.options }),
      ...(facts.stamp && { stamp: facts.stamp }),
      ...(options.note !== undefined && { note: options.note }),
    };
  }

  private computedOf(entity: EntityDescription, field: FieldDescription): Column["computed"] {
    const { computed } = field.facts.field ?? {};
    if (computed === undefined) return undefined;
    const whole = typeof computed === "object" && "from" in computed && "keep" in computed;
    const { from, keep } = whole
      ? (computed as { from: SqlText; keep: boolean })
      : { from: computed as SqlText, keep: true };
    return { sql: this.placed(entity, field, from), stored: keep };
  }

  private typeOf(
    entity: EntityDescription,
    field: FieldDescription,
    generate: KeyOptions["generate"],
  ): DataType | undefined {
    const where = { entity: entity.name, property: field.property };
    const declared = field.facts.field?.type;
    if (typeof declared === "object") {
      const missing = this.dialects
        .filter(({ name }) => declared[name] === undefined)
        .map(({ name }) => name);
      if (missing.length > 0) {
        this.report(
          "E226",
          where,
          `The native type names none for ${missing.join(", ")}`,
          "name a type for each dialect of the config",
        );
      }
      return { kind: "native", sql: declared };
    }
    if (declared !== undefined) {
      const type = parseDataType(declared);
      if (!type)
        this.report("E226", where, `"${String(declared)}" is not a type`, `write one of ${TYPE_WORDS}`);
      return type;
    }
    if (field.facts.stamp) return { kind: "timestamptz" };
    if (counts(generate)) return { kind: "integer" };
    if (generate === "uuid") return { kind: "uuid" };
    if (field.facts.sameAsKeys) return this.commonKeyType(entity, field, field.facts.sameAsKeys());
    const inferred = inferType(field);
    if ("type" in inferred) return inferred.type;
    const remedy = `${inferred.missing}; if it is not a column, say @Field({ stored: false })`;
    // What would have told it may be what is wrong.
    if (entity.faults.some(({ property }) => property === field.property)) return undefined;
    this.report("E220", where, `The type of ${entity.name}.${field.property} cannot be told`, remedy);
    return undefined;
  }

  defaultOf(
    entity: EntityDescription,
    field: FieldDescription,
    type: DataType,
    value: DefaultValue | undefined,
    what: "default" | "fill",
  ): Default | undefined {
    if (value === undefined) return undefined;
    if (value === null) return { kind: "sql", sql: "NULL" };
    if (isSql(value)) return { kind: "sql", sql: this.placed(entity, field, value.sql) };
    const fits = VALUE_TYPES[type.kind] ?? ["string", "number", "boolean"];
    if (fits.includes(typeof value)) return { kind: "value", value };
    const where = { entity: entity.name, property: field.property };
    const received = `The ${what} ${JSON.stringify(value)} is not a ${type.kind}`;
    this.report("E229", where, received, `write a ${fits.join(" or ")}, or sql("…") for an expression`);
    return undefined;
  }

  /** The column of a field that is one. */
  private columnName(field: FieldDescription): string {
    return field.facts.field?.column ?? columnName(field.called, this.naming);
  }

  /** The type of a column that may hold the key of any of several entities. */
  private commonKeyType(
    entity: EntityDescription,
    field: FieldDescription,
    classes: readonly Class[],
  ): DataType | undefined {
    const targets = classes.flatMap(cls => this.byClass.get(cls) ?? []);
    const keys = targets.map(target => this.keyColumns(target));
    const type = keys[0]?.[0]?.type;
    if (type && keys.every(key => key.length === 1 && equal(key[0]!.type, type))) return type;
    const found = targets.map(
      (target, at) => `${target.name} (${keys[at]!.map(key => showDataType(key.type)).join(", ")})`,
    );
    if (found.length > 0)
      this.report(
        "E228",
        { entity: entity.name, property: field.property },
        `A reference by tag needs keys of one column and one type; there are ${found.join(", ")}`,
        'give them keys of one type, or say style: "arcs"',
      );
    return undefined;
  }

  /** The key, where the tag names this entity. */
  private tagged(
    entity: EntityDescription,
    property: string,
    target: EntityDescription,
  ): NonNullable<Column["computed"]> {
    const part = (name: string) =>
      placeholderOf(this.columnName(entity.fields.find(each => each.property === `${property}.${name}`)!));
    return {
      sql: `CASE WHEN ${part("type")} = '${target.name}' THEN ${part("id")} END`,
      stored: true,
    };
  }

  /** Reference columns take the types of the key they point to, however deep that key itself refers. */
  private referenceColumns(entity: EntityDescription, field: FieldDescription): Column[] {
    const reference = field.facts.refersTo!;
    const where = { entity: entity.name, property: field.property };
    const target = this.target(entity, field);
    if (!target) return [];
    if (this.resolving.has(field)) {
      this.report(
        "E227",
        where,
        field.facts.key
          ? `The key of ${entity.name} refers to itself in a circle`
          : `${entity.name}.${field.property} refers to itself in a circle`,
        "give one of the entities a key of its own",
      );
      return [];
    }
    this.resolving.add(field);
    const keys = reference.options.to
      ? this.referredColumns(entity, field, target, reference.options.to)
      : this.keyColumns(target);
    this.resolving.delete(field);
    const names = this.referenceNames(field, keys, where);
    const { default: value, note, options } = field.facts.field ?? {};
    const defaultValue =
      keys.length === 1 ? this.defaultOf(entity, field, keys[0]!.type, value, "default") : undefined;
    const [whole] = field.within;
    const required = whole && whole.kind !== "inline" ? !whole.optional : !field.optional;
    if (reference.options.onDelete === "set null" && required) {
      this.report(
        "E228",
        where,
        "A required reference cannot be set to null on delete",
        'add @IsOptional(), or choose onDelete "restrict" or "cascade"',
      );
    } else if (reference.options.onDelete === "set null" && whole?.kind === "tag") {
      this.report(
        "E228",
        where,
        "A reference by tag is computed, and cannot be set to null on delete",
        'choose onDelete "restrict" or "cascade", or style: "arcs"',
      );
    }
    const { computedBy } = reference.options;
    return keys.map((key, at) => ({
      name: names[at]!,
      type: key.type,
      nullable: field.optional && !field.facts.key,
      ...(computedBy !== undefined && { computed: this.tagged(entity, computedBy, target) }),
      ...(key.collation !== undefined && { collation: key.collation }),
      ...(defaultValue && { default: defaultValue }),
      ...(note !== undefined && { note }),
      ...(options && { options }),
    }));
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

  private referenceNames(
    field: FieldDescription,
    keys: readonly Column[],
    where: { entity: string; property: string },
  ): string[] {
    const { column } = field.facts.refersTo!.options;
    const given = column ?? field.facts.field?.column;
    const list = given === undefined ? [] : typeof given === "string" ? [given] : given;
    if (given !== undefined && list.length !== keys.length) {
      this.report(
        "E228",
        where,
        `The reference needs ${keys.length} column names and has ${list.length}`,
        "name one column for each column of the key referred to",
      );
    }
    return keys.map((key, at) => list[at] ?? referenceColumnName(field.called, key.name, this.naming));
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

  /** SQL with fields in its places, turned to columns. */
  placed(entity: EntityDescription, field: FieldDescription | undefined, sql: SqlText): SqlText {
    return mapSqlText(sql, text =>
      fillPlaceholders(text, name => {
        const columns = this.namesOf(entity, name);
        if (columns.length === 1) return placeholderOf(columns[0]!);
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

/** Whether a property is a column, or several. */
export function isStored({ facts }: FieldDescription): boolean {
  return facts.field?.stored !== false && !facts.referredBy && !facts.pairedWith;
}

function counts(generate: KeyOptions["generate"]): generate is "serial" | "always" | "rowid" {
  return generate === "serial" || generate === "always" || generate === "rowid";
}

function generationOf({ facts, validators }: FieldDescription): NonNullable<KeyOptions["generate"]> {
  const { generate } = facts.key!;
  if (generate) return generate;
  return validators.length === 0 && facts.field?.type === undefined ? "serial" : "none";
}

function isSql(value: DefaultValue): value is SqlExpression {
  return typeof value === "object";
}

const VALUE_TYPES: Partial<Record<DataType["kind"], readonly string[]>> = {
  boolean: ["boolean"],
  smallint: ["number"],
  integer: ["number"],
  bigint: ["number"],
  real: ["number"],
  double: ["number"],
  decimal: ["number", "string"],
  text: ["string"],
  char: ["string"],
  varchar: ["string"],
  date: ["string"],
  time: ["string"],
  timestamp: ["string"],
  timestamptz: ["string"],
  uuid: ["string"],
  json: ["string"],
};

import pluralize from "pluralize";
import type {
  CheckOptions,
  Class,
  DefaultValue,
  FieldOptions,
  IndexOptions,
  IndexTerm,
  KeyOptions,
  SqlExpression,
  UniqueOptions,
} from "../../modelling/facts.js";
import { fillKey, type DiffHints } from "../change/diff.js";
import { describeRule } from "../change/words.js";
import type { Dialect } from "../dialect/dialect.js";
import { placeOf } from "../dialect/tokens.js";
import { addressOf } from "../schema/address.js";
import { parseDataType, TYPE_WORDS } from "../schema/data-type.js";
import {
  columnName,
  constraintName,
  pairColumnName,
  pairTableName,
  referenceColumnName,
  tableName,
  type NamingRules,
} from "../schema/naming.js";
import { fillPlaces, mapSqlText } from "../schema/sql-text.js";
import type {
  Action,
  Check,
  Column,
  DataType,
  Default,
  Definition,
  ForeignKey,
  Index,
  IndexPart,
  Key,
  Rule,
  Schema,
  SqlText,
  Table,
  Unique,
} from "../schema/types.js";
import type { EntityDescription, FieldDescription } from "./entities.js";
import { collectFindings, type Finding, type Report } from "./findings.js";
import { inferType } from "./infer-type.js";
import { rulesOf } from "./rules.js";

/** What the models come to: the schema they describe, and what they say of the way there. */
export interface ModelSchema {
  readonly schema: Schema;
  readonly hints: DiffHints;
  readonly findings: readonly Finding[];
}

/** The schema that entities describe. Where something is wrong it is left out, and a finding says so. */
export function buildSchema(
  entities: readonly EntityDescription[],
  naming: NamingRules,
  dialects: readonly Dialect[],
  definitions: readonly Definition[] = [],
): ModelSchema {
  const { findings, report } = collectFindings();
  const builder = new Builder(entities, naming, dialects, report);
  const tables = [...entities.map(entity => builder.table(entity)), ...builder.pairTables()];
  reportClashes(tables, builder, report);
  reportNames(tables, builder, dialects, report);
  reportUndeferred(tables, builder, dialects, report);
  return {
    schema: {
      tables: tables.filter(
        (table, at) => tables.findIndex(each => addressOf(each) === addressOf(table)) === at,
      ),
      ...(definitions.length > 0 && { definitions }),
    },
    hints: builder.hints(),
    findings,
  };
}

/** A column a field comes to. */
interface FieldColumn {
  readonly field: FieldDescription;
  readonly column: Column;
}

class Builder {
  private readonly byClass: Map<Class, EntityDescription>;
  private readonly columns = new Map<EntityDescription, FieldColumn[]>();
  private readonly keys = new Map<EntityDescription, Column[]>();
  private readonly ofField = new Map<EntityDescription, Map<FieldDescription, Column[]>>();
  private readonly resolving = new Set<FieldDescription>();

  constructor(
    private readonly entities: readonly EntityDescription[],
    private readonly naming: NamingRules,
    private readonly dialects: readonly Dialect[],
    private readonly report: Report,
  ) {
    this.byClass = new Map(entities.map(entity => [entity.cls, entity]));
  }

  /** The entity that the table at this place comes from; pair tables come after those of all entities. */
  entityAt(at: number): EntityDescription | undefined {
    return this.entities[at];
  }

  tableName(entity: EntityDescription): string {
    return entity.options.table ?? tableName(entity.name, this.naming);
  }

  /** How others speak of the table. */
  address(entity: EntityDescription): string {
    const { namespace } = entity.options;
    return addressOf({ name: this.tableName(entity), ...(namespace !== undefined && { namespace }) });
  }

  table(entity: EntityDescription): Table {
    const name = this.tableName(entity);
    const fieldColumns = this.columnsOf(entity);
    const columns = fieldColumns.map(({ column }) => column);
    const key = this.key(entity, name);
    const uniques = this.uniques(entity, name);
    const { note, namespace, options, unnamed } = entity.options;
    this.checkReferredBy(entity);
    const indexes = this.indexes(entity, name, [
      ...(key ? [key.columns] : []),
      ...uniques.map(unique => unique.columns),
    ]);
    const foreignKeys = this.foreignKeys(entity, name);
    const checks = this.checks(entity, name);
    const nameless = <P extends { readonly name: string }>(part: P): P =>
      unnamed ? { ...part, name: "" } : part;
    return {
      name,
      ...(namespace !== undefined && { namespace }),
      columns,
      ...(key && { key: nameless(key) }),
      uniques: uniques.map(nameless),
      indexes,
      foreignKeys: foreignKeys.map(nameless),
      checks: checks.map(nameless),
      ...(note !== undefined && { note }),
      ...(options && { options }),
    };
  }

  private key(entity: EntityDescription, table: string): Key | undefined {
    const { key } = entity.options;
    const own = this.keyColumns(entity).map(column => column.name);
    if (own.length === 0) return undefined;
    if (!key) return { name: `pk_${table}`, columns: own };
    const columns = key.fields ? this.columnNames(entity, key.fields, "`key`") : own;
    if (key.fields && [...columns].sort().join() !== [...own].sort().join()) {
      const fields = entity.fields.filter(({ facts }) => facts.key).map(({ property }) => property);
      this.report(
        "E225",
        { entity: entity.name },
        "`key` does not name the fields that are the key",
        `name ${fields.join(", ")}, in the order the key has them`,
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
      ...(include && { include: this.columnNames(entity, include, "`include`") }),
      ...(deferrable && { deferrable }),
      ...(options && { options }),
    };
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
      facts: { key: {} },
      validators: [],
      optional: false,
      declaredIn: entity.name,
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
  private keyColumns(entity: EntityDescription): Column[] {
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
      name: options.column ?? columnName(field.property, this.naming),
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
    const inferred = inferType(field);
    if ("type" in inferred) return inferred.type;
    const remedy = `${inferred.missing}; if it is not a column, say @Field({ stored: false })`;
    this.report("E220", where, `The type of ${entity.name}.${field.property} cannot be told`, remedy);
    return undefined;
  }

  private defaultOf(
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
    if (reference.options.onDelete === "set null" && !field.optional) {
      this.report(
        "E228",
        where,
        "A required reference cannot be set to null on delete",
        'add @IsOptional(), or choose onDelete "restrict" or "cascade"',
      );
    }
    return keys.map((key, at) => ({
      name: names[at]!,
      type: key.type,
      nullable: field.optional && !field.facts.key,
      ...(key.collation !== undefined && { collation: key.collation }),
      ...(defaultValue && { default: defaultValue }),
      ...(note !== undefined && { note }),
      ...(options && { options }),
    }));
  }

  /** Columns of the target by the fields that a reference names. */
  private referredColumns(
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
    return keys.map((key, at) => list[at] ?? referenceColumnName(field.property, key.name, this.naming));
  }

  private target(entity: EntityDescription, field: FieldDescription): EntityDescription | undefined {
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
  private placed(entity: EntityDescription, field: FieldDescription | undefined, sql: SqlText): SqlText {
    return mapSqlText(sql, text =>
      fillPlaces(text, name => {
        const columns = this.namesOf(entity, name);
        if (columns.length === 1) return placeOf(columns[0]!);
        this.reportNoField(entity, field, name, `the expression ${text}`);
        return placeOf(name);
      }),
    );
  }

  private reportNoField(
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
  private namesOf(entity: EntityDescription, property: string): string[] {
    const field = entity.fields.find(each => each.property === property && isStored(each));
    if (!field)
      return property === "id" && !entity.fields.some(({ facts }) => facts.key)
        ? [columnName("id", this.naming)]
        : [];
    const fields = field.facts.refersTo?.options.fields;
    if (fields) return fields.flatMap(each => this.namesOf(entity, each));
    if (!field.facts.refersTo) return [field.facts.field?.column ?? columnName(property, this.naming)];
    return this.columnsOf(entity).flatMap(({ field: each, column }) => (each === field ? [column.name] : []));
  }

  private columnNames(entity: EntityDescription, properties: readonly string[], place: string): string[] {
    return properties.flatMap(property => {
      const names = this.namesOf(entity, property);
      if (names.length === 0) this.reportNoField(entity, undefined, property, place);
      return names;
    });
  }

  private uniques(entity: EntityDescription, table: string): Unique[] {
    const fields = entity.fields
      .filter(field => isStored(field) && field.facts.field?.unique)
      .map(({ property }) => [property]);
    const lists = [...fields, ...(entity.options.unique ?? [])];
    return lists.flatMap((entry): Unique[] => {
      const options: UniqueOptions = "fields" in entry ? entry : { fields: entry };
      const columns = this.columnNames(entity, options.fields, "`unique`");
      const name = options.name ?? constraintName("uq", table, columns);
      return columns.length > 0 ? [{ name, columns, ...this.keyed(entity, options) }] : [];
    });
  }

  private indexes(
    entity: EntityDescription,
    table: string,
    covered: readonly (readonly string[])[],
  ): Index[] {
    const plain = (columns: readonly string[]): Index => ({
      name: constraintName("ix", table, columns),
      parts: columns.map(column => ({ column })),
    });
    const fields = entity.fields.filter(field => isStored(field) && field.facts.field?.index);
    const given = (entity.options.indexes ?? []).flatMap((entry): Index[] => {
      const options: IndexOptions = "fields" in entry ? entry : { fields: entry };
      const parts = options.fields.flatMap(term => this.indexParts(entity, term));
      if (parts.length === 0) return [];
      const where = options.where === undefined ? undefined : this.placed(entity, undefined, options.where);
      const called = parts.map(part => ("column" in part ? part.column : "expression"));
      const { method, include, options: own } = options;
      return [
        {
          name: options.name ?? constraintName("ix", table, called),
          parts,
          ...(options.unique && { unique: true }),
          ...(where !== undefined && { where }),
          ...(method !== undefined && { method }),
          ...(include && { include: this.columnNames(entity, include, "`include`") }),
          ...(own && { options: own }),
        },
      ];
    });
    const wanted = [...fields.map(({ property }) => plain(this.namesOf(entity, property))), ...given];
    const serving = wanted.filter(index => index.where === undefined && index.method === undefined);
    const leading = [...covered, ...serving.map(columnsOfIndex)];
    const references = entity.fields.filter(field => isStored(field) && field.facts.refersTo);
    for (const field of references) {
      const columns = this.namesOf(entity, field.property);
      const served = leading.some(list => columns.every((column, at) => list[at] === column));
      if (field.facts.refersTo!.options.index !== false && !served && columns.length > 0)
        wanted.push(plain(columns));
    }
    for (const index of wanted) this.reportIndexShortfalls(entity, index);
    return wanted.filter((index, at) => wanted.findIndex(({ name }) => name === index.name) === at);
  }

  private indexParts(entity: EntityDescription, term: string | IndexTerm): IndexPart[] {
    if (typeof term === "string")
      return this.columnNames(entity, [term], "`indexes`").map(column => ({ column }));
    if ("sql" in term) return [{ ...term, sql: this.placed(entity, undefined, term.sql) }];
    const { field, ...rest } = term;
    return this.columnNames(entity, [field], "`indexes`").map(column => ({ column, ...rest }));
  }

  private foreignKeys(entity: EntityDescription, table: string): ForeignKey[] {
    return entity.fields.flatMap(field => {
      const reference = isStored(field) && field.facts.refersTo;
      const target = reference && this.byClass.get(reference.target());
      if (!reference || !target) return [];
      const columns = this.namesOf(entity, field.property);
      if (columns.length === 0) return [];
      const { to, name, deferrable, options, fields } = reference.options;
      const referred = to ? this.referredColumns(entity, field, target, to) : this.keyColumns(target);
      if (fields && columns.length !== referred.length) {
        this.report(
          "E228",
          { entity: entity.name, property: field.property },
          `The reference is over ${columns.length} columns, and what it refers to has ${referred.length}`,
          "name one field for each column referred to",
        );
      }
      const actions = {
        onDelete: reference.options.onDelete ?? "restrict",
        onUpdate: reference.options.onUpdate ?? "no action",
      } as const;
      return [
        {
          ...foreignKey(table, columns, this.address(target), referred, actions),
          ...(name !== undefined && { name }),
          ...(deferrable && { deferrable }),
          ...(options && { options }),
        },
      ];
    });
  }

  private checks(entity: EntityDescription, table: string): Check[] {
    const ofFields = this.columnsOf(entity).flatMap(({ field, column }): Check[] => {
      const rules = rulesOf(column.name, column.type, field.facts.refersTo ? [] : field.validators);
      const { check } = field.facts.field ?? {};
      const held = check !== false && (check !== undefined || entity.options.fieldChecks !== false);
      const own = field.facts.refersTo || column.computed || !held ? [] : rules;
      for (const rule of own) this.reportShortfalls(entity, field, rule);
      const name = check || constraintName("ck", table, [column.name]);
      return own.length > 0 ? [{ name, rules: own }] : [];
    });
    return [...ofFields, ...this.statedChecks(entity, table)];
  }

  private statedChecks(entity: EntityDescription, table: string): Check[] {
    const { checks = {} } = entity.options;
    const rules = (sql: SqlText): Check["rules"] => [
      { kind: "sql", sql: this.placed(entity, undefined, sql) },
    ];
    if (!isList(checks)) {
      return Object.entries(checks).map(([name, sql]) => ({
        name: constraintName("ck", table, [name]),
        rules: rules(sql),
      }));
    }
    return checks.map(({ name, holds, field, options }): Check => {
      const column = field === undefined ? undefined : this.columnNames(entity, [field], "`checks`")[0];
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
      const reason = dialect.cannotHoldIndex(index);
      if (reason === undefined) continue;
      const remedy = "the index is left out there; give it another form if you need it on every dialect";
      this.report("A300", { entity: entity.name }, `${index.name} is not made: ${reason}`, remedy);
    }
  }

  private reportShortfalls(entity: EntityDescription, field: FieldDescription, rule: Rule): void {
    for (const dialect of this.dialects) {
      const reason = dialect.cannotHold(rule);
      if (reason === undefined) continue;
      const what = `${describeRule(rule)} holds in the program only: ${reason}`;
      const remedy = "the program keeps to it with validate(); rows written past it are not held to it";
      this.report("A300", { entity: entity.name, property: field.property }, what, remedy);
    }
  }

  private checkReferredBy(entity: EntityDescription): void {
    for (const field of entity.fields) {
      const { referredBy } = field.facts;
      if (!referredBy) continue;
      const target = this.target(entity, field);
      const other = target?.fields.find(({ property }) => property === referredBy.field);
      const back = other?.facts.refersTo ?? other?.facts.pairedWith;
      if (!target || back?.target() === entity.cls) continue;
      const pointing = target.fields.filter(
        each => (each.facts.refersTo ?? each.facts.pairedWith)?.target() === entity.cls,
      );
      const what = other
        ? `${target.name}.${referredBy.field} does not refer to ${entity.name}`
        : `${target.name} has no field ${referredBy.field}`;
      const remedy =
        pointing.length > 0
          ? `name ${pointing.map(({ property }) => property).join(" or ")}`
          : `add to ${target.name}: @RefersTo(() => ${entity.name}) ${referredBy.field}!: ${entity.name}`;
      this.report("E224", { entity: entity.name, property: field.property }, what, remedy);
    }
  }

  /** One table for each `@PairedWith`. */
  pairTables(): Table[] {
    return this.entities.flatMap(owner =>
      owner.fields.flatMap(field => {
        const pairing = field.facts.pairedWith;
        const other = pairing && this.target(owner, field);
        return other ? [this.pairTable(owner, field, other)] : [];
      }),
    );
  }

  private pairTable(owner: EntityDescription, field: FieldDescription, other: EntityDescription): Table {
    const { options } = field.facts.pairedWith!;
    const name = options.table ?? pairTableName(this.tableName(owner), this.tableName(other), this.naming);
    const side = (entity: EntityDescription, called: string) =>
      this.keyColumns(entity).map((key): Column => ({
        name: pairColumnName(called, key.name, this.naming),
        type: key.type,
        nullable: false,
      }));
    const [left, right] = [
      side(owner, owner.name),
      side(other, other === owner ? pluralize.singular(field.property) : other.name),
    ];
    const [ownerNames, otherNames] = [left.map(column => column.name), right.map(column => column.name)];
    const actions = { onDelete: options.onDelete ?? "cascade", onUpdate: "no action" } as const;
    return {
      name,
      columns: [...left, ...right],
      key: { name: `pk_${name}`, columns: [...ownerNames, ...otherNames] },
      uniques: [],
      indexes: [
        { name: constraintName("ix", name, otherNames), parts: otherNames.map(column => ({ column })) },
      ],
      foreignKeys: [
        foreignKey(name, ownerNames, this.address(owner), this.keyColumns(owner), actions),
        foreignKey(name, otherNames, this.address(other), this.keyColumns(other), actions),
      ],
      checks: [],
    };
  }

  /** Renames and fills, as the models say them. */
  hints(): DiffHints {
    const tables = new Map<string, string>();
    const columns = new Map<string, Map<string, string>>();
    const fills = new Map<string, Default>();
    for (const entity of this.entities) {
      const table = this.address(entity);
      if (entity.options.was !== undefined) tables.set(entity.options.was, table);
      const renamed = new Map<string, string>();
      for (const { field, column } of this.columnsOf(entity)) {
        const options: FieldOptions = field.facts.field ?? {};
        if (options.was !== undefined) renamed.set(options.was, column.name);
        const fill = this.defaultOf(entity, field, column.type, options.fill, "fill");
        if (fill) fills.set(fillKey(table, column.name), fill);
      }
      if (renamed.size > 0) columns.set(table, renamed);
    }
    return { tables, columns, fills };
  }
}

/** @param target the address of the table referred to */
function foreignKey(
  table: string,
  columns: readonly string[],
  target: string,
  key: readonly Column[],
  actions: { readonly onDelete: Action; readonly onUpdate: Action },
): ForeignKey {
  return {
    name: constraintName("fk", table, columns),
    columns,
    references: { table: target, columns: key.map(({ name }) => name) },
    ...actions,
  };
}

/** Whether a property is a column, or several. */
function isStored({ facts }: FieldDescription): boolean {
  return facts.field?.stored !== false && !facts.referredBy && !facts.pairedWith;
}

function counts(generate: KeyOptions["generate"]): generate is "serial" | "always" | "rowid" {
  return generate === "serial" || generate === "always" || generate === "rowid";
}

function isList<T>(value: T | readonly CheckOptions[]): value is readonly CheckOptions[] {
  return Array.isArray(value);
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

function columnsOfIndex(index: Index): string[] {
  return index.parts.flatMap(part => ("column" in part ? [part.column] : []));
}

/** Names that two things want. SQLite and MariaDB tell names apart without regard to case, so nobody may rely on it. */
function reportClashes(tables: readonly Table[], builder: Builder, report: Report): void {
  const owners = new Map<string, string>();
  for (const [at, table] of tables.entries()) {
    const entity = builder.entityAt(at)?.name ?? table.name;
    const name = addressOf(table).toLowerCase();
    const owner = owners.get(name);
    if (owner) {
      report(
        "E221",
        { entity },
        `${owner} and ${entity} are both stored in the table ${table.name}`,
        "give one of them another name with @Stored({ table: … })",
      );
    }
    owners.set(name, owner ?? entity);
    const columns = new Set<string>();
    for (const column of table.columns) {
      const key = column.name.toLowerCase();
      if (columns.has(key)) {
        report(
          "E222",
          { entity },
          `Two fields of ${entity} are stored in the column ${column.name}`,
          "give one of them another name with @Field({ column: … })",
        );
      }
      columns.add(key);
    }
    const { uniques, indexes, foreignKeys, checks } = table;
    for (const twice of [
      [...uniques, ...indexes],
      [...uniques, ...foreignKeys, ...checks],
    ].flatMap(namedTwice)) {
      report(
        "E230",
        { entity },
        `Two constraints of ${entity} would be called ${twice}`,
        "remove one of them, or name the check otherwise",
      );
    }
  }
}

/** Indexes and constraints are told apart by their names, each among themselves; a unique constraint is both. */
function namedTwice(parts: readonly { readonly name: string }[]): string[] {
  const names = parts.map(({ name }) => name).filter(name => name !== "");
  return [...new Set(names.filter((name, at) => names.indexOf(name) !== at))];
}

/** Constraints that are to be looked at when a transaction ends, where a dialect looks at each statement. */
function reportUndeferred(
  tables: readonly Table[],
  builder: Builder,
  dialects: readonly Dialect[],
  report: Report,
): void {
  for (const [at, table] of tables.entries()) {
    const deferred = (each: Table) =>
      [...(each.key ? [each.key] : []), ...each.uniques, ...each.foreignKeys].filter(part => part.deferrable);
    if (deferred(table).length === 0) continue;
    for (const dialect of dialects) {
      const held = deferred(dialect.settle({ tables: [table] }).tables[0]!).map(({ columns }) =>
        columns.join(),
      );
      for (const { name, columns } of deferred(table).filter(part => !held.includes(part.columns.join()))) {
        report(
          "A300",
          { entity: builder.entityAt(at)?.name ?? table.name },
          `${name || columns.join(", ")} is looked at after each statement: ${dialect.title} does not defer it`,
          "order the statements of a transaction so that it holds all along there",
        );
      }
    }
  }
}

/** Names that a dialect in use does not take. */
function reportNames(
  tables: readonly Table[],
  builder: Builder,
  dialects: readonly Dialect[],
  report: Report,
): void {
  for (const [at, table] of tables.entries()) {
    const entity = builder.entityAt(at)?.name ?? table.name;
    for (const name of [table.name, ...table.columns.map(column => column.name)]) {
      for (const dialect of dialects) {
        const reason = dialect.cannotHoldName(name);
        if (reason)
          report(
            "E231",
            { entity },
            `The name ${JSON.stringify(name)} cannot be: ${reason}`,
            "choose another name",
          );
      }
    }
  }
}

import pluralize from "pluralize";
import { columnsOfPart, isServed } from "../../schema/lookups.js";
import type { Dialect } from "../../dialect/dialect.js";
import { placeholderOf } from "../../sql/tokens.js";
import { addressOf, parseAddress, tablesByAddress } from "../../schema/address.js";
import { equal } from "../../schema/canonical.js";
import { showDataType } from "../../schema/data-type.js";
import {
  columnName,
  constraintName,
  referenceColumnName,
  tableName,
  type NamingRules,
} from "../../schema/naming.js";
import { fillPlaceholders, mapSqlText } from "../../sql/placeholders.js";
import type {
  Check,
  Column,
  DataType,
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
} from "../../schema/types.js";
import {
  classNameFor,
  Code,
  codeInLines,
  codeOf,
  fileNameFor,
  LINE,
  propertyFor,
  type CodeValue,
} from "./code.js";
import {
  declared,
  fieldTypeOf,
  importPath,
  validatorsFor,
  VALIDATORS,
  type Decorator,
  type FieldType,
} from "./field-code.js";
import type { Validator } from "../read/entities.js";
import { rulesOf } from "../read/rules.js";

/** One model file. */
export interface ModelFile {
  /** From the models' folder: `piece.ts`, or `studio/piece.ts` for a namespace. */
  readonly path: string;
  readonly text: string;
  /** The class in it, and the line of each of its columns; undefined for what is not a class. */
  readonly model?: {
    readonly name: string;
    /** The table's address. */
    readonly table: string;
    readonly lines: ReadonlyMap<string, string>;
    /** What `@Stored` says of indexes, unique constraints and checks, by kind and name: `index by_name`. */
    readonly parts: ReadonlyMap<string, string>;
  };
}

export interface WriteModelsOptions {
  readonly dialect: Dialect;
  readonly naming: NamingRules;
}

/** Model files that describe a schema, in portable words as far as `raise` found them. */
export function writeModels(schema: Schema, options: WriteModelsOptions): ModelFile[] {
  const plans = planClasses(schema);
  const definitions = schema.definitions ?? [];
  const files = plans.map(plan => new ClassWriter(plan, { ...options, plans, definitions }).file());
  return definitions.length === 0 ? files : [...files, definitionsFile(definitions, files)];
}

/** A class before it is written: what it and its properties are called. */
interface ClassPlan {
  readonly table: Table;
  readonly name: string;
  readonly path: string;
  /** Properties by column, for columns that are fields and for references of one column. */
  readonly properties: ReadonlyMap<string, string>;
  readonly references: readonly ReferencePlan[];
  readonly taken: Set<string>;
}

interface ReferencePlan {
  readonly foreignKey: ForeignKey;
  readonly property: string;
  /** Whether its one column is its own rather than that of a field beside it. */
  readonly own: boolean;
  /** Whether at most one row refers to each. */
  readonly single: boolean;
}

function planClasses(schema: Schema): ClassPlan[] {
  const byAddress = tablesByAddress(schema);
  const classes = new Set<string>();
  const paths = new Set<string>();
  return schema.tables.map(table => {
    const name = classNameFor(table.name, classes, pluralize.singular);
    classes.add(name);
    const folder =
      table.namespace === undefined ? "" : `${fileNameFor(propertyFor(table.namespace, new Set()))}/`;
    let path = `${folder}${fileNameFor(name)}`;
    while (paths.has(path)) path += "-2";
    paths.add(path);
    return { table, name, path: `${path}.ts`, ...planProperties(table, byAddress) };
  });
}

function planProperties(
  table: Table,
  byAddress: ReadonlyMap<string, Table>,
): Pick<ClassPlan, "properties" | "references" | "taken"> {
  const taken = new Set<string>();
  const take = (text: string) => {
    const property = propertyFor(text, taken);
    taken.add(property);
    return property;
  };
  const owned = new Map<string, ForeignKey>();
  for (const foreignKey of table.foreignKeys) {
    const [column] = foreignKey.columns;
    const known = table.columns.find(({ name }) => name === column);
    if (known && !owned.has(known.name) && ownsColumn(foreignKey, known, table, byAddress))
      owned.set(known.name, foreignKey);
  }
  const properties = new Map<string, string>();
  for (const { name } of table.columns.filter(each => !owned.has(each.name)))
    properties.set(name, take(name));
  for (const [column, { references }] of owned) {
    const base = column.replace(new RegExp(`[_ ]?${escaped(references.columns[0]!)}$`, "i"), "");
    properties.set(
      column,
      take(base === "" ? pluralize.singular(parseAddress(references.table).name) : base),
    );
  }
  const references = table.foreignKeys.flatMap((foreignKey): ReferencePlan[] => {
    const target = byAddress.get(foreignKey.references.table);
    if (!target) return [];
    const own = owned.get(foreignKey.columns[0]!) === foreignKey;
    const property = own ? properties.get(foreignKey.columns[0]!)! : take(pluralize.singular(target.name));
    return [{ foreignKey, property, own, single: isUnique(table, foreignKey.columns) }];
  });
  return { properties, references, taken };
}

function escaped(text: string): string {
  return text.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");
}

/** Whether a reference can bring its column along: all that the column is follows from what it refers to. */
function ownsColumn(
  foreignKey: ForeignKey,
  column: Column,
  table: Table,
  byAddress: ReadonlyMap<string, Table>,
): boolean {
  const target = byAddress.get(foreignKey.references.table);
  const [referred] = foreignKey.references.columns;
  const key = target?.columns.find(({ name }) => name === referred);
  const stated = table.checks.some(
    check =>
      check.column === column.name ||
      (isOfRules(check) && columnsOfPart("check", check).includes(column.name)),
  );
  return (
    foreignKey.columns.length === 1 &&
    key !== undefined &&
    equal(key.type, column.type) &&
    equal(key.collation, column.collation) &&
    !column.identity &&
    !column.computed &&
    !column.stamp &&
    !stated &&
    !(column.nullable && table.key?.columns.includes(column.name)) &&
    // A key that refers to itself would have no type of its own.
    !(target === table && (referred === column.name || table.key?.columns.includes(column.name)))
  );
}

function isUnique(table: Table, columns: readonly string[]): boolean {
  const same = (others: readonly string[]) =>
    others.length === columns.length && others.every(name => columns.includes(name));
  return [...(table.key ? [table.key] : []), ...table.uniques].some(each => same(each.columns));
}

/** Whether a check came of rules rather than of SQL. */
function isOfRules({ rules }: Check): boolean {
  return rules.every(({ kind }) => kind !== "sql");
}

interface WriterOptions extends WriteModelsOptions {
  readonly plans: readonly ClassPlan[];
  readonly definitions: readonly Definition[];
}

class ClassWriter {
  private readonly validators = new Set<string>();
  private readonly decorators = new Set<string>(["Stored"]);
  private readonly classes = new Set<ClassPlan>();
  private usesSql = false;
  private readonly ownIndexes: readonly Index[];
  /** Checks that fields state as rules, by column. */
  private readonly fieldChecks = new Map<string, Check>();
  /** Columns whose type or rules would bring a check that the table does not have. */
  private readonly unchecked = new Set<string>();

  constructor(
    private readonly plan: ClassPlan,
    private readonly options: WriterOptions,
  ) {
    this.ownIndexes = this.findOwnIndexes();
    this.planChecks();
  }

  file(): ModelFile {
    const { plan } = this;
    const lines = new Map<string, string>();
    const own = new Map(
      plan.references.filter(({ own }) => own).map(each => [each.foreignKey.columns[0]!, each]),
    );
    for (const column of plan.table.columns) {
      const reference = own.get(column.name);
      lines.set(column.name, reference ? this.reference(reference, column) : this.field(column));
    }
    const others = [
      ...plan.references.filter(({ own }) => !own).map(reference => this.reference(reference)),
      ...this.otherEnds(),
    ];
    const stored = this.stored();
    const body = [...lines.values(), ...others].map(line => `  ${line}\n`).join("");
    const text = `${this.imports()}\n@Stored<${plan.name}>(${stored})\nexport class ${plan.name} {\n${body}}\n`;
    return {
      path: plan.path,
      text,
      model: { name: plan.name, table: addressOf(plan.table), lines, parts: this.partLines() },
    };
  }

  /** Which checks the fields can state by their rules, exactly. */
  private planChecks(): void {
    const { table } = this.plan;
    for (const column of table.columns) {
      const found = table.checks.find(
        check =>
          isOfRules(check) &&
          check.column === undefined &&
          check.options === undefined &&
          columnsOfPart("check", check).every(name => name === column.name),
      );
      const rules = found ? rulesOf(column, validatorsFor(found.rules)) : [];
      const byRules = found && equal(this.settled(column, rules), this.settled(column, found.rules));
      const implied = table.checks.find(
        check =>
          check !== found &&
          columnsOfPart("check", check).every(name => name === column.name) &&
          equal(this.settledCheck(column, check), this.settled(column, rulesOf(column, []))),
      );
      const held = byRules ? found : implied;
      if (held) this.fieldChecks.set(column.name, held);
    }
    if (this.options.dialect.catalog.keepsOrder) this.keepOrder();
    for (const column of table.columns) {
      if (this.fieldChecks.has(column.name)) continue;
      const rules = rulesOf(column, this.typeOf(column).rules);
      // A rule that the types hold makes no check, but has its name.
      const name = constraintName("ck", table.name, [column.name]);
      const isTaken = rules.length > 0 && table.checks.some(check => check.name === name);
      if (isTaken || this.settled(column, rules).length > 0) this.unchecked.add(column.name);
    }
  }

  /** Checks of fields come first, in the order of the fields: those that stand otherwise are stated by the table. */
  private keepOrder(): void {
    const { columns, checks } = this.plan.table;
    const byCheck = new Map([...this.fieldChecks].map(([column, check]) => [check, column]));
    let last = -1;
    for (const check of checks.filter(({ column }) => column === undefined)) {
      const column = byCheck.get(check);
      const at = columns.findIndex(({ name }) => name === column);
      if (at > last) last = at;
      else {
        last = Infinity;
        if (column !== undefined) this.fieldChecks.delete(column);
      }
    }
  }

  private settled(column: Column, rules: readonly Rule[]): readonly Check[] {
    return this.settle(column, rules.length > 0 ? [{ name: "", rules }] : []);
  }

  private settledCheck(column: Column, check: Check): readonly Check[] {
    return this.settle(column, [{ name: "", rules: check.rules }]);
  }

  private settle(column: Column, checks: readonly Check[]): readonly Check[] {
    const table: Table = { name: "", columns: [column], uniques: [], indexes: [], foreignKeys: [], checks };
    return this.options.dialect.types.settle({ tables: [table] }).tables[0]!.checks;
  }

  /** Whether the class says once that the database holds no rules of its fields. */
  private get holdsNoRules(): boolean {
    return this.unchecked.size > 0 && this.fieldChecks.size === 0;
  }

  private stored(): string {
    const { table, name } = this.plan;
    const { naming } = this.options;
    const options: Record<string, CodeValue> = {
      table: tableName(name, naming) === table.name ? undefined : table.name,
      namespace: table.namespace,
      note: table.note,
      key: this.keyOption(table.key),
      unique: some(
        table.uniques.filter(unique => !this.isFieldUnique(unique)).map(unique => this.uniqueOption(unique)),
      ),
      indexes: some(this.statedIndexes().map(index => this.indexOption(index))),
      checks: some(this.statedChecks()),
      fieldChecks: this.holdsNoRules ? false : undefined,
      keysFirst: this.keysStandFirst() ? undefined : false,
      unnamed: this.isUnnamed() ? true : undefined,
      options: table.options as CodeValue,
    };
    const code = codeInLines(options, "", LINE - name.length - "@Stored<>()".length);
    return code === "{}" ? "" : code;
  }

  private partLines(): Map<string, string> {
    const { table } = this.plan;
    const line = (option: string, value: CodeValue) => `@Stored: ${option}: [${codeOf(value)}]`;
    const checks = table.checks.filter(check => ![...this.fieldChecks.values()].includes(check));
    return new Map([
      ...table.indexes.map(
        index => [`index ${index.name}`, line("indexes", this.indexOption(index))] as const,
      ),
      ...table.uniques.map(
        unique => [`unique ${unique.name}`, line("unique", this.uniqueOption(unique))] as const,
      ),
      ...checks.flatMap(check =>
        this.checkOptions([check]).map(option => [`check ${check.name}`, line("checks", option)] as const),
      ),
    ]);
  }

  private get parts() {
    const { table } = this.plan;
    return [...(table.key ? [table.key] : []), ...table.uniques, ...table.foreignKeys, ...table.checks];
  }

  private isUnnamed(): boolean {
    return this.parts.length > 0 && this.parts.every(({ name }) => name === "");
  }

  /** A name that does not follow from the model by itself. */
  private nameOption(name: string, usual: string): string | undefined {
    return name === usual || this.isUnnamed() ? undefined : name;
  }

  private keysStandFirst(): boolean {
    const { key, columns } = this.plan.table;
    const names = key?.columns ?? [];
    return columns.slice(0, names.length).every(({ name }) => names.includes(name));
  }

  private keyOption(key: Key | undefined): CodeValue {
    if (!key) return false;
    const { table } = this.plan;
    const written = table.columns.filter(({ name }) => key.columns.includes(name)).map(({ name }) => name);
    const option = {
      name: this.nameOption(key.name, `pk_${table.name}`),
      fields: equal(written, key.columns) ? undefined : this.propertiesOf(key.columns),
      ...this.keyedOptions(key),
    };
    return codeOf(option) === "{}" ? undefined : option;
  }

  private keyedOptions({ include, deferrable, options }: Unique): Record<string, CodeValue> {
    return { include: include && this.propertiesOf(include), deferrable, options: options as CodeValue };
  }

  /** Whether a unique constraint is said on its field. */
  private isFieldUnique(unique: Unique): boolean {
    const plain = codeOf(this.keyedOptions(unique)) === "{}";
    const usual = constraintName("uq", this.plan.table.name, unique.columns);
    return plain && unique.columns.length === 1 && this.nameOption(unique.name, usual) === undefined;
  }

  private uniqueOption(unique: Unique): CodeValue {
    const fields = this.propertiesOf(unique.columns);
    const name = this.nameOption(unique.name, constraintName("uq", this.plan.table.name, unique.columns));
    const option = { fields, name, ...this.keyedOptions(unique) };
    return codeOf(option) === codeOf({ fields }) ? fields : option;
  }

  /** Indexes that do not follow from a reference by themselves. */
  private statedIndexes(): Index[] {
    const implied = this.plan.references
      .filter(each => this.bringsIndex(each))
      .map(each => each.foreignKey.columns);
    return this.ownIndexes.filter(
      index => !(isPlain(index) && implied.some(columns => this.isUsualIndex(index, columns))),
    );
  }

  /** All but the last ones, where the dialect makes just these for the references by itself. */
  private findOwnIndexes(): readonly Index[] {
    const { table } = this.plan;
    for (let count = table.indexes.length; count > 0; count -= 1) {
      const stated = { ...table, indexes: table.indexes.slice(0, -count) };
      const made = this.options.dialect.types.settle({ tables: [stated] }).tables[0]!.indexes;
      if (equal(made, table.indexes)) return stated.indexes;
    }
    return table.indexes;
  }

  private isUsualIndex(index: Index, columns: readonly string[]): boolean {
    return (
      index.name === constraintName("ix", this.plan.table.name, columns) &&
      equal(
        index.parts,
        columns.map(column => ({ column })),
      )
    );
  }

  /** Whether a reference's own index is the one the table has. */
  private bringsIndex({ foreignKey: { columns } }: ReferencePlan): boolean {
    return (
      !this.isServed(columns) &&
      this.ownIndexes.some(index => isPlain(index) && this.isUsualIndex(index, columns))
    );
  }

  /** Whether a key or another index begins with these columns, so that the reference gets none of its own. */
  private isServed(columns: readonly string[]): boolean {
    const { table } = this.plan;
    const others = this.ownIndexes.filter(
      index => index.where === undefined && index.method === undefined && !this.isUsualIndex(index, columns),
    );
    const lists = [
      ...(table.key ? [table.key.columns] : []),
      ...table.uniques.map(unique => unique.columns),
      ...others.map(({ parts }) => parts.flatMap(part => ("column" in part ? [part.column] : []))),
    ];
    return isServed(columns, lists);
  }

  private indexOption(index: Index): CodeValue {
    const called = index.parts.map(part => ("column" in part ? part.column : "expression"));
    const usual = constraintName("ix", this.plan.table.name, called);
    const fields = index.parts.map(part => this.termOption(part));
    const option = {
      fields,
      name: index.name === usual ? undefined : index.name,
      unique: index.unique,
      where: index.where === undefined ? undefined : this.text(index.where),
      method: index.method,
      include: index.include && this.propertiesOf(index.include),
      options: index.options as CodeValue,
    };
    return codeOf(option) === codeOf({ fields }) ? fields : option;
  }

  private termOption(part: IndexPart): CodeValue {
    const { descending, collation, nulls, operatorClass, length } = part;
    const what = "column" in part ? { field: this.property(part.column) } : { sql: this.text(part.sql) };
    const option = { ...what, descending, collation: this.ownText(collation), nulls, operatorClass, length };
    return "field" in what && codeOf(option) === codeOf(what) ? what.field : option;
  }

  private statedChecks(): CodeValue[] {
    const byFields = new Set(this.fieldChecks.values());
    return this.checkOptions(this.plan.table.checks.filter(check => !byFields.has(check)));
  }

  private checkOptions(checks: readonly Check[]): CodeValue[] {
    return checks.flatMap(check => {
      const holds = this.settledSql(check);
      if (holds === undefined) return [];
      return [
        {
          name: check.name,
          holds: this.text(holds),
          field: check.column === undefined ? undefined : this.property(check.column),
          options: check.options as CodeValue,
        },
      ];
    });
  }

  /** undefined: the dialect holds it in another way. */
  private settledSql(check: Check): SqlText | undefined {
    const [only] = check.rules;
    if (check.rules.length === 1 && only?.kind === "sql") return only.sql;
    const { columns } = this.plan.table;
    const table: Table = { name: "", columns, uniques: [], indexes: [], foreignKeys: [], checks: [check] };
    const settled = this.options.dialect.types.settle({ tables: [table] }).tables[0]?.checks[0]?.rules[0];
    return settled?.kind === "sql" ? settled.sql : undefined;
  }

  private field(column: Column): string {
    const { table } = this.plan;
    const type = this.typeOf(column);
    const check = this.fieldChecks.get(column.name);
    const validators = check ? validatorsFor(check.rules) : [];
    const inKey = table.key?.columns.includes(column.name) ?? false;
    const property = this.property(column.name);
    const generate = this.generateOf(column, inKey);
    const bare = inKey && generate.bare && type.type === undefined;
    const counted = column.identity !== undefined || (column.default?.kind === "uuid" && inKey);
    const keyOptions = column.nullable ? { ...(generate.key as object), nullable: true } : generate.key;
    const decorators: Decorator[] = [
      ...(inKey ? [this.decorator("Key", keyOptions)] : []),
      ...(column.stamp ? [this.decorator("Stamp", column.stamp)] : []),
      ...(column.nullable ? [this.validator("IsOptional")] : []),
      ...(counted || bare || column.stamp
        ? []
        : type.validators
            .filter(([name]) => !listed(validators, name))
            .map(([name, ...values]) => this.validator(name, ...values))),
      ...validators
        .filter(({ name }) => name !== "maxLength" || !type.validators.some(([each]) => each === "MaxLength"))
        .map(({ name, constraints }) => this.validator(VALIDATORS[name]!, ...(constraints as CodeValue[]))),
    ];
    const stated = validators.some(({ name }) => name === "isIn") && type.type === undefined;
    const options: Record<string, CodeValue> = {
      type:
        (column.stamp && equal(column.type, { kind: "timestamptz" })) ||
        (counted && column.type.kind === (column.identity ? "integer" : "uuid"))
          ? undefined
          : (type.type ?? (stated || (counted && !bare) ? this.typeOption(column.type) : undefined)),
      column: columnName(property, this.options.naming) === column.name ? undefined : column.name,
      unique:
        table.uniques.some(unique => unique.columns[0] === column.name && this.isFieldUnique(unique)) ||
        undefined,
      default: this.defaultOption(column, inKey),
      computed: this.computedOption(column),
      generate: inKey ? undefined : generate.field,
      collation: this.ownText(column.collation),
      check: this.checkOption(column, check),
      note: column.note,
      options: column.options as CodeValue,
    };
    if (codeOf(options) !== "{}") decorators.push(this.decorator("Field", options));
    const ts = check && validators.some(({ name }) => name === "isIn") ? unionOf(check.rules) : type.ts;
    return declared(decorators, `${property}${column.nullable ? "?" : "!"}: ${column.stamp ? "Date" : ts};`);
  }

  private checkOption(column: Column, check: Check | undefined): CodeValue {
    if (check) return this.nameOption(check.name, constraintName("ck", this.plan.table.name, [column.name]));
    return this.unchecked.has(column.name) && !this.holdsNoRules ? false : undefined;
  }

  /** What counts up a column, as its decorators say it; `bare`: a key that needs no word. */
  private generateOf(
    { identity, default: value, type }: Column,
    inKey: boolean,
  ): { key?: CodeValue; field?: CodeValue; bare: boolean } {
    if (value?.kind === "uuid" && inKey) return { key: { generate: "uuid" }, bare: false };
    if (identity === "serial" && type.kind === "integer") return { field: "serial", bare: true };
    if (identity) return { key: { generate: identity }, field: identity, bare: false };
    return { bare: false };
  }

  private defaultOption({ default: value }: Column, inKey: boolean): CodeValue {
    if (!value || (value.kind === "uuid" && inKey)) return undefined;
    if (value.kind === "value") return value.value;
    if (value.kind === "uuid") return this.sqlCode(this.uuidText());
    return value.sql === "NULL" ? null : this.sqlCode(value.sql);
  }

  private uuidText(): SqlText {
    const column: Column = { name: "id", type: { kind: "uuid" }, nullable: false, default: { kind: "uuid" } };
    const table: Table = {
      name: "",
      columns: [column],
      uniques: [],
      indexes: [],
      foreignKeys: [],
      checks: [],
    };
    const settled = this.options.dialect.types.settle({ tables: [table] }).tables[0]!.columns[0]!;
    return settled.default?.kind === "sql" ? settled.default.sql : "";
  }

  private computedOption({ computed }: Column): CodeValue {
    if (!computed) return undefined;
    return computed.stored ? this.text(computed.sql) : { from: this.text(computed.sql), keep: false };
  }

  private reference({ foreignKey, property, own }: ReferencePlan, column?: Column): string {
    const { table } = this.plan;
    const target = this.planOf(foreignKey.references.table);
    this.classes.add(target);
    const { columns, references, onDelete, onUpdate, deferrable } = foreignKey;
    const inKey = column !== undefined && (table.key?.columns.includes(column.name) ?? false);
    const usual = own
      ? referenceColumnName(property, references.columns[0]!, this.options.naming) === columns[0]
      : true;
    const options = {
      column: usual ? undefined : columns[0],
      fields: own ? undefined : this.propertiesOf(columns),
      to: equal(references.columns, target.table.key?.columns)
        ? undefined
        : references.columns.map(name => target.properties.get(name)!),
      onDelete: onDelete === "restrict" ? undefined : onDelete,
      onUpdate: onUpdate === "no action" ? undefined : onUpdate,
      index: this.isServed(columns) || this.bringsIndex({ foreignKey } as ReferencePlan) ? undefined : false,
      deferrable,
      name: this.nameOption(foreignKey.name, constraintName("fk", table.name, columns)),
      options: foreignKey.options as CodeValue,
    };
    const nullable = column
      ? column.nullable
      : columns.some(name => table.columns.find(each => each.name === name)?.nullable);
    const field: Record<string, CodeValue> = column
      ? {
          unique:
            table.uniques.some(unique => unique.columns[0] === column.name && this.isFieldUnique(unique)) ||
            undefined,
          default: this.defaultOption(column, false),
          note: column.note,
          options: column.options as CodeValue,
        }
      : {};
    const arrow = new Code(`() => ${target.name}`);
    const decorators = [
      ...(inKey ? [this.decorator("Key")] : []),
      ...(nullable ? [this.validator("IsOptional")] : []),
      this.decorator("RefersTo", arrow, ...(codeOf(options) === "{}" ? [] : [options])),
      ...(codeOf(field) === "{}" ? [] : [this.decorator("Field", field)]),
    ];
    return declared(decorators, `${property}${nullable ? "?" : "!"}: ${target.name};`);
  }

  /** The references of others to this table, seen from here. */
  private otherEnds(): string[] {
    const { plan } = this;
    const address = addressOf(plan.table);
    const taken = new Set(plan.taken);
    return this.options.plans.flatMap(other => {
      const pointing = other.references.filter(({ foreignKey }) => foreignKey.references.table === address);
      return pointing.map(({ property, single }) => {
        this.classes.add(other);
        const called = single ? other.name : pluralize(other.name);
        const name = propertyFor(pointing.length > 1 ? `${called} by ${property}` : called, taken);
        taken.add(name);
        return declared(
          [this.decorator("ReferredBy", new Code(`() => ${other.name}`), property)],
          single ? `${name}?: ${other.name} | null;` : `${name}!: ${other.name}[];`,
        );
      });
    });
  }

  private planOf(address: string): ClassPlan {
    return this.options.plans.find(({ table }) => addressOf(table) === address)!;
  }

  private property(column: string): string {
    return this.plan.properties.get(column) ?? column;
  }

  private propertiesOf(columns: readonly string[]): string[] {
    return columns.map(column => this.property(column));
  }

  /** SQL with properties in the places of columns. */
  private text(sql: SqlText): CodeValue {
    return mapSqlText(sql, text =>
      fillPlaceholders(text, name => placeholderOf(this.property(name))),
    ) as CodeValue;
  }

  private sqlCode(sql: SqlText): Code {
    this.usesSql = true;
    return new Code(`sql(${codeOf(this.text(sql))})`);
  }

  /** A text that only this dialect understands. */
  private ownText(text: SqlText | undefined): CodeValue {
    return typeof text === "string" ? { [this.options.dialect.name]: text } : (text as CodeValue);
  }

  private decorator(name: string, ...values: readonly CodeValue[]): Decorator {
    this.decorators.add(name);
    return { name, values: values.filter(value => value !== undefined) };
  }

  private validator(name: string, ...values: readonly CodeValue[]): Decorator {
    this.validators.add(name);
    return { name, values };
  }

  private imports(): string {
    const list = (names: Iterable<string>) => [...names].sort().join(", ");
    const own = [...this.decorators, ...(this.usesSql ? ["sql"] : [])];
    const others = [...this.classes]
      .filter(other => other !== this.plan)
      .sort((a, b) => (a.name < b.name ? -1 : 1));
    return [
      ...(this.validators.size > 0 ? [`import { ${list(this.validators)} } from "class-validator";`] : []),
      `import { ${list(own)} } from "emberset";`,
      ...others.map(
        ({ name, path }) => `import { ${name} } from ${JSON.stringify(importPath(this.plan.path, path))};`,
      ),
      "",
    ].join("\n");
  }

  private typeOption(type: DataType): CodeValue {
    return type.kind === "native" ? (type.sql as CodeValue) : showDataType(type);
  }

  private typeOf(column: Column): FieldType {
    const { dialect, definitions } = this.options;
    return fieldTypeOf(column.type, dialect.name, definitions);
  }
}

function some(list: readonly CodeValue[]): CodeValue {
  return list.length > 0 ? list : undefined;
}

function isPlain({ unique, where, method, include, options }: Index): boolean {
  return !unique && where === undefined && method === undefined && !include && !options;
}

/** Whether a list of values makes a validator of the type needless. */
function listed(validators: readonly Validator[], name: string): boolean {
  return validators.some(each => each.name === "isIn") && /^(?:IsString|MaxLength)$/.test(name);
}

function unionOf(rules: readonly Rule[]): string {
  const list = rules.find(rule => rule.kind === "in");
  return list?.kind === "in" ? list.values.map(value => JSON.stringify(value)).join(" | ") : "string";
}

function definitionsFile(definitions: readonly Definition[], files: readonly ModelFile[]): ModelFile {
  const taken = new Set<string>();
  const lines = definitions.map(definition => {
    const { kind, name, ...rest } = definition;
    const constant = propertyFor(name, taken);
    taken.add(constant);
    const call = { enum: "enumType", domain: "domainType", sequence: "sequence" }[kind];
    const values = kind === "enum" ? [definition.values as CodeValue] : [];
    const options = definitionOptions(rest);
    const head = `export const ${constant} = ${call}(${[name as CodeValue, ...values].map(codeOf).join(", ")}`;
    return `${head}${codeOf(options) === "{}" ? "" : `, ${codeInLines(options, "", LINE - head.length)}`});\n`;
  });
  const calls = new Set(lines.map(line => /= (\w+)\(/.exec(line)![1]!));
  const name = files.some(({ path }) => path === "types.ts") ? "database-types.ts" : "types.ts";
  return {
    path: name,
    text: `import { ${[...calls].sort().join(", ")} } from "emberset";\n\n${lines.join("")}`,
  };
}

function definitionOptions(rest: Record<string, unknown>): Record<string, CodeValue> {
  const { values: _, checks, nullable, ...options } = rest;
  const list = (checks ?? []) as readonly { name: string; sql: string }[];
  return {
    ...(options as Record<string, CodeValue>),
    nullable: nullable === false ? false : undefined,
    checks: list.length > 0 ? Object.fromEntries(list.map(({ name, sql }) => [name, sql])) : undefined,
  };
}

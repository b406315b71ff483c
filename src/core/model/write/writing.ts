import type { Grants } from "../../../modelling/facts.js";
import { fillPlaceholders, mapSqlText } from "../../sql/placeholders.js";
import { placeholderOf } from "../../sql/tokens.js";
import type { Dialect } from "../../dialect/shared/dialect.js";
import type { NamingRules } from "../../schema/naming.js";
import type { Column, Definition, Schema, SqlText, Table } from "../../schema/types.js";
import type { ClassPlan, ThereClass } from "./class-plan.js";
import { Code, codeOf, type CodeValue } from "./code.js";
import { fieldTypeOf, importPath, type Decorator, type FieldType } from "./field-code.js";

export interface WriteModelsOptions {
  readonly dialect: Dialect;
  readonly naming: NamingRules;
  /** What roles may do where a model says nothing of them. @default nothing */
  readonly usual?: Grants;
  /** Classes that are there already, by their tables' addresses: what is written refers to them as they are. */
  readonly there?: ReadonlyMap<string, ThereClass>;
}

export interface WritingOptions extends WriteModelsOptions {
  readonly plans: readonly ClassPlan[];
  readonly definitions: readonly Definition[];
  /** By the tables' addresses, which rows each role sees, with columns in placeholders. */
  readonly rows: ReadonlyMap<string, ReadonlyMap<string, string>>;
}

/** A class while it is written: what its file must import is noted as it is used. */
export class Writing {
  readonly table: Table;
  private readonly validators = new Set<string>();
  private readonly decorators = new Set<string>(["Stored"]);
  private readonly classes = new Set<ClassPlan>();
  private usesSql = false;

  constructor(
    readonly plan: ClassPlan,
    readonly options: WritingOptions,
  ) {
    this.table = plan.table;
  }

  decorator(name: string, ...values: readonly CodeValue[]): Decorator {
    this.decorators.add(name);
    return { name, values: values.filter(value => value !== undefined) };
  }

  validator(name: string, ...values: readonly CodeValue[]): Decorator {
    this.validators.add(name);
    return { name, values };
  }

  /** `() => Potter` */
  classArrow(other: ClassPlan): Code {
    this.classes.add(other);
    return new Code(`() => ${other.name}`);
  }

  property(column: string): string {
    return this.plan.properties.get(column) ?? column;
  }

  propertiesOf(columns: readonly string[]): string[] {
    return columns.map(column => this.property(column));
  }

  /** SQL with properties in the placeholders of columns. */
  text(sql: SqlText): CodeValue {
    return mapSqlText(sql, text => fillPlaceholders(text, name => placeholderOf(this.property(name))));
  }

  /** `sql("…")` */
  sqlCode(sql: SqlText): Code {
    this.usesSql = true;
    return new Code(`sql(${codeOf(this.text(sql))})`);
  }

  /** A text that only this dialect understands. */
  ownText(text: SqlText | undefined): CodeValue {
    return typeof text === "string" ? { [this.options.dialect.name]: text } : text;
  }

  typeOf(column: Column): FieldType {
    const { dialect, definitions } = this.options;
    return fieldTypeOf(column.type, dialect, definitions);
  }

  /** A name that does not follow from the model by itself. */
  nameOption(name: string, usual: string): string | undefined {
    return name === usual || this.isUnnamed() ? undefined : name;
  }

  /** Whether none of the table's constraints has a name. */
  isUnnamed(): boolean {
    const { key, uniques, foreignKeys, checks } = this.table;
    const parts = [...(key ? [key] : []), ...uniques, ...foreignKeys, ...checks];
    return parts.length > 0 && parts.every(({ name }) => name === "");
  }

  imports(): string {
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
}

/** A table of some columns alone, as a dialect has it. */
export function settledAlone(dialect: Dialect, table: Partial<Table>): Table | undefined {
  const bare: Table = {
    name: "",
    columns: [],
    uniques: [],
    indexes: [],
    foreignKeys: [],
    checks: [],
    ...table,
  };
  const schema: Schema = { tables: [bare] };
  return dialect.types.settle(schema).tables[0];
}

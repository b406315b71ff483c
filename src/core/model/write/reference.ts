import pluralize from "pluralize";
import { addressOf } from "../../schema/address.js";
import { equal } from "../../schema/canonical.js";
import { constraintName, referenceColumnName } from "../../schema/naming.js";
import type { Column } from "../../schema/types.js";
import type { ClassPlan, ReferencePlan } from "./class-plan.js";
import { codeOf, propertyFor, type CodeValue } from "./code.js";
import { defaultOption, uniqueOption } from "./field.js";
import { fieldGrants } from "./stored-options.js";
import { declared } from "./field-code.js";
import type { StatedIndexes } from "./stated-indexes.js";
import type { Writing } from "./writing.js";

/** A property for a reference. @param column its one column, where that is its own */
export function referenceCode(
  reference: ReferencePlan,
  column: Column | undefined,
  writing: Writing,
  indexes: StatedIndexes,
): string {
  const { table } = writing;
  const { foreignKey, property } = reference;
  const target = planOf(foreignKey.references.table, writing);
  if (!target) return "";
  const inKey = column !== undefined && (table.key?.columns.includes(column.name) ?? false);
  const nullable = column
    ? column.nullable
    : foreignKey.columns.some(name => table.columns.find(each => each.name === name)?.nullable);
  const options = referenceOptions(reference, target, writing, indexes);
  const field = column ? fieldOptions(column, writing) : {};
  const decorators = [
    ...(inKey ? [writing.decorator("Key")] : []),
    ...(nullable ? [writing.validator("IsOptional")] : []),
    writing.decorator("RefersTo", writing.classArrow(target), ...(codeOf(options) === "{}" ? [] : [options])),
    ...(codeOf(field) === "{}" ? [] : [writing.decorator("Field", field)]),
  ];
  return declared(decorators, `${property}${nullable ? "?" : "!"}: ${target.name};`);
}

function planOf(address: string, { options }: Writing): ClassPlan | undefined {
  return options.plans.find(({ table }) => addressOf(table) === address);
}

function referenceOptions(
  { foreignKey, property, own }: ReferencePlan,
  target: ClassPlan,
  writing: Writing,
  indexes: StatedIndexes,
): Record<string, CodeValue> {
  const { columns, references, onDelete, onUpdate, deferrable } = foreignKey;
  const [column] = columns;
  const [referred = ""] = references.columns;
  const isUsual = !own || referenceColumnName(property, referred, writing.options.naming) === column;
  return {
    column: isUsual ? undefined : column,
    fields: own ? undefined : writing.propertiesOf(columns),
    to: equal(references.columns, target.table.key?.columns)
      ? undefined
      : references.columns.map(name => target.properties.get(name) ?? name),
    onDelete: onDelete === "restrict" ? undefined : onDelete,
    onUpdate: onUpdate === "no action" ? undefined : onUpdate,
    index: indexes.suitsReference(columns) ? undefined : false,
    deferrable,
    name: writing.nameOption(foreignKey.name, constraintName("fk", writing.table.name, columns)),
    options: foreignKey.options,
  };
}

function fieldOptions(column: Column, writing: Writing): Record<string, CodeValue> {
  return {
    unique: uniqueOption(column, writing),
    default: defaultOption(column, false, writing),
    note: column.note,
    grants: fieldGrants(column, writing.table),
    options: column.options,
  };
}

/** The references of others to a table, seen from it. */
export function otherEnds(writing: Writing): string[] {
  const { plan } = writing;
  const address = addressOf(plan.table);
  const taken = new Set(plan.taken);
  return writing.options.plans.flatMap(other => {
    // What somebody else's class calls its fields is not known here.
    if (writing.options.there?.has(addressOf(other.table))) return [];
    const pointing = other.references.filter(({ foreignKey }) => foreignKey.references.table === address);
    return pointing.map(({ property, single }) => {
      const called = single ? other.name : pluralize(other.name);
      const name = propertyFor(pointing.length > 1 ? `${called} by ${property}` : called, taken);
      taken.add(name);
      return declared(
        [writing.decorator("ReferredBy", writing.classArrow(other), property)],
        single ? `${name}?: ${other.name} | null;` : `${name}!: ${other.name}[];`,
      );
    });
  });
}

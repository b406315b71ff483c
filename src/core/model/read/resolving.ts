import type { Class } from "../../../modelling/facts.js";
import type { Dialect } from "../../dialect/shared/dialect.js";
import type { NamingRules } from "../../schema/naming.js";
import type { Column, SqlText } from "../../schema/types.js";
import type { EntityDescription, FieldDescription } from "./descriptions.js";
import type { Report } from "./findings.js";

/** What the columns of one field ask of all the others while they are worked out. */
export interface Resolving {
  readonly naming: NamingRules;
  readonly dialects: readonly Dialect[];
  readonly report: Report;
  readonly entityOf: (cls: Class) => EntityDescription | undefined;
  /** The columns of an entity's key, in its order. */
  readonly keyColumns: (entity: EntityDescription) => Column[];
  /** What a field refers to. */
  readonly target: (entity: EntityDescription, field: FieldDescription) => EntityDescription | undefined;
  /** Columns of the target by the fields that a reference names. */
  readonly referredColumns: (
    entity: EntityDescription,
    field: FieldDescription,
    target: EntityDescription,
    properties: readonly string[],
  ) => Column[];
  /** SQL with fields in its placeholders, turned to columns. */
  readonly placed: (entity: EntityDescription, field: FieldDescription | undefined, sql: SqlText) => SqlText;
  /** The column of a field that is one. */
  readonly columnName: (field: FieldDescription) => string;
}

/** A field that is being worked out. */
export interface OneField {
  readonly entity: EntityDescription;
  readonly field: FieldDescription;
  readonly resolving: Resolving;
}

/** Where a finding about it is reported. */
export function whereOf({ entity, field }: OneField): { entity: string; property: string } {
  return { entity: entity.name, property: field.property };
}

/** Whether the database is to hold the rules of a field. */
export function isHeld({ options }: EntityDescription, { facts }: FieldDescription): boolean {
  const { check } = facts.field ?? {};
  return check !== false && (check !== undefined || options.fieldChecks !== false);
}

/** Whether a property is a column, or several. */
export function isStored({ facts }: FieldDescription): boolean {
  return facts.field?.stored !== false && !facts.referredBy && !facts.pairedWith;
}

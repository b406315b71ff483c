import { placeholderOf } from "../../sql/tokens.js";
import { referenceColumnName } from "../../schema/naming.js";
import type { Column } from "../../schema/types.js";
import type { EntityDescription, FieldDescription } from "./descriptions.js";
import { defaultOf } from "./plain-column.js";
import { whereOf, type OneField } from "./resolving.js";

type Reference = NonNullable<FieldDescription["facts"]["refersTo"]>;

/**
 * The columns of a reference take the types of the key they point to, however deep that key itself refers.
 * @param busy the references that are being worked out: one that leads back to itself has no type
 */
export function referenceColumns(one: OneField, reference: Reference, busy: Set<FieldDescription>): Column[] {
  const { entity, field, resolving } = one;
  const target = resolving.target(entity, field);
  if (!target) return [];
  if (busy.has(field)) {
    reportCircle(one);
    return [];
  }
  busy.add(field);
  const keys = reference.options.to
    ? resolving.referredColumns(entity, field, target, reference.options.to)
    : resolving.keyColumns(target);
  busy.delete(field);
  const names = referenceNames(one, reference, keys);
  const { default: value, note, options } = field.facts.field ?? {};
  const [key, ...others] = keys;
  const given = key && others.length === 0 ? defaultOf(one, key.type, value, "default") : undefined;
  reportSetNull(one, reference);
  const { computedBy } = reference.options;
  return keys.map(({ name, type, collation }, at) => ({
    name: names[at] ?? name,
    type,
    nullable: field.optional && !field.facts.key,
    ...(computedBy !== undefined && { computed: taggedKey(one, computedBy, target) }),
    ...(collation !== undefined && { collation }),
    ...(given && { default: given }),
    ...(note !== undefined && { note }),
    ...(options && { options }),
  }));
}

function reportCircle(one: OneField): void {
  const { entity, field, resolving } = one;
  const what = field.facts.key ? `The key of ${entity.name}` : `${entity.name}.${field.property}`;
  resolving.report(
    "E227",
    whereOf(one),
    `${what} refers to itself in a circle`,
    "give one of the entities a key of its own",
  );
}

function reportSetNull(one: OneField, { options }: Reference): void {
  if (options.onDelete !== "set null") return;
  const { field, resolving } = one;
  const [whole] = field.within;
  const required = whole && whole.kind !== "inline" ? !whole.optional : !field.optional;
  if (required) {
    resolving.report(
      "E228",
      whereOf(one),
      "A required reference cannot be set to null on delete",
      'add @IsOptional(), or choose onDelete "restrict" or "cascade"',
    );
  } else if (whole?.kind === "tag") {
    resolving.report(
      "E228",
      whereOf(one),
      "A reference by tag is computed, and cannot be set to null on delete",
      'choose onDelete "restrict" or "cascade", or style: "arcs"',
    );
  }
}

/** The key, where the tag names this entity. */
function taggedKey(
  { entity, resolving }: OneField,
  property: string,
  target: EntityDescription,
): NonNullable<Column["computed"]> {
  const part = (name: string) => {
    const field = entity.fields.find(each => each.property === `${property}.${name}`);
    return field ? placeholderOf(resolving.columnName(field)) : "NULL";
  };
  return { sql: `CASE WHEN ${part("type")} = '${target.name}' THEN ${part("id")} END`, stored: true };
}

function referenceNames(one: OneField, { options }: Reference, keys: readonly Column[]): string[] {
  const { field, resolving } = one;
  const given = options.column ?? field.facts.field?.column;
  const list = given === undefined ? [] : typeof given === "string" ? [given] : given;
  if (given !== undefined && list.length !== keys.length) {
    resolving.report(
      "E228",
      whereOf(one),
      `The reference needs ${keys.length} column names and has ${list.length}`,
      "name one column for each column of the key referred to",
    );
  }
  return keys.map((key, at) => list[at] ?? referenceColumnName(field.called, key.name, resolving.naming));
}

import type { Class, FieldOptions } from "../../../modelling/facts.js";
import type { FieldDescription } from "./descriptions.js";

/**
 * Fields that come to several: a value object's, and the ways to refer to any of several entities. Each part is a
 * field of its own, called `size.height` or `subject.Potter`.
 * @param fieldsOf the fields of a class, for the classes of value objects, or nothing for one that would hold itself
 */
export function expandFields(
  fields: readonly FieldDescription[],
  fieldsOf: FieldsOf,
  within: readonly Class[] = [],
): FieldDescription[] {
  return fields.flatMap(field => {
    const { was } = field.facts.field ?? {};
    const one = was === undefined ? field : { ...field, was, calledBefore: [was] };
    if (field.facts.inline) return inlineFields(one, fieldsOf, within);
    return field.facts.refersToAny ? anyFields(one) : [one];
  });
}

/** @param holder the property that has it @param within the value objects it stands in, the outermost first */
type FieldsOf = (cls: Class, holder: string, within: readonly Class[]) => readonly FieldDescription[];

function inlineFields(
  field: FieldDescription,
  fieldsOf: FieldsOf,
  within: readonly Class[],
): FieldDescription[] {
  const { target, options } = field.facts.inline!;
  const cls = target();
  if (typeof cls !== "function") return [field];
  const prefix = options.prefix ?? field.called;
  const prefixes = [prefix, ...field.calledBefore];
  const { stored, grants } = field.facts.field ?? {};
  return expandFields(fieldsOf(cls, field.property, within), fieldsOf, [...within, cls]).map(part => ({
    ...part,
    property: `${field.property}.${part.property}`,
    called: joined(prefix, part.called),
    ...wasOf(field, part),
    calledBefore: calledBefore(prefixes, [part.facts.field?.column ?? part.called, ...part.calledBefore]),
    facts: {
      ...part.facts,
      ...((part.facts.field ?? grants) && {
        // What is said of the whole holds of its parts, but for those that say their own.
        field: { ...(grants && { grants }), ...prefixed(part.facts.field ?? {}, prefix) },
      }),
      ...(stored !== undefined && { field: { ...part.facts.field, stored } }),
    },
    optional: part.optional || field.optional,
    within: [
      {
        of: field.property,
        kind: "inline",
        optional: field.optional,
        required: !part.optional,
        cls,
        nested: field.validators.some(({ name }) => name === "nestedValidation"),
        defined: field.validators.some(({ name }) => REFUSE_NOTHING.includes(name)),
      },
      ...part.within,
    ],
  }));
}

/** Rules that an object keeps to and nothing does not. */
const REFUSE_NOTHING = ["isDefined", "isNotEmpty", "isObject", "isNotEmptyObject", "isInstance"];

function wasOf(whole: FieldDescription, part: FieldDescription): Pick<FieldDescription, "was"> {
  const was = part.was ?? whole.was;
  return was === undefined ? {} : { was };
}

/** All that a part may have been called, its whole and itself renamed or not; the first of both is what it is called now. */
function calledBefore(wholes: readonly string[], parts: readonly string[]): string[] {
  return wholes.flatMap(whole => parts.map(part => joined(whole, part))).slice(1);
}

function joined(prefix: string, name: string): string {
  return prefix === "" ? name : `${prefix}_${name}`;
}

/** Columns that the value object names itself stand behind the prefix too: it may be there twice. */
function prefixed(options: FieldOptions, prefix: string): FieldOptions {
  return {
    ...options,
    ...(options.column !== undefined && { column: joined(prefix, options.column) }),
  };
}

function anyFields(field: FieldDescription): FieldDescription[] {
  const { targets, options } = field.facts.refersToAny!;
  const classes = targets();
  const { style = "arcs", onDelete, index } = options;
  const whole = { of: field.property, optional: field.optional };
  const { grants } = field.facts.field ?? {};
  const ofWhole = grants ? { field: { grants } } : {};
  const part = (name: string): FieldDescription => ({
    ...field,
    property: `${field.property}.${name}`,
    called: joined(field.called, name),
    calledBefore: field.calledBefore.map(before => joined(before, name)),
    facts: ofWhole,
    validators: [],
    aside: [],
    optional: true,
    within: [{ ...whole, kind: style, required: false }],
  });
  const actions = { ...(onDelete && { onDelete }), ...(index !== undefined && { index }) };
  const references = classes.map((cls): FieldDescription => ({
    ...part(cls.name),
    facts: {
      ...ofWhole,
      refersTo: {
        target: () => cls,
        options: style === "tag" ? { ...actions, computedBy: field.property } : actions,
      },
    },
  }));
  if (style === "arcs") return references;
  const names = classes.map(({ name }) => name);
  return [
    {
      ...part("type"),
      optional: field.optional,
      validators: [{ name: "isIn", constraints: [names], each: false }],
    },
    {
      ...part("id"),
      optional: field.optional,
      facts: { ...ofWhole, sameAsKeys: () => classes },
    },
    ...references,
  ];
}

import { factsOf, type Class, type StoredOptions } from "../../../modelling/facts.js";
import { writtenAs } from "../rules/standing.js";
import type { Validator } from "../rules/validator.js";
import type { EntityDescription, FieldDescription } from "./descriptions.js";
import { expandFields } from "./expand.js";
import { checkProperty, checkStored, type OptionFault } from "./options.js";
import { writtenProperties } from "./written-properties.js";

/** The properties that a class's own body declares, in its order. */
export type Written = (cls: { readonly name: string; toString: () => string }) => readonly string[];

/**
 * The entities among some classes: those with `@Stored`.
 * @param written where that is known otherwise than from the classes' own texts
 */
export function describeEntities(
  classes: readonly unknown[],
  written: Written = writtenProperties,
): EntityDescription[] {
  return [...new Set(classes)].flatMap(cls => {
    const stored = factsOf(cls)?.stored;
    return stored ? [describeEntity(cls as Class, stored, written)] : [];
  });
}

function describeEntity(cls: Class, stored: StoredOptions, written: Written): EntityDescription {
  const { name } = cls;
  const faults: OptionFault[] = [];
  const options = checkStored(stored, name, faults);
  const inside: OptionFault[] = [];
  const fields = expandFields(fieldsOf(cls, faults, written), (of, holder, within) => {
    if (!within.includes(of)) return fieldsOf(of, inside, written);
    const what = `@Inline: ${of.name} would hold itself`;
    inside.push({ entity: of.name, property: holder, what, remedy: "make it an entity, and refer to it" });
    return [];
  });
  // A value object may be there twice.
  const once = new Map(inside.map(fault => [JSON.stringify(fault), fault]));
  for (const { entity, property, what, remedy } of once.values())
    faults.push({ entity: name, what: `${entity}.${property}, ${what}`, remedy });
  return { name, cls, options, fields, faults };
}

/** The fields of a class and its base classes; a property declared again belongs to the class that does so last. */
function fieldsOf(cls: Class, faults: OptionFault[], written: Written): FieldDescription[] {
  const validators = validatorsByProperty(cls);
  const seen = new Set<string>();
  const fields: FieldDescription[] = [];
  for (
    let at: unknown = cls;
    typeof at === "function" && at !== Function.prototype;
    at = Object.getPrototypeOf(at)
  ) {
    const facts = factsOf(at)?.properties;
    const here = new Set([
      ...written(at),
      ...(facts?.keys() ?? []),
      ...[...validators].flatMap(([property, { target }]) => (target === at ? [property] : [])),
    ]);
    for (const property of here) {
      if (seen.has(property)) continue;
      seen.add(property);
      const found = validators.get(property);
      const said = facts?.get(property);
      fields.push({
        property,
        called: property,
        calledBefore: [],
        facts: said ? checkProperty(said, { entity: cls.name, property }, faults) : {},
        validators: found?.validators ?? [],
        aside: found?.aside ?? [],
        optional: found?.optional ?? false,
        declaredIn: at.name,
        within: [],
      });
    }
  }
  return fields;
}

interface PropertyValidators {
  readonly target: unknown;
  readonly validators: Validator[];
  readonly aside: { readonly written: string; readonly reason: string }[];
  optional: boolean;
}

/** The part of class-validator's metadata that is read here. */
interface ValidationMetadata {
  readonly type: string;
  readonly name?: string;
  readonly target: unknown;
  readonly propertyName: string;
  readonly constraints?: readonly unknown[];
  readonly groups?: readonly string[];
  readonly always?: boolean;
  readonly each?: boolean;
}

interface MetadataStorage {
  readonly validationMetadatas?: unknown;
  getTargetValidationMetadatas(
    cls: unknown,
    schema: string,
    always: boolean,
    strictGroups: boolean,
  ): readonly ValidationMetadata[];
}

/** All that is recorded of a class and of those it extends, of which what it says itself wins. */
function metadataOf(cls: Class): readonly ValidationMetadata[] {
  const storage = (globalThis as { classValidatorMetadataStorage?: MetadataStorage })
    .classValidatorMetadataStorage;
  const byClass = storage?.validationMetadatas;
  // Asked for one class, the store looks through all of them: for a thousand classes a million times.
  if (!(byClass instanceof Map)) return storage?.getTargetValidationMetadatas(cls, "", true, false) ?? [];
  const recorded = byClass as ReadonlyMap<unknown, readonly ValidationMetadata[]>;
  const own = recorded.get(cls) ?? [];
  const inherited: ValidationMetadata[] = [];
  for (let at: unknown = Object.getPrototypeOf(cls); at; at = Object.getPrototypeOf(at))
    inherited.push(...(recorded.get(at) ?? []));
  const isSaid = ({ propertyName, type }: ValidationMetadata) =>
    own.some(each => each.propertyName === propertyName && each.type === type);
  return [...own, ...inherited.filter(each => !isSaid(each))];
}

/**
 * class-validator keeps what its decorators record in one store for the process, under this global name, so that it
 * does not matter which copy of it the models import.
 */
function validatorsByProperty(cls: Class): Map<string, PropertyValidators> {
  const found = new Map<string, PropertyValidators>();
  const conditional = new Set<string>();
  for (const metadata of metadataOf(cls)) {
    const { propertyName: property, target, type, name = type } = metadata;
    // A property called by a symbol is no column.
    if (typeof property !== "string") continue;
    const entry = found.get(property) ?? { target, validators: [], aside: [], optional: false };
    found.set(property, entry);
    if (name === "isOptional") entry.optional = true;
    else if (type === "conditionalValidation") conditional.add(property);
    // A rule for certain groups does not always hold, so the database cannot hold it either.
    else if (!metadata.groups?.length || metadata.always) {
      // Decorators run from the property upwards; here the first written comes first.
      entry.validators.unshift({
        name,
        constraints: metadata.constraints ?? [],
        each: metadata.each ?? false,
      });
    } else {
      entry.aside.unshift({ written: writtenAs({ name }), reason: "it is for some groups" });
    }
  }
  for (const property of conditional) {
    const entry = found.get(property)!;
    const rules = entry.validators.splice(0).map(validator => writtenAs(validator));
    entry.aside.push(...rules.map(written => ({ written, reason: "it holds under ValidateIf" })));
  }
  return found;
}

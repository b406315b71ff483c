import { factsOf, type Class, type PropertyFacts, type StoredOptions } from "../../modelling/facts.js";

/** A class-validator rule on a property, as its metadata has it. */
export interface Validator {
  /** class-validator's own name for it: `isInt`, `maxLength`. */
  readonly name: string;
  readonly constraints: readonly unknown[];
  /** The rule is about the items of an array. */
  readonly each: boolean;
}

export interface FieldDescription {
  readonly property: string;
  readonly facts: PropertyFacts;
  readonly validators: readonly Validator[];
  /** `@IsOptional()`: null is allowed. */
  readonly optional: boolean;
  /** The name of the class that declares it. */
  readonly declaredIn: string;
}

export interface EntityDescription {
  readonly name: string;
  readonly cls: Class;
  readonly options: StoredOptions;
  /** In the order written, fields of base classes last. */
  readonly fields: readonly FieldDescription[];
}

/** The entities among some classes: those with `@Stored`. */
export function describeEntities(classes: readonly unknown[]): EntityDescription[] {
  return [...new Set(classes)].flatMap(cls => {
    const stored = factsOf(cls)?.stored;
    return stored
      ? [{ name: (cls as Class).name, cls: cls as Class, options: stored, fields: fieldsOf(cls as Class) }]
      : [];
  });
}

/** The fields of a class and its base classes; a property declared again belongs to the class that does so last. */
function fieldsOf(cls: Class): FieldDescription[] {
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
      ...writtenProperties(at),
      ...(facts?.keys() ?? []),
      ...[...validators].flatMap(([property, { target }]) => (target === at ? [property] : [])),
    ]);
    for (const property of here) {
      if (seen.has(property)) continue;
      seen.add(property);
      const found = validators.get(property);
      fields.push({
        property,
        facts: facts?.get(property) ?? {},
        validators: found?.validators ?? [],
        optional: found?.optional ?? false,
        declaredIn: at.name,
      });
    }
  }
  return fields;
}

/**
 * Property names as the class body has them, in its order: `  title;` or `  stage = "greenware";` as esbuild prints
 * a class. This is the only place where a property without a decorator can be seen, and a forgotten decorator told.
 */
function writtenProperties(cls: { toString: () => string }): string[] {
  return [
    ...cls
      .toString()
      .matchAll(
        /^ {2}([\p{ID_Start}$_][\p{ID_Continue}$]*)(?:;| = (?!(?:async )?(?:function\b|\(?[^"'`]*\)? =>)))/gmu,
      ),
  ].map(([, name]) => name!);
}

interface PropertyValidators {
  readonly target: unknown;
  readonly validators: Validator[];
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
  getTargetValidationMetadatas(
    cls: unknown,
    schema: string,
    always: boolean,
    strictGroups: boolean,
  ): readonly ValidationMetadata[];
}

/**
 * class-validator keeps what its decorators record in one store for the process, under this global name, so that it
 * does not matter which copy of it the models import.
 */
function validatorsByProperty(cls: Class): Map<string, PropertyValidators> {
  const storage = (globalThis as { classValidatorMetadataStorage?: MetadataStorage })
    .classValidatorMetadataStorage;
  const found = new Map<string, PropertyValidators>();
  const conditional = new Set<string>();
  for (const metadata of storage?.getTargetValidationMetadatas(cls, "", true, false) ?? []) {
    const { propertyName: property, target, type, name = type } = metadata;
    const entry = found.get(property) ?? { target, validators: [], optional: false };
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
    }
  }
  for (const property of conditional) found.get(property)!.validators.length = 0;
  return found;
}

import type { Class, PropertyFacts, RefersToOptions, StoredOptions } from "../../../modelling/facts.js";
import type { Validator } from "../rules/validator.js";
import type { OptionFault } from "./options.js";

/** What a field is a part of: a value object, or a reference to any of several entities. */
export interface Whole {
  /** The property that holds it. */
  readonly of: string;
  readonly kind: "inline" | "arcs" | "tag";
  /** It may be missing as a whole. */
  readonly optional: boolean;
  /** The class of a value object. */
  readonly cls?: Class;
  /** validate() looks into it. */
  readonly nested?: boolean;
  /** validate() does not let it be missing. */
  readonly defined?: boolean;
  /** The part may not be missing while the whole is there. */
  readonly required: boolean;
}

/** What is said of a property, and what is known of a part of one. */
export interface FieldFacts extends Omit<PropertyFacts, "refersTo"> {
  readonly refersTo?: {
    readonly target: () => Class;
    /** `computedBy`: the reference is worked out from the name and the key that this property holds. */
    readonly options: RefersToOptions & { readonly computedBy?: string };
  };
  /** Of the type that the keys of these have in common. */
  readonly sameAsKeys?: () => readonly Class[];
}

export interface FieldDescription {
  /** `weight`; of a part `size.height`. */
  readonly property: string;
  /** What its columns are named after: `weight`, `size_height`. */
  readonly called: string;
  /** What is said of its earlier name, or that of what it is a part of. */
  readonly was?: string;
  /** What it may have been called in their place: properties or columns, or parts of both. */
  readonly calledBefore: readonly string[];
  readonly facts: FieldFacts;
  readonly validators: readonly Validator[];
  /** Rules that do not hold always, as their decorators are written. */
  readonly aside: readonly { readonly written: string; readonly reason: string }[];
  /** `@IsOptional()`: null is allowed. */
  readonly optional: boolean;
  /** The name of the class that declares it. */
  readonly declaredIn: string;
  /** From the outermost inwards; empty for a field of its own. */
  readonly within: readonly Whole[];
}

export interface EntityDescription {
  readonly name: string;
  readonly cls: Class;
  readonly options: StoredOptions;
  /** In the order written, fields of base classes last. */
  readonly fields: readonly FieldDescription[];
  /** Options that are left out, since they cannot be meant. */
  readonly faults: readonly OptionFault[];
}

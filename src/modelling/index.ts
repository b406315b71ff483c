/** What a model file and a config file import from "emberset". */
export {
  Field,
  Inline,
  Key,
  PairedWith,
  ReferredBy,
  RefersTo,
  RefersToAny,
  Stamp,
  Stored,
} from "./decorators.js";
export { domainType, enumType, sequence } from "./definitions.js";
export type { DomainOptions, SequenceOptions } from "./definitions.js";
export { kind } from "./kind.js";
export type {
  Action,
  CheckOptions,
  SqlText,
  Class,
  DefaultValue,
  FieldOptions,
  Grants,
  Definition,
  IndexOptions,
  IndexTerm,
  InlineOptions,
  KeyOptions,
  Options,
  PairedWithOptions,
  PerDialect,
  RefersToAnyOptions,
  RefersToOptions,
  SqlExpression,
  StoredOptions,
  TypeName,
  UniqueOptions,
  Verb,
} from "./facts.js";
export { sql } from "./facts.js";
export type { Naming, Project, Target } from "./project.js";

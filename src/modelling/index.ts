/** What a model file and a config file import from "emberset". */
export { Stored, Key, Field, RefersTo, ReferredBy, PairedWith, Stamp } from "./decorators.js";
export { kind } from "./kind.js";
export type {
  Action,
  CheckText,
  Class,
  DefaultValue,
  FieldOptions,
  IndexOptions,
  KeyOptions,
  PairedWithOptions,
  PerDialect,
  RefersToOptions,
  SqlExpression,
  StoredOptions,
  TypeName,
} from "./facts.js";
export { sql } from "./facts.js";
export type { Naming, Project, Target } from "./project.js";

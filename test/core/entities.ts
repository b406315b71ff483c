import { IsString, MaxLength } from "class-validator";
import type { Declaration } from "../../src/core/model/advice/review.js";
import { buildSchema } from "../../src/core/model/build-schema.js";
import { describeEntities } from "../../src/core/model/read/entities.js";
import { dialects } from "../../src/core/dialect/registry.js";
import {
  Field,
  kind,
  RefersTo,
  Stored,
  type FieldOptions,
  type StoredOptions,
} from "../../src/modelling/index.js";

const SNAKE = { tables: "plural", case: "snake" } as const;

export type Decorator = (prototype: object, property: string) => void;
export type Fields = Readonly<Record<string, readonly Decorator[]>>;

export function entity(name: string, fields: Fields, options: StoredOptions = {}, base: object = Object) {
  const cls = { [name]: class extends (base as new () => object) {} }[name]!;
  for (const [property, decorators] of Object.entries(fields)) kind(...decorators)(cls.prototype, property);
  (Stored(options) as (target: unknown) => void)(cls);
  return cls;
}

export function read(classes: readonly unknown[], declared?: () => Declaration) {
  const roles = { known: { visitor: [], clerk: ["visitor"], public: [] }, usual: {} };
  return buildSchema(describeEntities(classes), SNAKE, Object.values(dialects), {
    roles,
    ...(declared && { declared }),
  });
}

export const title = [IsString(), MaxLength(80)];
export const to = (cls: () => unknown, options = {}) =>
  RefersTo(cls as never, options) as unknown as Decorator;
export const field = (options: FieldOptions) => Field(options);
/** Options that the compiler would refuse. */
export const odd = (options: object) => Field(options);

import {
  recordClass,
  recordProperty,
  type Class,
  type FieldOptions,
  type InlineOptions,
  type KeyOptions,
  type PairedWithOptions,
  type RefersToAnyOptions,
  type RefersToOptions,
  type StoredOptions,
} from "./facts.js";

/** A property whose value is a T, nullable or not; anything else is refused by the compiler. */
type Holding<T, P extends string> = { readonly [K in P]?: T | null };

/** Property names of T. */
type FieldName<T> = Extract<keyof T, string>;

/** This class is an entity: its instances are rows of a table. Naming the class (`@Stored<Piece>`) checks field names. */
export function Stored<T = unknown>(options: StoredOptions<T> = {}) {
  return (cls: unknown extends T ? Class : Class<T>): void => {
    if (typeof cls !== "function") throw new TypeError("@Stored() stands on a class, not on what is in it");
    recordClass(cls).stored = options as StoredOptions;
  };
}

/** Part of the primary key. An entity with no key gets a serial `id`. */
export function Key(options: KeyOptions = {}) {
  return (prototype: object, property: string): void => {
    recordProperty(prototype, property).key = options;
  };
}

/** Storage facts that class-validator cannot say. Several on one property add up, the outermost winning. */
export function Field(options: FieldOptions = {}) {
  return (prototype: object, property: string): void => {
    const facts = recordProperty(prototype, property);
    // What is no object is told with the rest of what is wrong.
    facts.field = typeof options === "object" ? { ...facts.field, ...options } : options;
  };
}

/** Many rows of this entity refer to one of the target; with a unique field, one to one. */
export function RefersTo<T extends object>(target: () => Class<T>, options: RefersToOptions = {}) {
  return <P extends string>(prototype: Holding<NoInfer<T>, P>, property: P): void => {
    recordProperty(prototype, property).refersTo = { target, options };
  };
}

/** The other end of a reference or a pairing: which field of the target points here. No column. */
export function ReferredBy<T extends object>(target: () => Class<T>, field: FieldName<NoInfer<T>>) {
  return <P extends string>(prototype: Holding<NoInfer<T> | readonly NoInfer<T>[], P>, property: P): void => {
    recordProperty(prototype, property).referredBy = { target, field };
  };
}

/** Many to many, through a pair table whose key is both references. */
export function PairedWith<T extends object>(target: () => Class<T>, options: PairedWithOptions = {}) {
  return <P extends string>(prototype: Holding<readonly NoInfer<T>[], P>, property: P): void => {
    recordProperty(prototype, property).pairedWith = { target, options };
  };
}

/** A reference to a row of any of several entities; the database holds it to exactly one that exists. */
export function RefersToAny<C extends readonly Class[]>(
  targets: () => readonly [...C],
  options: RefersToAnyOptions = {},
) {
  return <P extends string>(prototype: Holding<InstanceType<NoInfer<C>[number]>, P>, property: P): void => {
    recordProperty(prototype, property).refersToAny = { targets, options };
  };
}

/** A value object: the fields of a class that is no entity, as columns of this table. */
export function Inline<T extends object>(target: () => Class<T>, options: InlineOptions = {}) {
  return <P extends string>(prototype: Holding<NoInfer<T>, P>, property: P): void => {
    recordProperty(prototype, property).inline = { target, options };
  };
}

/** A moment kept by the database itself: when the row was created, or last changed. */
export function Stamp(moment: "created" | "updated") {
  return <P extends string>(prototype: Holding<Date | string, P>, property: P): void => {
    recordProperty(prototype, property).stamp = moment;
  };
}

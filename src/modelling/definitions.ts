import { recordedDefinitions, type Definition } from "./facts.js";

interface Place {
  /** @default the one that is usual in the database */
  readonly namespace?: string;
  readonly note?: string;
}

/** A type whose values are these words, in this order. A field uses it with `@Field({ type: { postgres: name } })`. */
export function enumType(name: string, values: readonly string[], place: Place = {}): Definition {
  return record({ kind: "enum", name, values, ...place });
}

export interface DomainOptions extends Place {
  /** The type it is made of, in PostgreSQL's words. */
  readonly type: string;
  /** @default true */
  readonly nullable?: boolean;
  /** SQL. */
  readonly default?: string;
  readonly collation?: string;
  /** Conditions in SQL by their constraints' names; `VALUE` stands for the value. */
  readonly checks?: Readonly<Record<string, string>>;
}

/** A type made of another, with rules of its own. */
export function domainType(
  name: string,
  { nullable = true, checks = {}, ...options }: DomainOptions,
): Definition {
  const list = Object.entries(checks).map(([check, sql]) => ({ name: check, sql }));
  return record({ kind: "domain", name, nullable, checks: list, ...options });
}

export interface SequenceOptions extends Place {
  /** `sequence type`, `increment`, `minimum`, `maximum`, `start`, `cache`, `cycle`: those that are not as usual. */
  readonly settings?: Readonly<Record<string, string>>;
}

/** A counter that no column owns. */
export function sequence(name: string, options: SequenceOptions = {}): Definition {
  return record({ kind: "sequence", name, ...options });
}

function record<D extends Definition>(definition: D): Definition {
  recordedDefinitions().push(definition);
  return definition;
}

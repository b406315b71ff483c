import { getMetadataStorage, validateSync } from "class-validator";
import type { Finding } from "../../src/core/model/read/findings.js";
import { misfit } from "../../src/core/schema/fits.js";
import type { Column } from "../../src/core/schema/types.js";
import { RUNS, SEED } from "./runs.js";
import { STATED, TYPES, type Family, type Stated } from "./stated-rules.js";

/** One column that somebody may state: rules on a type. */
export interface Stand {
  readonly family: Family;
  readonly rules: readonly Stated[];
  readonly type: string;
}

/** A made-up order that a seed decides: https://en.wikipedia.org/wiki/Linear_congruential_generator */
export function shuffled<T>(items: readonly T[], seed: number): T[] {
  let state = seed % 2_147_483_647 || 1;
  const next = () => (state = (state * 48_271) % 2_147_483_647);
  return items
    .map(item => [next(), item] as const)
    .sort(([a], [b]) => a - b)
    .map(([, item]) => item);
}

const FAMILIES = Object.keys(STATED) as Family[];
export const alone: Stand[] = FAMILIES.flatMap(family =>
  STATED[family].flatMap(rule => TYPES[family].map(type => ({ family, rules: [rule], type }))),
);
const pairs: Stand[] = FAMILIES.flatMap(family => {
  const all = STATED[family] as readonly Stated[];
  const two = all.flatMap((one, at) => all.slice(at + 1).map(other => [one, other]));
  return shuffled(two, SEED)
    .slice(0, 300)
    .map((rules, at) => ({ family, rules, type: TYPES[family][at % TYPES[family].length]! }));
});
/** In a short hunt some of both, as the seed has it; in a long one all. */
export const STANDS = shuffled([...alone, ...pairs], SEED).slice(0, RUNS);
/** What findings of some codes say. */
export const listed = (findings: readonly Finding[], codes: readonly string[]) =>
  findings.filter(({ code }) => codes.includes(code)).map(({ what }) => what);

/** Whether a column's type has no place for a value. */
export function isOutside({ type }: Column, value: unknown): boolean {
  if (value === null || value === undefined || typeof value === "object") return true;
  if (typeof value === "boolean" && type.kind !== "boolean") return true;
  if (type.kind === "real")
    return Math.abs(Number(value)) > 3.4e38 || Math.abs(Number(value)) < 1e-37 || Number.isNaN(value);
  if (["date", "time", "timestamp", "timestamptz"].includes(type.kind)) return typeof value === "string";
  if (type.kind === "bigint") return !Number.isInteger(value) || Math.abs(Number(value)) >= 2 ** 63;
  return misfit(value as string, type) !== undefined;
}

/** As somebody would write it. */
export const nameOf = ({ rules, type }: Stand) =>
  `${rules.map(({ text }) => `@${text}`).join(" ")}${type === "" ? "" : ` on ${type}`}`;

/** class-validator looks through every class it knows: each is known no longer than it is asked about. */
export function forgetClasses(): void {
  const storage = getMetadataStorage() as unknown as { validationMetadatas: Map<unknown, unknown> };
  storage.validationMetadatas.clear();
}

/** Whether validate() lets an object pass whose `v` it is. */
export function holds(thing: new () => object, value: unknown): boolean {
  try {
    return validateSync(Object.assign(new thing(), { v: value })).length === 0;
  } catch {
    // What makes a rule throw lets nothing pass.
    return false;
  }
}

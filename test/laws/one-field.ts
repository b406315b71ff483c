import { IsOptional } from "class-validator";
import { Field, Stored } from "../../src/modelling/index.js";
import type { Stated } from "./stated-rules.js";

/** A class of one field `v`. @param type "": what follows from its rules @param required not as usual, that it may be missing */
export function classOf(
  name: string,
  rules: readonly Stated[],
  type: string,
  required = false,
): new () => object {
  const thing = { [name]: class {} }[name]!;
  if (!required) IsOptional()(thing.prototype, "v");
  for (const { decorator } of rules.toReversed()) decorator(thing.prototype, "v");
  if (type !== "") Field({ type: type as "text" })(thing.prototype, "v");
  Stored()(thing);
  return thing;
}

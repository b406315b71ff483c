import type { Schema } from "../../../schema/types.js";
import type { Block } from "../../shared/render-plan.js";
import { quote } from "../names.js";
import type { Steps } from "./steps.js";

/** Each namespace is there that something will stand in. */
export function addNamespaces({ plan: { before, after } }: Pick<Steps, "plan">): Block[] {
  const old = namespacesOf(before);
  return [...namespacesOf(after)]
    .filter(name => !old.has(name))
    .map(name => ({ title: `add namespace ${name}`, statements: [`CREATE SCHEMA ${quote(name)}`] }));
}

/** No namespace is left in which nothing stands any more. */
export function dropNamespaces({ plan: { before, after } }: Pick<Steps, "plan">): Block[] {
  const wanted = namespacesOf(after);
  return [...namespacesOf(before)]
    .filter(name => !wanted.has(name))
    .map(name => ({ title: `drop namespace ${name}`, statements: [`DROP SCHEMA ${quote(name)}`] }));
}

/** The namespaces that tables and definitions stand in, but for the usual one. */
function namespacesOf({ tables, definitions: own = [] }: Schema): Set<string> {
  return new Set(
    [...tables, ...own].flatMap(({ namespace }) => (namespace === undefined ? [] : [namespace])),
  );
}

import type { TypeDefinition } from "../../schema/types.js";
import { codeInLines, codeOf, LINE, propertyFor, type CodeValue } from "./code.js";

/** The file of the types and sequences that stand beside the tables. @param others paths that are taken */
export function definitionsFile(
  definitions: readonly TypeDefinition[],
  others: readonly string[],
): { readonly path: string; readonly text: string } {
  const taken = new Set<string>();
  const lines = definitions.map(definition => {
    const { kind, name, ...rest } = definition;
    const constant = propertyFor(name, taken);
    taken.add(constant);
    const values = kind === "enum" ? [definition.values] : [];
    const options = definitionOptions(rest);
    const head = `export const ${constant} = ${CALLS[kind]}(${[name, ...values].map(codeOf).join(", ")}`;
    return `${head}${codeOf(options) === "{}" ? "" : `, ${codeInLines(options, "", LINE - head.length)}`});\n`;
  });
  const calls = new Set(definitions.map(({ kind }) => CALLS[kind]));
  const name = others.includes("types.ts") ? "database-types.ts" : "types.ts";
  return {
    path: name,
    text: `import { ${[...calls].sort().join(", ")} } from "emberset";\n\n${lines.join("")}`,
  };
}

const CALLS = { enum: "enumType", domain: "domainType", sequence: "sequence" } as const;

function definitionOptions(rest: Record<string, unknown>): Record<string, CodeValue> {
  const { values: _, checks, nullable, ...options } = rest;
  const list = (checks ?? []) as readonly { name: string; sql: string }[];
  return {
    ...(options as Record<string, CodeValue>),
    nullable: nullable === false ? false : undefined,
    checks: list.length > 0 ? Object.fromEntries(list.map(({ name, sql }) => [name, sql])) : undefined,
  };
}

import { parseExpression } from "@babel/parser";
import type { ClassBody, Expression } from "@babel/types";

/**
 * Names of the properties that a class's body declares, in its order: those with a value, and those without. This is
 * the only place where a property without a decorator can be seen, and a forgotten decorator told. Methods, and values
 * that are functions, are none.
 * @param cls a class as it runs, compiled to JavaScript
 */
export function writtenProperties(cls: { readonly toString: () => string }): string[] {
  const expression = parsed(cls.toString());
  return expression?.type === "ClassExpression" ? expression.body.body.flatMap(nameOf) : [];
}

/** A function that is no class, or one of the engine's own, has no body to read. */
function parsed(text: string): Expression | undefined {
  try {
    return parseExpression(text, { attachComment: false });
  } catch (error) {
    if (error instanceof SyntaxError) return undefined;
    throw error;
  }
}

function nameOf(member: ClassBody["body"][number]): string[] {
  if (member.type !== "ClassProperty" || member.static || member.computed) return [];
  const { key, value } = member;
  const isFunction = value?.type === "ArrowFunctionExpression" || value?.type === "FunctionExpression";
  return key.type === "Identifier" && !isFunction ? [key.name] : [];
}

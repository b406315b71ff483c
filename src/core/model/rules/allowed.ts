/** The values that IsIn or IsEnum allows, whatever they are; undefined where none are given. */
export function allowedValues(
  name: string,
  [first, second]: readonly unknown[],
): readonly unknown[] | undefined {
  const values = name === "isEnum" ? (Array.isArray(second) ? second : Object.values(first ?? {})) : first;
  return Array.isArray(values) ? values : undefined;
}

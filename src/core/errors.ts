/** What an error says. */
export function messageOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error);
}

/** What only some errors carry, such as a code; undefined where this one does not. */
export function detailOf(error: unknown, name: string): unknown {
  return typeof error === "object" && error !== null ? Reflect.get(error, name) : undefined;
}

/** The same as a text, "" where there is none. */
export function textOf(error: unknown, name: string): string {
  const detail = detailOf(error, name);
  return typeof detail === "string" ? detail : "";
}

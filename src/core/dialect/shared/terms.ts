/** What stands after each column of a key or a constraint (an order, a length), as a table's options hold it. */
export function termsText(terms: readonly string[]): string {
  return JSON.stringify(terms);
}

/** The terms again, one a column; none where the options hold none. */
export function readTerms(text: string | undefined): string[] {
  const terms: unknown = JSON.parse(text ?? "[]");
  return Array.isArray(terms) ? terms.map(String) : [];
}

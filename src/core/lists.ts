/** The one item of a list, or its first. @throws where there is none: a fault of the program */
export function firstOf<T>(items: readonly T[]): T {
  const [first] = items;
  if (first === undefined) throw new Error("an empty list where one item must be");
  return first;
}

/** Two lists of the same length as one of pairs. @throws where they are not: a fault of the program */
export function zip<A, B>(a: readonly A[], b: readonly B[]): [A, B][] {
  if (a.length !== b.length) throw new Error(`${a.length} items beside ${b.length}`);
  return a.map((each, at) => [each, b[at]!]);
}

/** The items that belong, and the others. */
export function partition<T>(items: readonly T[], belongs: (item: T) => boolean): [T[], T[]] {
  return [items.filter(belongs), items.filter(item => !belongs(item))];
}

/** The names of a record's entries, for one that has no others than its type says. */
export function keysOf<K extends string>(record: Readonly<Record<K, unknown>>): K[] {
  return Object.keys(record) as K[];
}

/** Values by their keys, in the order in which each came first. */
export function groupBy<T, K>(values: readonly T[], keyOf: (value: T) => K): Map<K, T[]> {
  const groups = new Map<K, T[]>();
  for (const value of values) {
    const key = keyOf(value);
    const own = groups.get(key);
    if (own) own.push(value);
    else groups.set(key, [value]);
  }
  return groups;
}

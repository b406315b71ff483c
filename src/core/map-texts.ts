/** The same data with each of its texts changed, names of properties aside. */
export function mapTexts<T>(value: T, change: (text: string) => string): T {
  const walk = (each: unknown): unknown => {
    if (typeof each === "string") return change(each);
    if (Array.isArray(each)) return each.map(walk);
    if (typeof each !== "object" || each === null || Object.getPrototypeOf(each) !== Object.prototype)
      return each;
    return Object.fromEntries(Object.entries(each).map(([name, one]) => [name, walk(one)]));
  };
  return walk(value) as T;
}

const key = Symbol.for("emberset.import");

type Import = (url: string) => Promise<unknown>;

/** Loads an ES module by its URL. The program itself runs as a script, which cannot: what started it lends it its own. */
export function importModule(url: string): Promise<unknown> {
  const lent = (globalThis as { [key]?: Import })[key];
  return lent ? lent(url) : import(url);
}

/** Lends the program a way to load ES modules. */
export function lendImport(load: Import): void {
  (globalThis as { [key]?: Import })[key] = load;
}

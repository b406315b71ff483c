import type { Column, ForeignKey, Key, Options, Unique } from "../../../schema/types.js";
import { NAME } from "../types.js";

/** SQLite tells names apart without regard to case (ASCII). Most are spelled alike, which is told much faster. */
export function columnCalled(name: string, columns: readonly Column[]): Column | undefined {
  for (const column of columns) if (column.name === name) return column;
  const lower = name.toLowerCase();
  return columns.find(column => column.name.toLowerCase() === lower);
}

/** Names as the columns spell them; the same list when they do already. */
export function spelledAs(names: readonly string[], columns: readonly Column[]): readonly string[] {
  const spelled = names.map(name => columnCalled(name, columns)?.name ?? name);
  return spelled.every((name, at) => name === names[at]) ? names : spelled;
}

/** The part with the names of its columns as they spell them. */
export function withSpelled<T extends Key | Unique | ForeignKey>(part: T, columns: readonly Column[]): T {
  const spelled = spelledAs(part.columns, columns);
  return spelled === part.columns ? part : { ...part, columns: spelled };
}

export const NO_OPTIONS: Readonly<Record<string, string>> = {};

/** The same wrapped for a table or a part; nothing where there are none. */
export function withOptions(options: Readonly<Record<string, string>>): { options?: Options } {
  return options !== NO_OPTIONS && Object.keys(options).length > 0 ? { options: optionsOf(options) } : {};
}

/** What only SQLite knows of a thing. */
export function optionsOf(options: Readonly<Record<string, string>>): Options {
  return { [NAME]: options };
}

import { cacheFile, readCache, writeCache } from "../cache.js";
import { readSource, type SourceClass, type SourceProperty } from "../core/model/read/source-classes.js";
import { sha256 } from "../core/sha256.js";
import { VERSION } from "../version.js";

/** Grows when what is kept of a class changes. */
const FORMAT = 2;

const MADE = `${VERSION} ${FORMAT}`;

/** The classes of one file, and the print of the text they were read from. */
interface Entry {
  readonly print: string;
  readonly classes: readonly StoredClass[];
}

/** A class as JSON holds it. */
type StoredClass = Omit<SourceClass, "properties"> & {
  readonly properties: readonly (readonly [string, SourceProperty])[];
};

/** The classes of a project's model files: a file that has not changed since is not parsed again. */
export interface SourceCache {
  readonly classesIn: (file: string, text: string) => readonly SourceClass[];
  /** Keeps what was parsed for the next runs. */
  readonly keep: () => void;
}

/** The classes read of a project's files in earlier runs, kept in the user's cache folder. */
export function openSourceCache(folder: string): SourceCache {
  // Two folders that share a name there are parsed again and again: no harm.
  const file = cacheFile(`classes-${folder.replace(/\W+/g, "-").slice(-150)}.json`);
  const known = readEntries(file);
  const entries = new Map(known);
  let isFresh = true;
  return {
    classesIn: (path, text) => {
      const print = sha256(text).toString("base64");
      const entry = known.get(path);
      if (entry?.print === print) return entry.classes.map(revived);
      const { classes } = readSource(text);
      entries.set(path, { print, classes: classes.map(stored) });
      isFresh = false;
      return classes;
    },
    keep: () => {
      if (!isFresh) writeCache(file, JSON.stringify({ made: MADE, entries: [...entries] }));
    },
  };
}

/** What an earlier run of this version kept; nothing where that cannot be told. */
function readEntries(file: string): Map<string, Entry> {
  const text = readCache(file)?.toString();
  if (text === undefined) return new Map();
  try {
    const { made, entries } = JSON.parse(text) as { made: string; entries: [string, Entry][] };
    return made === MADE ? new Map(entries) : new Map();
  } catch {
    return new Map();
  }
}

function stored({ properties, ...rest }: SourceClass): StoredClass {
  return { ...rest, properties: [...properties] };
}

function revived({ properties, ...rest }: StoredClass): SourceClass {
  return { ...rest, properties: new Map(properties) };
}

import { readFileSync } from "node:fs";
import type { Declaration } from "../core/model/advice/review.js";
import type { EntityDescription } from "../core/model/read/descriptions.js";
import type { SourceClass, SourceProperty } from "../core/model/read/source-classes.js";
import type { SourceCache } from "./source-cache.js";

interface Location {
  readonly file: string;
  /** From 1. */
  readonly line: number;
}

/** Where in their files classes and properties are declared, and how. */
interface Sources {
  readonly locationOf: (entity: EntityDescription, property: string | undefined) => Location | undefined;
  readonly declared: (entity: EntityDescription, property: string) => Declaration | undefined;
  /** The properties that a class declares itself; undefined where its source is not known. */
  readonly written: (cls: unknown) => readonly string[] | undefined;
}

type ClassInFile = ClassText & { readonly file: string };

type ClassText = Pick<SourceClass, "line" | "properties"> & Partial<Pick<SourceClass, "written">>;

/** @param fileOf the file that exports a class */
export function openSources(fileOf: ReadonlyMap<unknown, string>, cache: SourceCache): Sources {
  const classesOf = new Map<string, ReadonlyMap<string, SourceClass>>();
  const known = new Map<unknown, ClassInFile | undefined>();
  const classIn = (cls: unknown): ClassInFile | undefined => {
    if (!known.has(cls)) known.set(cls, findClass(cls as { readonly name: string }));
    return known.get(cls);
  };
  const findClass = (cls: { readonly name: string }): ClassInFile | undefined => {
    const file = fileOf.get(cls);
    if (file === undefined) return undefined;
    const classes = classesOf.get(file) ?? classesIn(file, cache);
    classesOf.set(file, classes);
    return { file, ...(classes.get(cls.name) ?? UNKNOWN) };
  };

  /** A property may be declared by a class that the entity extends; one of a value object's is found by the whole. */
  const findDeclared = (
    entity: EntityDescription,
    property: string,
  ): (SourceProperty & Location) | undefined => {
    const own = property.replace(/\..*$/, "");
    for (let cls: unknown = entity.cls; typeof cls === "function"; cls = Object.getPrototypeOf(cls)) {
      const source = classIn(cls);
      const found = source?.properties.get(own);
      if (source && found) return { file: source.file, ...found };
    }
    return undefined;
  };

  return {
    locationOf: (entity, property) => {
      const found =
        (property === undefined ? undefined : findDeclared(entity, property)) ?? classIn(entity.cls);
      return found && { file: found.file, line: found.line };
    },
    written: cls => classIn(cls)?.written,
    declared: (entity, property) => {
      const found = findDeclared(entity, property);
      if (found?.nullable === undefined) return undefined;
      const { optional, nullable, word, initial } = found;
      return { optional, nullable, word, initial };
    },
  };
}

/** A class of whose source nothing is known begins with its file. */
const UNKNOWN: ClassText = { line: 1, properties: new Map() };

function classesIn(file: string, cache: SourceCache): ReadonlyMap<string, SourceClass> {
  const classes = cache.classesIn(file, readFileSync(file, "utf8"));
  return new Map(classes.map(each => [each.name, each]));
}

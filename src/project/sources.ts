import { readFileSync } from "node:fs";
import type { Declaration } from "../core/model/advice/review.js";
import type { EntityDescription } from "../core/model/read/entities.js";

export interface Place {
  readonly file: string;
  /** From 1. */
  readonly line: number;
}

/** Where in their files classes and properties are declared, and how. */
export interface Sources {
  readonly locationOf: (entity: EntityDescription, property: string | undefined) => Place | undefined;
  readonly declared: (entity: EntityDescription, property: string) => Declaration | undefined;
}

interface Found {
  /** From 0. */
  readonly line: number;
  readonly mark: string;
  /** What stands after the colon, on the same line; undefined when nothing does. */
  readonly type: string | undefined;
}

/** @param fileOf the file that exports a class */
export function openSources(fileOf: ReadonlyMap<unknown, string>): Sources {
  const classesOf = new Map<string, ClassLines>();
  const known = new Map<unknown, ClassPlace | undefined>();
  const classIn = (cls: unknown): ClassPlace | undefined => {
    if (!known.has(cls)) known.set(cls, findClass(cls as { readonly name: string }));
    return known.get(cls);
  };
  const findClass = (cls: { readonly name: string }): ClassPlace | undefined => {
    const file = fileOf.get(cls);
    if (file === undefined) return undefined;
    const classes = classesOf.get(file) ?? readClasses(readFileSync(file, "utf8"));
    classesOf.set(file, classes);
    return { file, ...(classes.get(cls.name) ?? { line: 0, properties: new Map<string, Found>() }) };
  };

  /** A property may be declared by a class that the entity extends; one of a value object's is found by the whole. */
  const findDeclared = (entity: EntityDescription, property: string) => {
    const own = property.split(".")[0]!;
    for (let cls: unknown = entity.cls; typeof cls === "function"; cls = Object.getPrototypeOf(cls)) {
      const source = classIn(cls);
      const found = source?.properties.get(own);
      if (source && found) return { file: source.file, ...found };
    }
    return undefined;
  };

  return {
    locationOf: (entity, property) => {
      const place =
        (property === undefined ? undefined : findDeclared(entity, property)) ?? classIn(entity.cls);
      return place && { file: place.file, line: place.line + 1 };
    },
    declared: (entity, property) => {
      const found = findDeclared(entity, property);
      if (found?.type === undefined) return undefined;
      return { optional: found.mark === "?", nullable: /\|\s*(?:null|undefined)\b/.test(found.type) };
    },
  };
}

/** Where a class begins, and its properties. */
interface ClassText {
  /** From 0. */
  readonly line: number;
  readonly properties: ReadonlyMap<string, Found>;
}

type ClassPlace = ClassText & { readonly file: string };

/** By name. */
type ClassLines = Map<string, ClassText>;

const CLASS = /\bclass\s+([\p{ID_Start}$_][\p{ID_Continue}$]*)/u;
const PROPERTY = /(?:^|[\s)])([\p{ID_Start}$_][\p{ID_Continue}$]*)\s*([!?]?)\s*(?::(?=([^;=]*))|[;=])/gu;

/** Reads a source line by line; the first mention of a property in a class counts. */
function readClasses(text: string): ClassLines {
  const classes: ClassLines = new Map();
  let properties = new Map<string, Found>();
  for (const [line, content] of text.split("\n").entries()) {
    const name = CLASS.exec(content)?.[1];
    if (name !== undefined && !classes.has(name)) {
      properties = new Map();
      classes.set(name, { line, properties });
    }
    for (const [, property, mark, type] of content.matchAll(PROPERTY))
      if (!properties.has(property!)) properties.set(property!, { line, mark: mark!, type });
  }
  return classes;
}

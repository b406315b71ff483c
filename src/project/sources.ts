import { readFileSync } from "node:fs";
import type { Declaration } from "../core/model/advice/review.js";
import type { EntityDescription } from "../core/model/entities.js";

export interface Place {
  readonly file: string;
  /** From 1. */
  readonly line: number;
}

/** Where in their files classes and properties are declared, and how. */
export interface Sources {
  readonly placeOf: (entity: EntityDescription, property: string | undefined) => Place | undefined;
  readonly declared: (entity: EntityDescription, property: string) => Declaration | undefined;
}

/** @param fileOf the file that exports a class */
export function openSources(fileOf: ReadonlyMap<unknown, string>): Sources {
  const texts = new Map<string, string[]>();
  const linesOf = (file: string) => {
    const known = texts.get(file) ?? readFileSync(file, "utf8").split("\n");
    texts.set(file, known);
    return known;
  };

  /** The line of the class, and of the property in it. */
  const find = (cls: { readonly name: string }, property: string | undefined) => {
    const file = fileOf.get(cls);
    if (file === undefined) return undefined;
    const lines = linesOf(file);
    const start = lines.findIndex(line => new RegExp(`\\bclass\\s+${cls.name}\\b`).test(line));
    if (property === undefined) return { file, start, match: undefined, at: -1 };
    const pattern = new RegExp(
      `(?:^|[\\s)])${property.replaceAll("$", "\\$")}\\s*([!?]?)\\s*(?::([^;=]*)|[;=])`,
    );
    for (let at = Math.max(start, 0); at < lines.length; at += 1) {
      const match = pattern.exec(lines[at]!);
      if (match) return { file, start, match, at };
      // The next class of the file is none of ours.
      if (at > start && /^\}/.test(lines[at]!)) break;
    }
    return { file, start, match: undefined, at: -1 };
  };

  /** A property may be declared by a class that the entity extends; one of a value object's is found by the whole. */
  const findDeclared = (entity: EntityDescription, property: string) => {
    const [own] = property.split(".");
    for (let cls: unknown = entity.cls; typeof cls === "function"; cls = Object.getPrototypeOf(cls)) {
      const found = find(cls, own);
      if (found?.match) return found;
    }
    return undefined;
  };

  return {
    placeOf: (entity, property) => {
      const found = property === undefined ? undefined : findDeclared(entity, property);
      const place = found ?? find(entity.cls, undefined);
      return place && { file: place.file, line: Math.max(place.at >= 0 ? place.at : place.start, 0) + 1 };
    },
    declared: (entity, property) => {
      const match = findDeclared(entity, property)?.match;
      if (!match || match[2] === undefined) return undefined;
      return { optional: match[1] === "?", nullable: /\|\s*(?:null|undefined)\b/.test(match[2]) };
    },
  };
}

import { MagicString } from "magic-string";
import { readSource, type SourceImport } from "../read/source-classes.js";
import type { SketchLine } from "./class-text.js";

/** The source with further lines at the end of a class, and what they need imported. */
export function addLines(
  text: string,
  name: string,
  lines: readonly SketchLine[],
  pathOf: (entity: string) => string | undefined,
): string {
  const found = readSource(text).classes.find(each => each.name === name);
  if (!found || lines.length === 0) return text;
  const source = new MagicString(text);
  const before = text.slice(0, found.close).replace(/[ \t]*$/, "");
  const gap = before.endsWith("\n") ? "" : "\n";
  const added = lines.map(line => `  ${line.text}\n`).join("");
  if (before.length < found.close) source.remove(before.length, found.close);
  source.appendLeft(before.length, `${gap}${added}`);
  return withImports(source.toString(), lines, pathOf);
}

/** @param pathOf where an entity is imported from; undefined when it is in the same file */
export function withImports(
  text: string,
  lines: readonly SketchLine[],
  pathOf: (entity: string) => string | undefined,
): string {
  const wanted = new Map<string, readonly string[]>([
    ["class-validator", lines.flatMap(line => line.validators)],
    ["emberset", lines.flatMap(line => line.decorators)],
  ]);
  for (const entity of new Set(lines.flatMap(line => line.entities))) {
    const path = pathOf(entity);
    if (path !== undefined) wanted.set(path, [...(wanted.get(path) ?? []), entity]);
  }
  return [...wanted].reduce((so, [module, names]) => withImport(so, module, names), text);
}

/** The source with names imported from a module, beside those that are. */
function withImport(text: string, module: string, names: readonly string[]): string {
  if (names.length === 0) return text;
  const { imports } = readSource(text);
  const source = new MagicString(text);
  const found = imports.find(each => each.module === module && each.names !== undefined);
  const known = found?.names ?? [];
  const all = [...new Set([...known, ...names])];
  if (found && all.length === known.length) return text;
  const list = all.sort((a, b) => (a.toLowerCase() < b.toLowerCase() ? -1 : 1)).join(", ");
  const statement = `import { ${list} } from ${JSON.stringify(module)};`;
  if (found) return source.update(found.start, found.end, statement).toString();
  return source.appendLeft(positionFor(module, imports, text), `${statement}\n`).toString();
}

/** After the imports that are there: packages first, then files. */
function positionFor(module: string, imports: readonly SourceImport[], text: string): number {
  const packages = imports.filter(each => !each.module.startsWith("."));
  const last = module.startsWith(".") ? imports.at(-1) : module === "emberset" ? packages.at(-1) : undefined;
  if (!last) return 0;
  const end = text.indexOf("\n", last.end);
  return end < 0 ? text.length : end + 1;
}

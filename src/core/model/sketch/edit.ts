import type { SketchLine } from "./class-text.js";

/** A class as a source has it: where its body is, and which properties it declares. */
export interface ClassPlace {
  /** Just after the opening brace. */
  readonly open: number;
  /** At the closing brace. */
  readonly close: number;
  readonly properties: ReadonlySet<string>;
}

/** Finds an entity's class in a source; undefined when it is not there. */
export function findClass(text: string, name: string): ClassPlace | undefined {
  const head = new RegExp(`\\bclass\\s+${name}\\b[^{]*\\{`).exec(text);
  if (!head) return undefined;
  const open = head.index + head[0].length;
  const close = closingBrace(text, open);
  const body = text.slice(open, close);
  const found = body.matchAll(/(?:^|[\s)])([\p{ID_Start}$_][\p{ID_Continue}$]*)\s*[!?]?\s*:/gmu);
  return { open, close, properties: new Set([...found].map(([, property]) => property!)) };
}

/** The names of the entities that a source declares. */
export function entitiesIn(text: string): string[] {
  return [...text.matchAll(/@Stored\b[^]*?\bclass\s+([\p{ID_Start}$_][\p{ID_Continue}$]*)/gu)].map(
    ([, name]) => name!,
  );
}

/** The brace that closes the one before a place; braces in strings and comments are passed over. */
function closingBrace(text: string, from: number): number {
  const marks =
    /[{}]|"(?:[^"\\\n]|\\.)*"|'(?:[^'\\\n]|\\.)*'|`(?:[^`\\]|\\.)*`|\/\/[^\n]*|\/\*[^]*?\*\/|\/(?:[^/\\\n]|\\.)+\/(?=[gimsuy]*[),])/g;
  marks.lastIndex = from;
  let depth = 1;
  for (let match = marks.exec(text); match; match = marks.exec(text)) {
    if (match[0] === "{") depth += 1;
    if (match[0] === "}") depth -= 1;
    if (depth === 0) return match.index;
  }
  return text.length;
}

/** The source with further lines at the end of a class, and what they need imported. */
export function addLines(
  text: string,
  name: string,
  lines: readonly SketchLine[],
  pathOf: (entity: string) => string | undefined,
): string {
  const place = findClass(text, name);
  if (!place || lines.length === 0) return text;
  const before = text.slice(0, place.close).replace(/[ \t]*$/, "");
  const gap = before.endsWith("\n") ? "" : "\n";
  const added = lines.map(line => `  ${line.text}\n`).join("");
  return withImports(`${before}${gap}${added}${text.slice(place.close)}`, lines, pathOf);
}

/** @param pathOf where an entity is imported from; undefined when it is in the same file */
export function withImports(
  text: string,
  lines: readonly SketchLine[],
  pathOf: (entity: string) => string | undefined,
): string {
  let so = withImport(
    text,
    "class-validator",
    lines.flatMap(line => line.validators),
  );
  so = withImport(
    so,
    "emberset",
    lines.flatMap(line => line.decorators),
  );
  for (const entity of new Set(lines.flatMap(line => line.entities))) {
    const path = pathOf(entity);
    if (path !== undefined) so = withImport(so, path, [entity]);
  }
  return so;
}

/** The source with names imported from a module, beside those that are. */
function withImport(text: string, module: string, names: readonly string[]): string {
  if (names.length === 0) return text;
  const quoted = module.replace(/[.*+?^${}()|[\]\\/]/g, "\\$&");
  const found = new RegExp(`import\\s*\\{([^}]*)\\}\\s*from\\s*["']${quoted}["'];?`).exec(text);
  const known = found ? found[1]!.split(",").flatMap(name => name.trim() || []) : [];
  const all = [...new Set([...known, ...names])];
  if (found && all.length === known.length) return text;
  const list = all.sort((a, b) => (a.toLowerCase() < b.toLowerCase() ? -1 : 1)).join(", ");
  const statement = `import { ${list} } from ${JSON.stringify(module)};`;
  if (found) return text.replace(found[0], () => statement);
  // After the imports that are there: packages first, then files.
  const imports = [...text.matchAll(/^import\b[^;]*;[ \t]*\n/gm)];
  const own = imports.filter(([line]) => /from\s*["']\./.test(line));
  const packages = imports.filter(each => !own.includes(each));
  const last = module.startsWith(".") ? imports.at(-1) : module === "emberset" ? packages.at(-1) : undefined;
  const at = last ? last.index + last[0].length : 0;
  return `${text.slice(0, at)}${statement}\n${text.slice(at)}`;
}

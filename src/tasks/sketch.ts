import { existsSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join, relative, resolve } from "node:path";
import { parse } from "csv-parse/sync";
import pluralize from "pluralize";
import {
  classNameFor,
  codeInLines,
  fileNameFor,
  isIdentifier,
  LINE,
  propertyFor,
} from "../core/model/write/code.js";
import type { CodeValue } from "../core/model/write/code.js";
import { boundsOf, fieldLine, otherEndLine, referenceProperty } from "../core/model/sketch/class-text.js";
import type { SketchLine } from "../core/model/sketch/class-text.js";
import { readSource, type SourceClass } from "../core/model/read/source-classes.js";
import { addLines, withImports } from "../core/model/sketch/edit.js";
import { PhraseFault, readPhrase, type SketchField } from "../core/model/sketch/phrase.js";
import { spellExpression } from "../core/lower/expressions.js";
import { problems } from "../core/problems.js";
import { fillPlaceholders } from "../core/sql/placeholders.js";
import { columnName, tableName } from "../core/schema/naming.js";
import { filesLike } from "../project/files-like.js";
import { loadSettings } from "../project/load-settings.js";
import { modelsFolder, type Settings } from "../project/settings.js";
import type { TaskOptions } from "./options.js";
import { messageOf } from "../core/errors.js";

export interface SketchOptions extends TaskOptions {
  /** The entity's class: `Piece`. Left out with an outline. */
  readonly entity?: string | undefined;
  /** `title varchar(80) unique`, `potter references Potter on delete cascade`. */
  readonly phrases?: readonly string[] | undefined;
  /** A CSV file: table, field, type, refers to, note. */
  readonly outline?: string | undefined;
}

export interface SketchResult {
  readonly entities: readonly SketchedEntity[];
  /** What was made or changed, from the project's folder. */
  readonly written: readonly string[];
}

export interface SketchedEntity {
  readonly entity: string;
  /** From the project's folder. */
  readonly file: string;
  readonly isNew: boolean;
  /** Properties that were written, other ends among them. */
  readonly added: readonly string[];
  /** Properties that were there already and were left as they are. */
  readonly kept: readonly string[];
  /** Fields that come by themselves, or must be said elsewhere. */
  readonly remarks: readonly string[];
}

interface EntitySketch {
  readonly name: string;
  readonly fields: readonly SketchField[];
  readonly note?: string;
}

/**
 * Writes model classes from phrases, or from an outline. What a class says already is never changed.
 * @throws Problem E101 to E103, E114 to E117
 */
export async function sketch({
  entity,
  phrases = [],
  outline,
  ...options
}: SketchOptions): Promise<SketchResult> {
  const settings = await loadSettings(options.project ?? ".");
  const sketches = outline === undefined ? [readSketch(entity, phrases)] : readOutline(resolve(outline));
  const files = await ModelFiles.open(settings);
  for (const { name } of sketches) files.claim(name);
  const sketched = sketches.map(each => files.add(each));
  for (const each of sketches) files.addOtherEnds(each);
  return { entities: sketched.map(each => files.report(each)), written: files.write() };
}

function readSketch(name: string | undefined, phrases: readonly string[]): EntitySketch {
  if (name === undefined || !isIdentifier(name) || !/^\p{Lu}/u.test(name))
    throw problems.wrongEntityName({ name: name ?? "nothing" });
  try {
    return { name, fields: phrases.map(readPhrase) };
  } catch (error) {
    if (!(error instanceof PhraseFault)) throw error;
    const { phrase, at, what, valid } = error;
    throw problems.wrongPhrase({ phrase, at, what, valid }, error);
  }
}

const HEADINGS = ["table", "field", "type", "refers to", "note"] as const;

/** Tables in the order they first come; a row without a field is about the table. */
function readOutline(file: string): EntitySketch[] {
  if (!existsSync(file)) throw problems.wrongOutline({ file, faults: ["there is no such file"] });
  const text = readFileSync(file, "utf8");
  const faults: string[] = [];
  const rows = parseRows(text, file);
  const [headings = [], ...body] = rows;
  const columnOf = new Map(
    headings.map((heading, at) => [heading.trim().toLowerCase().replaceAll("_", " "), at]),
  );
  for (const needed of ["table", "field"])
    if (!columnOf.has(needed))
      faults.push(`row 1: there is no column ${needed}; the headings are ${HEADINGS.join(", ")}`);
  if (faults.length > 0) throw problems.wrongOutline({ file, faults });
  const sketches = new Map<string, { name: string; fields: SketchField[]; note?: string }>();
  let table = "";
  for (const [at, row] of body.entries()) {
    const cell = (heading: (typeof HEADINGS)[number]) => row[columnOf.get(heading) ?? -1]?.trim() ?? "";
    // A spreadsheet often says the table once, on its first row.
    table = cell("table") || table;
    if (row.every(text => text.trim() === "")) continue;
    if (table === "") {
      faults.push(`row ${at + 2}: the table is missing`);
      continue;
    }
    const name = classNameFor(table, new Set(), pluralize.singular);
    const sketch = sketches.get(name) ?? { name, fields: [] };
    sketches.set(name, sketch);
    if (cell("field") === "") {
      if (cell("note") !== "") sketch.note = cell("note");
      continue;
    }
    try {
      sketch.fields.push(outlineField(cell("field"), cell("type"), cell("refers to"), cell("note")));
    } catch (error) {
      if (!(error instanceof PhraseFault)) throw error;
      faults.push(`row ${at + 2}, ${table}.${cell("field")}: ${error.what}; valid: ${error.valid}`);
    }
  }
  if (faults.length > 0) throw problems.wrongOutline({ file, faults });
  return [...sketches.values()];
}

function parseRows(text: string, file: string): string[][] {
  const first = text.slice(0, text.search(/\r?\n|$/));
  const delimiter = [";", "\t"].find(each => first.includes(each)) ?? ",";
  try {
    return parse(text, { delimiter, bom: true, relax_column_count: true, skip_empty_lines: true });
  } catch (error) {
    throw problems.wrongOutline({ file, faults: [messageOf(error)] }, error);
  }
}

const BY_ITSELF = /^(?:\(?auto(?:matic(?:ally)?)?\)?|by itself|comes by itself)$/i;

function outlineField(name: string, type: string, refersTo: string, note: string): SketchField {
  const quoted = /^[\p{L}_][\p{L}\p{N}_]*$/u.test(name) ? name : `"${name.replaceAll('"', '""')}"`;
  const words = BY_ITSELF.test(type) ? "" : type;
  const [actions = ""] = /\s+on\s+(?:delete|update)\s.*$/i.exec(refersTo) ?? [];
  const target = refersTo
    .slice(0, refersTo.length - actions.length)
    .replace(/[.(].*$/, "")
    .trim();
  const reference = target === "" ? "" : `references "${target}"${actions}`;
  const field = readPhrase([quoted, words, reference].filter(Boolean).join(" "));
  return { ...field, ...(note !== "" && { note }) };
}

/** What becomes of one entity. */
interface Result {
  readonly added: string[];
  readonly kept: string[];
  readonly remarks: string[];
  readonly isNew: boolean;
}

function classIn(text: string, name: string): SourceClass | undefined {
  return readSource(text).classes.find(each => each.name === name);
}

/** A class of its own. */
function classText(
  { name, note }: EntitySketch,
  lines: readonly SketchLine[],
  checks: Record<string, CodeValue>,
): string {
  const options = codeInLines(
    {
      ...(note !== undefined && { note }),
      ...(Object.keys(checks).length > 0 && { checks }),
    },
    "",
    LINE - name.length - 12,
  );
  const body = lines.map(line => `  ${line.text}\n`).join("");
  return `\n@Stored<${name}>(${options === "{}" ? "" : options})\nexport class ${name} {\n${body}}\n`;
}

/** The project's model files while classes are added to them. */
class ModelFiles {
  /** Texts by path, changed or not. */
  private readonly texts = new Map<string, string>();
  private readonly before = new Map<string, string>();
  private readonly fileOf = new Map<string, string>();
  private readonly results = new Map<string, Result>();

  private constructor(
    private readonly settings: Settings,
    private readonly folder: string,
  ) {}

  static async open(settings: Settings): Promise<ModelFiles> {
    const files = new ModelFiles(settings, modelsFolder(settings));
    for (const path of await filesLike(settings.models, settings.folder)) {
      const text = readFileSync(path, "utf8");
      files.texts.set(path, text);
      files.before.set(path, text);
      for (const { name, decorators } of readSource(text).classes)
        if (decorators.includes("Stored")) files.fileOf.set(name, path);
    }
    return files;
  }

  /** A file for an entity: its own where it is there already. */
  claim(name: string): void {
    const isNew = !this.fileOf.has(name);
    this.results.set(name, { added: [], kept: [], remarks: [], isNew });
    if (!isNew) return;
    this.fileOf.set(name, this.fileFor(name));
  }

  add(sketch: EntitySketch): string {
    const { name, fields } = sketch;
    const path = this.fileFor(name);
    const result = this.resultFor(name);
    const text = this.texts.get(path);
    const found = text === undefined ? undefined : classIn(text, name);
    const lines = this.linesFor(fields, found, result);
    result.added.push(...lines.map(({ property }) => property));
    const checks = this.checksOf(fields);
    const pathOf = (entity: string) => this.importOf(entity, path);
    if (text !== undefined && found) {
      this.texts.set(path, addLines(text, name, lines, pathOf));
      for (const [check, holds] of Object.entries(checks))
        result.remarks.push(`add to @Stored: checks: { ${check}: ${JSON.stringify(holds)} }`);
      return name;
    }
    const source = classText(sketch, lines, checks);
    const whole = text === undefined ? source : `${text.trimEnd()}\n${source}`;
    const stored = { property: "", text: "", validators: [], decorators: ["Stored"], entities: [] };
    this.texts.set(path, withImports(whole, [...lines, stored], pathOf).replace(/^\n/, ""));
    return name;
  }

  /** The lines of fields that the class does not have; of the others the result says what became. */
  private linesFor(
    fields: readonly SketchField[],
    found: SourceClass | undefined,
    { kept, remarks }: Result,
  ): SketchLine[] {
    const lines: SketchLine[] = [];
    for (const field of fields) {
      const line = fieldLine(field, each => this.entityCalled(each));
      if (!line) remarks.push(`${field.name} comes by itself`);
      else if (found?.properties.has(line.property) || lines.some(each => each.property === line.property))
        kept.push(line.property);
      else lines.push(line);
    }
    return lines;
  }

  /** Conditions that no validator says, by their names. */
  private checksOf(fields: readonly SketchField[]): Record<string, CodeValue> {
    return Object.fromEntries(
      fields.flatMap(field => {
        if (field.check === undefined || boundsOf(field)) return [];
        const column = columnName(propertyFor(field.name, new Set()), this.settings.naming);
        return [[`${column}_rule`, this.placed(field.check, fields)]];
      }),
    );
  }

  /** In each class referred to, the field that leads back. */
  addOtherEnds({ name, fields }: EntitySketch): void {
    for (const field of fields) {
      if (!field.refersTo) continue;
      const target = this.entityCalled(field.refersTo.name);
      const path = this.fileFor(target);
      const text = this.texts.get(path) ?? "";
      const found = classIn(text, target);
      const property = referenceProperty(field.name, target);
      const leadsBack = [...(found?.properties.values() ?? [])].some(
        ({ referredBy }) => referredBy?.entity === name && referredBy.field === property,
      );
      if (!found || leadsBack) continue;
      const line = otherEndLine(name, field, target, new Set(found.properties.keys()));
      this.texts.set(
        path,
        addLines(text, target, [line], entity => this.importOf(entity, path)),
      );
      this.resultFor(target).added.push(line.property);
    }
  }

  report(name: string): SketchedEntity {
    const { added, kept, remarks, isNew } = this.resultFor(name);
    return {
      entity: name,
      file: relative(this.settings.folder, this.fileFor(name)),
      isNew,
      added,
      kept,
      remarks,
    };
  }

  /** Writes what changed. @returns their paths from the project's folder */
  write(): string[] {
    const changed = [...this.texts].filter(([path, text]) => this.before.get(path) !== text);
    for (const [path, text] of changed) {
      mkdirSync(dirname(path), { recursive: true });
      writeFileSync(path, text);
    }
    return changed.map(([path]) => relative(this.settings.folder, path));
  }

  /** Where an entity is, or will be. */
  private fileFor(name: string): string {
    return this.fileOf.get(name) ?? join(this.folder, `${fileNameFor(name)}.ts`);
  }

  private resultFor(name: string): Result {
    const result = this.results.get(name) ?? { added: [], kept: [], remarks: [], isNew: false };
    this.results.set(name, result);
    return result;
  }

  /** `Potter`, `potter`, `potters` or `kiln_logs`. @throws Problem E116 */
  private entityCalled(name: string): string {
    const known = [...this.fileOf.keys()];
    const found =
      known.find(each => each === name) ??
      known.find(each =>
        [each, tableName(each, this.settings.naming)].some(as => as.toLowerCase() === name.toLowerCase()),
      ) ??
      known.find(each => each === classNameFor(name, new Set(), pluralize.singular));
    if (found === undefined) throw problems.unknownEntity({ name, known });
    return found;
  }

  private importOf(entity: string, from: string): string | undefined {
    const path = this.fileFor(entity);
    if (path === from) return undefined;
    const way = relative(dirname(from), path).replaceAll("\\", "/");
    return (way.startsWith(".") ? way : `./${way}`).replace(/\.ts$/, ".js");
  }

  /** A check with properties in the place of names. */
  private placed(check: string, fields: readonly SketchField[]): string {
    const columns = fields.map(({ name }) => ({ name, type: { kind: "text" } as const, nullable: true }));
    return fillPlaceholders(spellExpression(check, columns, {}), name => `{${propertyFor(name, new Set())}}`);
  }
}

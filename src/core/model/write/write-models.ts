import { rowsSeen } from "../../dialect/rows-seen.js";
import { addressOf } from "../../schema/address.js";
import { partKey } from "../../schema/canonical.js";
import { isObject, type Schema } from "../../schema/types.js";
import { planClasses, type ClassPlan } from "./class-plan.js";
import { definitionsFile } from "./definitions-file.js";
import { fieldCode } from "./field.js";
import { otherEnds, referenceCode } from "./reference.js";
import { statedChecks } from "./stated-checks.js";
import { StatedIndexes } from "./stated-indexes.js";
import { isFieldUnique, partLines, rowsLine, storedOptions } from "./stored-options.js";
import { Writing, type WriteModelsOptions, type WritingOptions } from "./writing.js";

/** One model file. */
export interface ModelFile {
  /** From the models' folder: `piece.ts`, or `studio/piece.ts` for a namespace. */
  readonly path: string;
  readonly text: string;
  /** The class in it, and the line of each of its columns; undefined for what is not a class. */
  readonly model?: {
    readonly name: string;
    /** The table's address. */
    readonly table: string;
    readonly lines: ReadonlyMap<string, string>;
    /** What `@Stored` says of indexes, unique constraints and checks, by `partKey`. */
    readonly parts: ReadonlyMap<string, string>;
    /** Those of them that a field can say as well. */
    readonly byField: ReadonlySet<string>;
    /** What `@Stored` says of the rows that roles see; undefined: nothing. */
    readonly rows: string | undefined;
  };
}

/** Model files that describe a schema, in portable words as far as `raise` found them. */
export function writeModels(schema: Schema, options: WriteModelsOptions): ModelFile[] {
  const plans = planClasses(schema, options.there);
  const definitions = (schema.definitions ?? []).filter(each => !isObject(each));
  const rows = rowsSeen(schema, options.dialect);
  const files = plans.map(plan => classFile(plan, { ...options, plans, definitions, rows }));
  if (definitions.length === 0) return files;
  return [
    ...files,
    definitionsFile(
      definitions,
      files.map(({ path }) => path),
    ),
  ];
}

function classFile(plan: ClassPlan, options: WritingOptions): ModelFile {
  const writing = new Writing(plan, options);
  const [checks, indexes] = [statedChecks(writing), new StatedIndexes(writing)];
  const { table, references, name, path } = plan;
  const own = new Map(references.filter(each => each.own).map(each => [each.foreignKey.columns[0], each]));
  const lines = new Map(
    table.columns.map(column => {
      const reference = own.get(column.name);
      const line = reference
        ? referenceCode(reference, column, writing, indexes)
        : fieldCode(column, writing, checks);
      return [column.name, line];
    }),
  );
  const others = [
    ...references
      .filter(each => !each.own)
      .map(reference => referenceCode(reference, undefined, writing, indexes)),
    ...otherEnds(writing),
  ];
  const stored = storedOptions(writing, checks, indexes);
  const parts = partLines(writing, checks);
  const body = [...lines.values(), ...others].map(line => `  ${line}\n`).join("");
  const text = `${writing.imports()}\n@Stored<${name}>(${stored})\nexport class ${name} {\n${body}}\n`;
  const byField = new Set(
    table.uniques.filter(unique => isFieldUnique(unique, writing)).map(unique => partKey("unique", unique)),
  );
  const model = { name, table: addressOf(table), lines, parts, byField, rows: rowsLine(writing) };
  return { path, text, model };
}

import { Ajv2020 } from "ajv/dist/2020.js";
import { expect, test } from "vitest";
import { dialects } from "../../src/core/dialect/registry.js";
import { buildSchema } from "../../src/core/model/build-schema.js";
import { describeEntities } from "../../src/core/model/read/entities.js";
import { heldBy } from "../../src/core/model/rules/standing.js";
import { keywordsOfRule } from "../../src/core/model/write/json/keywords.js";
import { objectsOfModels, writeJsonSchema } from "../../src/core/model/write/json/json-schema.js";
import { VALUES, STRANGERS } from "./hostile-values.js";
import { classOf } from "./one-field.js";
import { PATIENCE, SEED } from "./runs.js";
import { forgetClasses, holds, isOutside, listed, nameOf, shuffled, STANDS } from "./stands.js";

/** A value as JSON has it; undefined where it has none that stands for it alone. */
function asJson(value: unknown, isMoment: boolean): { readonly json: unknown } | undefined {
  if (value instanceof Date)
    return isMoment && !Number.isNaN(value.getTime()) ? { json: value.toISOString() } : undefined;
  // A text is no moment to validate(), and in JSON every moment is one.
  if (isMoment && typeof value === "string") return undefined;
  if (value === undefined || (typeof value === "number" && !Number.isFinite(value))) return undefined;
  if (typeof value === "object" && value !== null) {
    const again: unknown = JSON.parse(JSON.stringify(value));
    const isSame = JSON.stringify(again) === JSON.stringify(value) && !ArrayBuffer.isView(value);
    const isPlain = Array.isArray(value) || Object.getPrototypeOf(value) === Object.prototype;
    return isSame && isPlain && Object.values(value).every(each => each !== undefined)
      ? { json: again }
      : undefined;
  }
  return ["string", "number", "boolean"].includes(typeof value) || value === null
    ? { json: value }
    : undefined;
}

/** Texts and numbers of which no two programs say the same: halves of characters, forms of one, what floats divide. */
function isCountedOtherwise(value: unknown): boolean {
  return typeof value === "string"
    ? /[\ufe0e\ufe0f]|[\ud800-\udfff]/.test(value.replace(/[\ud800-\udbff][\udc00-\udfff]/g, ""))
    : typeof value === "number" && Math.abs(value) >= 2 ** 53;
}

test(
  "validate() and a judge of JSON Schema say the same, but where the schema or a finding tells what it does not",
  () => {
    const wrong: string[] = [];
    let verdicts = 0;
    for (const [at, { family, rules, type }] of STANDS.entries()) {
      const thing = classOf(`T${at}`, rules, type);
      const { schema, findings, resolver } = buildSchema(
        describeEntities([thing]),
        { tables: "plural", case: "snake" },
        [dialects.sqlite],
      );
      if (findings.some(({ severity }) => severity === "error")) continue;
      const written = writeJsonSchema(objectsOfModels(resolver, schema), "made up");
      const ajv = new Ajv2020({ strictTypes: false, validateFormats: false });
      ajv.addSchema({ ...(JSON.parse(written) as object), $id: "made-up" });
      const judge = ajv.getSchema(`made-up#/$defs/T${at}`)!;
      const { v } = (judge.schema as { properties: Record<string, { $comment?: string }> }).properties;
      const { field, column } = resolver
        .columnsOf(resolver.entities[0]!)
        .find(({ column: { name } }) => name === "v")!;
      const told = listed(findings, ["A300", "A321", "A325"]).join("\n");
      const asked = family === "text" ? { ...column, type: { kind: "text" } as const } : column;
      const isSaid = field.validators.map(each => {
        const { left, differs, rules: held } = heldBy(asked, each);
        if (v?.$comment?.includes("decimal place") && each.name === "isNumber") return false;
        return (
          left === undefined &&
          differs === undefined &&
          held.every(rule => keywordsOfRule(rule, asked.type) !== undefined)
        );
      });
      const each = rules.map(rule => classOf(`T${at}`, [rule], ""));
      for (const value of [...shuffled(VALUES[family], SEED + at).slice(0, 200), ...STRANGERS]) {
        const as = asJson(value, family === "date");
        if (!as) continue;
        const passes = each.map(one => holds(one, value));
        const valid = passes.every(Boolean);
        const taken = judge({ v: as.json }) as boolean;
        verdicts += 1;
        if (valid === taken || isCountedOtherwise(value)) continue;
        // In JSON a number is no text: rules about degrees take one that reads as a number.
        const excused = valid
          ? (family === "number" && typeof value === "string") ||
            told.includes("and the column holds") ||
            (told.includes("validate() takes") && (told.includes("any kind") || isOutside(column, value)))
          : v?.$comment !== undefined && passes.every((pass, one) => pass || !isSaid[one]);
        if (!excused)
          wrong.push(
            `${valid ? "refused" : "taken"}: ${JSON.stringify(value)} by ${nameOf({ family, rules, type })}: ${JSON.stringify(v)}`,
          );
      }
      forgetClasses();
    }
    expect(wrong.slice(0, 20)).toEqual([]);
    expect(verdicts).toBeGreaterThan(STANDS.length * 20);
  },
  PATIENCE,
);

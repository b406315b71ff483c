import type { DataType, PlainTypeName } from "./types.js";

type Kinds = readonly DataType["kind"][];

export const TEXTS: Kinds = ["text", "varchar", "char"];
export const WHOLE_NUMBERS: Kinds = ["smallint", "integer", "bigint"];
export const NUMBERS: Kinds = [...WHOLE_NUMBERS, "real", "double", "decimal"];
export const MOMENTS: Kinds = ["date", "time", "timestamp", "timestamptz"];

const PLAIN: readonly PlainTypeName[] = [
  "boolean",
  "smallint",
  "integer",
  "bigint",
  "real",
  "double",
  "text",
  "date",
  "time",
  "timestamp",
  "timestamptz",
  "uuid",
  "json",
  "bytes",
];

/** What may stand in `@Field({ type })`, for messages. */
export const TYPE_WORDS = `${PLAIN.join(", ")}, char(n), varchar(n), decimal(p,s), or { dialect: "native type" }`;

/** `"varchar(80)"` → `{ kind: "varchar", length: 80 }`; undefined when the text is not a portable type. */
export function parseDataType(text: string): DataType | undefined {
  const match = /^([a-z]+)(?:\((\d+)(?:,\s*(\d+))?\))?$/.exec(text.trim().toLowerCase());
  if (!match) return undefined;
  const [, name, first, second] = match;
  if (
    (name === "char" || name === "varchar") &&
    first !== undefined &&
    second === undefined &&
    Number(first) > 0
  ) {
    return { kind: name, length: Number(first) };
  }
  if (name === "decimal" && first !== undefined) {
    const [precision, scale] = [Number(first), Number(second ?? 0)];
    return precision > 0 && scale <= precision ? { kind: "decimal", precision, scale } : undefined;
  }
  const kind = first === undefined ? PLAIN.find(each => each === name) : undefined;
  return kind && { kind };
}

/** The inverse of parseDataType; a native type is shown as its dialects spell it. */
export function showDataType(type: DataType): string {
  switch (type.kind) {
    case "char":
    case "varchar":
      return `${type.kind}(${type.length})`;
    case "decimal":
      return `decimal(${type.precision},${type.scale})`;
    case "native": {
      const texts = Object.entries(type.sql);
      return texts.length === 1
        ? texts[0]![1]
        : texts.map(([dialect, text]) => `${dialect}: ${text}`).join(" · ");
    }
    default:
      return type.kind;
  }
}

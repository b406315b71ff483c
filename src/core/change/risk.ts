import { handlePart } from "../schema/types.js";
import type { Column, Definition, PartKind, Parts, Rule, ForeignKey } from "../schema/types.js";
import { equal } from "../schema/canonical.js";
import { columnsOfPart } from "../schema/lookups.js";
import { lossOf, type Loss } from "./loss.js";
import type { AlterColumn, AlterPart, Change } from "./types.js";
import type { Widens } from "./widening.js";

/**
 * How a change can hurt: not at all; it takes rows or values away and the attic keeps them; it can be refused because
 * of rows that exist; it takes rows or values away for good.
 */
export type RiskLevel = "safe" | "kept" | "rows may refuse" | "loses data";

interface Risk {
  readonly level: RiskLevel;
  /** Why, when not safe. */
  readonly reason?: string;
}

export const RISK_LEVELS = [
  "safe",
  "kept",
  "rows may refuse",
  "loses data",
] as const satisfies readonly RiskLevel[];

const SAFE: Risk = { level: "safe" };

interface RiskOptions {
  /** What is taken away goes into the attic. @default false */
  readonly keep?: boolean;
  readonly widens: Widens;
}

/** The risk of each of some changes, made together, to a database that has rows. */
export function risks(changes: readonly Change[], { keep = false, widens }: RiskOptions): Risk[] {
  const nulls = columnsOfNulls(changes);
  return changes.map(change => worse(refusalOf(change, nulls, widens), riskOfLoss(change, keep, widens)));
}

function worse(a: Risk, b: Risk): Risk {
  return RISK_LEVELS.indexOf(a.level) >= RISK_LEVELS.indexOf(b.level) ? a : b;
}

/** What a change takes away, as a risk. */
function riskOfLoss(change: Change, keep: boolean, widens: Widens): Risk {
  const loss = lossOf(change, widens);
  if (!loss) return SAFE;
  return keep
    ? { level: "kept", reason: "the attic keeps them" }
    : { level: "loses data", reason: LOSSES[loss.kind] };
}

const LOSSES: Readonly<Record<Loss["kind"], string>> = {
  table: "the table's rows go",
  column: "the column's values go",
  values: "other values take the place of old ones",
};

/** Columns that arrive holding null in every row: no constraint minds them. */
function columnsOfNulls(changes: readonly Change[]): Set<string> {
  return new Set(
    changes.flatMap(change =>
      change.kind === "add column" && change.column.nullable && !change.fill && !hasOwnValue(change.column)
        ? [columnKey(change.table, change.column.name)]
        : [],
    ),
  );
}

function columnKey(table: string, column: string): string {
  return JSON.stringify([table, column]);
}

/** Whether rows may stand in the way of a change. */
function refusalOf(change: Change, nulls: ReadonlySet<string>, widens: Widens): Risk {
  switch (change.kind) {
    case "add table":
    case "drop table":
    case "drop column":
    case "rename table":
    case "rename column":
    case "rename part":
    case "alter table":
    case "drop part":
    case "add definition":
    case "drop definition":
      return SAFE;
    case "alter definition":
      return definitionRisk(change.before, change.after);
    case "add column":
      return change.column.nullable || change.fill || hasOwnValue(change.column)
        ? SAFE
        : { level: "rows may refuse", reason: "rows that exist have no value for it" };
    case "alter column":
      return alterRisk(change, widens);
    case "add part": {
      const columns = columnsOfPart(change.what, change.value);
      const unminded = columns.some(column => nulls.has(columnKey(change.table, column)));
      return unminded && change.what !== "key" ? SAFE : partRisk(change.what, change.value);
    }
    case "alter part":
      return isLooser(change) ? SAFE : partRisk(change.what, change.after);
    default:
      return change satisfies never;
  }
}

/** Whether all that fits one definition fits the other. */
function definitionRisk(before: Definition, after: Definition): Risk {
  if (before.kind === "enum" && after.kind === "enum") {
    const gone = before.values.filter(value => !after.values.includes(value));
    return gone.length === 0
      ? SAFE
      : { level: "rows may refuse", reason: `rows that hold ${gone.join(", ")}` };
  }
  if (before.kind !== "domain" || after.kind !== "domain") return SAFE;
  const looser =
    before.type === after.type &&
    (after.nullable || !before.nullable) &&
    after.checks.every(check => before.checks.some(old => old.sql === check.sql));
  return looser ? SAFE : { level: "rows may refuse", reason: "values that exist may not fit the new domain" };
}

function hasOwnValue(column: Column): boolean {
  return Boolean(column.default ?? column.identity ?? column.computed ?? column.stamp);
}

function alterRisk({ before, after, fill, convert }: AlterColumn, widens: Widens): Risk {
  if (convert === undefined && !widens(before.type, after.type)) {
    return { level: "rows may refuse", reason: "values that exist may not fit the new type" };
  }
  if (before.nullable && !after.nullable && !fill) {
    return { level: "rows may refuse", reason: "rows that hold null" };
  }
  return SAFE;
}

function partRisk(kind: PartKind, part: Parts[PartKind]): Risk {
  const refuses = (reason: string): Risk => ({ level: "rows may refuse", reason });
  return handlePart(kind, part, {
    key: () => refuses("rows that are not unique"),
    unique: () => refuses("rows that are not unique"),
    index: ({ unique }) => (unique ? refuses("rows that are not unique") : SAFE),
    "foreign key": () => refuses("rows that refer to nothing"),
    check: () => refuses("rows that break it"),
  });
}

/** Whether all that one part allows, the other does too. */
export function isLooser(change: AlterPart): boolean {
  if (change.what === "foreign key") {
    const target = ({ columns, references }: ForeignKey) => ({ columns, references });
    return equal(target(change.before), target(change.after));
  }
  if (change.what !== "check") return false;
  const { before, after } = change;
  return after.rules.every(rule => before.rules.some(each => implies(each, rule)));
}

/** Whether whatever keeps to one rule keeps to the other. */
function implies(rule: Rule, other: Rule): boolean {
  if (equal(rule, other)) return true;
  if (!("column" in rule && "column" in other) || rule.kind !== other.kind || rule.column !== other.column)
    return false;
  if (rule.kind === "in" && other.kind === "in")
    return rule.values.every(value => other.values.includes(value));
  if (rule.kind === "not in" && other.kind === "not in")
    return other.values.every(value => rule.values.includes(value));
  if (!("value" in rule && "value" in other)) return false;
  if (rule.kind === "above" || rule.kind.startsWith("min")) return rule.value >= other.value;
  return (
    (rule.kind === "below" || rule.kind === "decimal places" || rule.kind.startsWith("max")) &&
    rule.value <= other.value
  );
}

import type { Change } from "../../../change/types.js";
import { describeChange } from "../../../change/words.js";
import { addressOf } from "../../../schema/address.js";
import { isObject, type SequenceDefinition } from "../../../schema/types.js";
import type { Block, RenderPlan } from "../../shared/render-plan.js";
import { quoteTable } from "../names.js";

/** Sequences that come or change stand before what counts by them, and go behind it: https://mariadb.com/kb/en/create-sequence/ */
export function sequenceBlocks({ changes }: RenderPlan, kinds: readonly Change["kind"][]): Block[] {
  return changes.flatMap((change): Block[] => {
    if (!kinds.includes(change.kind)) return [];
    const statements = sqlOf(change);
    return statements.length > 0 ? [{ title: describeChange(change), statements }] : [];
  });
}

function sqlOf(change: Change): string[] {
  switch (change.kind) {
    case "add definition":
      return isSequence(change.definition)
        ? [`CREATE SEQUENCE ${nameOf(change.definition)}${settingsSql(change.definition)}`]
        : [];
    case "alter definition":
      return isSequence(change.after)
        ? [`ALTER SEQUENCE ${nameOf(change.after)}${settingsSql(change.after, true)}`]
        : [];
    case "drop definition":
      return isSequence(change.definition) ? [`DROP SEQUENCE IF EXISTS ${nameOf(change.definition)}`] : [];
    default:
      return [];
  }
}

function isSequence(
  definition: Extract<Change, { readonly kind: "add definition" }>["definition"],
): definition is SequenceDefinition {
  return !isObject(definition) && definition.kind === "sequence";
}

function nameOf(sequence: SequenceDefinition): string {
  return quoteTable(addressOf(sequence));
}

/** @param all state those that are as usual, too */
function settingsSql({ settings = {} }: SequenceDefinition, all = false): string {
  const { increment, minimum, maximum, start, cache, cycle } = settings;
  const words = [
    say("INCREMENT BY", increment, all ? "INCREMENT BY 1" : ""),
    say("MINVALUE", minimum, all ? "NO MINVALUE" : ""),
    say("MAXVALUE", maximum, all ? "NO MAXVALUE" : ""),
    say("START WITH", start, all ? `START WITH ${usualStart(settings)}` : ""),
    say("CACHE", cache, all ? `CACHE ${USUAL_CACHE}` : ""),
    cycle ? "CYCLE" : all ? "NOCYCLE" : "",
  ];
  return words
    .filter(Boolean)
    .map(word => ` ${word}`)
    .join("");
}

function say(word: string, value: string | undefined, otherwise: string): string {
  return value === undefined ? otherwise : `${word} ${value}`;
}

/** How many numbers the server takes ahead where nobody says. */
export const USUAL_CACHE = "1000";

/** Where a sequence begins, where nobody says. */
function usualStart({
  increment = "1",
  minimum = "1",
  maximum = "-1",
}: Readonly<Record<string, string>>): string {
  return increment.startsWith("-") ? maximum : minimum;
}

/** What SHOW CREATE SEQUENCE says that is not as usual. */
export function readSettings(sql: string): Record<string, string> {
  const number = (word: string) => new RegExp(`\\b${word} (-?\\d+)`, "i").exec(sql)?.[1];
  const increment = number("increment by") ?? "1";
  const down = increment.startsWith("-");
  const [minimum, maximum] = [number("minvalue"), number("maxvalue")];
  const [lowest, highest] = down ? ["-9223372036854775807", "-1"] : ["1", "9223372036854775806"];
  const found = {
    ...(increment !== "1" && { increment }),
    ...(minimum !== undefined && minimum !== lowest && { minimum }),
    ...(maximum !== undefined && maximum !== highest && { maximum }),
  };
  const start = number("start with");
  const cache = /\bnocache\b/i.test(sql) ? "0" : number("cache");
  return {
    ...found,
    ...(start !== undefined && start !== usualStart(found) && { start }),
    ...(cache !== undefined && cache !== USUAL_CACHE && { cache }),
    ...(/(?<!no)\bcycle\b/i.test(sql) && { cycle: "yes" }),
  };
}

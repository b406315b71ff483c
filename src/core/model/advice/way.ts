import { closest, distance } from "fastest-levenshtein";
import { equal } from "../../schema/canonical.js";
import { showDataType } from "../../schema/data-type.js";
import type { Column, Schema } from "../../schema/types.js";
import { tablesByAddress } from "../../schema/address.js";
import { collectFindings, type Finding, type Report } from "../read/findings.js";
import type { ModelSchema } from "../read/model-schema.js";
import { wayTo, type JudgedColumn, type Start, type Way } from "../read/way.js";

/** What is still to be done of what models say of the way to them; findings: what was done, and what never can be. */
export function readWay(
  { said, schema }: ModelSchema,
  start: Start,
): Pick<Way, "hints"> & { readonly findings: readonly Finding[] } {
  const { findings, report } = collectFindings();
  const way = wayTo(said, start);
  reportWay(way, start.schema, schema, report);
  return { hints: way.hints, findings };
}

/**
 * What models say of the way to them that was done long ago, or can never be. What one entity has from a class that
 * others extend too, or embed, need only be true of one of them.
 */
function reportWay(way: Way, start: Schema, end: Schema, report: Report): void {
  reportTables(way, start, report);
  const wanted = tablesByAddress(end);
  const columns = way.columns.map(judged => {
    const { table, column } = judged.said;
    return { ...judged, wanted: wanted.get(table)?.columns.find(({ name }) => name === column) };
  });
  for (const judged of columns) reportDone(judged, report);
  const groups = new Map<string, Wanted[]>();
  for (const judged of columns)
    groups.set(judged.said.once, [...(groups.get(judged.said.once) ?? []), judged]);
  for (const group of groups.values()) reportIdle(group, report);
}

interface Wanted extends JudgedColumn {
  readonly wanted: Column | undefined;
}

function reportTables({ tables }: Way, start: Schema, report: Report): void {
  const there = [...tablesByAddress(start).keys()];
  for (const { said, done, rename, known } of tables) {
    const { entity, table, was, earlier } = said;
    if (done && !earlier.some(name => there.includes(name)))
      report("A313", { entity }, `That ${was} became ${table} is done`, "remove `was`");
    if (!done && rename === undefined && !known)
      report("E235", { entity }, `No table was ever called ${was}`, instead(was, there));
  }
}

function reportDone({ said, done, life, had, table, wanted }: Wanted, report: Report): void {
  const where = { entity: said.entity, property: said.property };
  const stands = said.earlier.some(name => table?.columns.some(each => each.name === name));
  if (done && !stands)
    report("A313", where, `That ${said.was} became ${said.column} is done`, "remove `was` from @Field");
  if (said.conversion && life?.converted && had && wanted && equal(had.type, wanted.type))
    report(
      "A313",
      where,
      `That ${said.column} became ${showDataType(wanted.type)} is done`,
      "remove `convert` and `convertBack` from @Field: they would be used again when its type changes next",
    );
}

function reportIdle(group: readonly Wanted[], report: Report): void {
  const [first] = group;
  if (!first) return;
  const { said, table } = first;
  const where = { entity: said.entity, property: said.property };
  if (
    said.was !== undefined &&
    group.every(({ done, rename, known }) => !done && rename === undefined && !known)
  )
    report(
      "E235",
      where,
      `${said.table} never had a column called ${said.was}`,
      instead(said.was, table?.columns.map(({ name }) => name) ?? []),
    );
  if (said.fill && group.every(isFillIdle))
    report("E236", where, `\`fill\` has nothing to do: ${whyFillIsIdle(first)}`, `remove it; ${BY_HAND}`);
  if (said.conversion && group.every(isConversionIdle))
    report(
      "E236",
      where,
      `\`convert\` has nothing to do: ${first.had ? `${said.column} is ${showDataType(first.had.type)} already` : `${said.column} is new`}`,
      `remove \`convert\` and \`convertBack\`; ${BY_HAND}`,
    );
}

const BY_HAND = "what rows hold is changed by a migration of your own, drafted blank";

/**
 * Rows get a value where a required column arrives in a table that is there, or where null is no longer allowed. In a
 * table that is new there are none: models that were written elsewhere may say it all the same.
 */
function isFillIdle({ said, table, had, life }: Wanted): boolean {
  if (said.nullable) return true;
  return table !== undefined && had !== undefined && !had.nullable && !life?.filled;
}

function whyFillIsIdle({ said }: Wanted): string {
  return said.nullable ? `${said.column} may be null` : `${said.column} is required already`;
}

function isConversionIdle({ had, wanted, life }: Wanted): boolean {
  return !had || !wanted || (equal(had.type, wanted.type) && !life?.converted);
}

/** Names that were never there are mostly misspelt. */
function instead(name: string, known: readonly string[]): string {
  const near = known.length > 0 ? closest(name, [...known]) : "";
  const isNear = near !== "" && distance(name, near) <= Math.max(2, near.length / 3);
  const names = known.length > 0 && known.length <= 12 ? `; there is ${known.join(", ")}` : "";
  return `${isNear ? `did you mean ${near}? Else remove` : "remove"} \`was\`${names}`;
}

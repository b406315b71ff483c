import type { Change } from "../../../change/types.js";
import { renameInPart } from "../../../change/rename.js";
import { addressOf } from "../../../schema/address.js";
import { columnsOfPart } from "../../../schema/lookups.js";
import { cutName } from "../../../schema/naming.js";
import { partsOf, type Column, type PartKind, type Parts, type Table } from "../../../schema/types.js";
import { expressionSql } from "../../../lower/expressions.js";
import { BECAME } from "../../shared/attic.js";
import { keptByTriggers } from "../../shared/kept-by-triggers.js";
import type { KeptValues } from "../../shared/kept.js";
import type { Block, RenderPlan } from "../../shared/render-plan.js";
import { attic } from "../attic.js";
import { NAME_LIMIT, quote, quoteBeside, quoteTable } from "../names.js";
import { castSql, isPlain } from "../retyping.js";
import { NAME, typeOf } from "../types.js";
import { alterTableSql } from "./clauses.js";
import { addColumnSql, defaultSql, fillSql } from "./columns.js";
import { renamesOf } from "./lift.js";
import { mirrorSql, ourFunction, triggerSql } from "./meanwhile.js";
import type { Steps } from "./steps.js";
import {
  attachUniqueSql,
  constraintSql,
  createIndexSql,
  dropIndexSql,
  indexOfUnique,
  notesSql,
  renamePartSql,
} from "./tables.js";
import { goesWithColumn, notYetValid, partsAbout, SPARE, spareName, type Beside } from "./beside.js";

/** The check that proves of a second column that it is never null: others are called after what they are to be. */
function proofOf({ after }: Beside): string {
  return cutName(`emberset_has_${after.name}`, NAME_LIMIT);
}

/** What must go before a second column does, where a run is taken back from the midst. */
export function unturnSql(table: Table, change: Change): string[] {
  const column = change.kind === "drop column" ? change.column.name : "";
  if (!column.startsWith(SPARE)) return [];
  const address = addressOf(table);
  const names = [ourFunction("turn", address), ourFunction("keep", address, column.slice(SPARE.length))];
  return names.map(name => `DROP FUNCTION IF EXISTS ${quoteBeside(table, name)}() CASCADE`);
}

/** All of it, table by table. */
export function changeBeside(steps: Steps): Block[] {
  const tables = [...new Set(steps.beside.map(({ table }) => table))];
  return tables.flatMap(address =>
    besideBlocks(
      steps,
      steps.now(address),
      steps.beside.filter(({ table }) => table === address),
    ),
  );
}

function besideBlocks(steps: Steps, now: Table, columns: readonly Beside[]): Block[] {
  const address = addressOf(now);
  const list = columns.map(({ after }) => `${address}.${after.name}`).join(", ");
  const kept = keptByTriggers(steps.plan, attic).filter(
    each => each.now === address && columns.some(({ after }) => after.name === each.change.after.name),
  );
  const first = quote(spareName(columns[0]!.after.name));
  const parts = partsAbout(
    now,
    columns.map(({ after }) => after.name),
  ).map(each => withSpareNames(each, now, columns));
  return [
    {
      title: `a second column beside ${list}, and what is written meanwhile in both`,
      statements: [
        ...columns.flatMap(change => secondColumnSql(change)),
        ...turningSql(now, columns),
        ...kept.flatMap(each => keepingSql(now, each)),
      ],
    },
    {
      title: `turn the values of ${list}: the trigger does, with each row that it is shown`,
      statements: [`UPDATE ${quoteTable(address)} SET ${first} = NULL WHERE ${first} IS NULL`],
    },
    ...provenParts(now, columns, parts),
    {
      // Without it queries are planned as if nothing were known of the column, until the server looks at it by itself.
      title: `let the server see what ${list} will hold`,
      statements: [`ANALYZE ${quoteTable(address)}`],
    },
    {
      title: `${list}: the second column takes its place`,
      statements: exchangeSql(steps, now, columns, kept, parts),
    },
  ];
}

/** Nothing is demanded of it yet, and no row is written to have it. */
function secondColumnSql({ table, after }: Beside): string[] {
  const { default: _, note: __, ...bare } = after;
  const column: Column = { ...bare, name: spareName(after.name), nullable: true };
  const { clauses, afterwards = [] } = addColumnSql({ kind: "add column", table, column });
  return [clauses, afterwards].filter(list => list.length > 0).map(list => alterTableSql(table, ...list));
}

/** What is written means the same whatever its session says of moments, numbers and bytes. */
const AS_OURS = [
  "SET TimeZone = 'UTC'",
  "SET DateStyle = 'ISO, YMD'",
  "SET IntervalStyle = 'postgres'",
  "SET bytea_output = 'hex'",
  "SET extra_float_digits = 1",
];

function turningSql(now: Table, columns: readonly Beside[]): string[] {
  const areAllPlain = columns.every(
    ({ before, after, convert }) => convert === undefined && isPlain(before, after),
  );
  const turned = columns.map(change => `NEW.${quote(spareName(change.after.name))} := ${turnedSql(change)};`);
  return triggerSql({
    ...{ table: now, name: ourFunction("turn", addressOf(now)), when: "BEFORE INSERT OR UPDATE" },
    means: [...(areAllPlain ? [] : AS_OURS), "SET search_path FROM CURRENT"],
    lines: [...turned, "RETURN NEW;"],
  });
}

/** What the value of a row that is written becomes. */
function turnedSql({ before, after, convert, fill }: Beside): string {
  const of = (name: string) => `NEW.${quote(name)}`;
  const turned =
    convert === undefined
      ? castSql(before, after, of(after.name))
      : `(${expressionSql(convert, NAME, of)})::${typeOf(after)}`;
  const isFilled = fill !== undefined && before.nullable && !after.nullable;
  return isFilled ? `coalesce(${turned}, ${fillSql(fill, "NEW.")})` : turned;
}

/** The attic has of each row what it holds last before the second column takes its place. */
function keepingSql(now: Table, { address: room, key, columns, change, by }: KeptValues): string[] {
  const { name } = change.after;
  return mirrorSql({
    ...{ table: now, name: ourFunction("keep", addressOf(now), name), room, key },
    values: [...columns.map(each => [each.name, name] as const), [BECAME, spareName(name)]],
    ...(by === "fill" && { only: `NEW.${quote(name)} IS NULL` }),
  });
}

interface SparePart {
  readonly kind: PartKind;
  /** As it is to be. */
  readonly part: Parts[PartKind];
  /** About the second columns, under a name of its own. */
  readonly spare: Parts[PartKind];
}

function withSpareNames(
  { kind, part }: Pick<SparePart, "kind" | "part">,
  now: Table,
  columns: readonly Beside[],
): SparePart {
  const address = addressOf(now);
  const besides = new Set(columns.map(({ after }) => after.name));
  const spare = renameInPart(kind, part, address, {
    table: each => each,
    column: (table, column) => (table === address && besides.has(column) ? spareName(column) : column),
  });
  return { kind, part, spare: { ...spare, name: spareName(part.name) } };
}

/** What is about the second columns is built and proven while others write. */
function provenParts(now: Table, columns: readonly Beside[], parts: readonly SparePart[]): Block[] {
  const address = addressOf(now);
  const required = columns.filter(({ after }) => !after.nullable);
  const stated = parts.filter(({ kind }) => kind === "check" || kind === "foreign key");
  const isProven = ({ spare: { options } }: SparePart) => options?.[NAME]?.["not valid"] === undefined;
  const proofs = [...required.map(proofOf), ...stated.filter(isProven).map(({ spare }) => spare.name)];
  const built = parts.flatMap(({ kind, spare }) => {
    if (kind === "index") return [createIndexSql(now, spare as Parts["index"], "CONCURRENTLY")];
    return kind === "unique"
      ? [createIndexSql(now, indexOfUnique(spare as Parts["unique"], spare.name), "CONCURRENTLY")]
      : [];
  });
  const said = [
    ...required.map(
      each =>
        `ADD CONSTRAINT ${quote(proofOf(each))} CHECK (${quote(spareName(each.after.name))} IS NOT NULL) NOT VALID`,
    ),
    ...stated.map(
      ({ kind, spare }) => `ADD ${notYetValid(constraintSql(kind as "check", spare as Parts["check"]))}`,
    ),
  ];
  return [
    ...(built.length > 0 ? [{ title: `indexes of what is beside them`, statements: built }] : []),
    ...(said.length > 0
      ? [{ title: `what holds of it from now on`, statements: [alterTableSql(address, ...said)] }]
      : []),
    ...(proofs.length > 0
      ? [
          {
            title: `prove it of the rows of ${address}`,
            statements: [alterTableSql(address, ...proofs.map(each => `VALIDATE CONSTRAINT ${quote(each)}`))],
          },
        ]
      : []),
  ];
}

/** One step, which takes no time: what is about the old column goes with it. */
function exchangeSql(
  { plan, was }: Steps,
  now: Table,
  columns: readonly Beside[],
  kept: readonly KeptValues[],
  parts: readonly SparePart[],
): string[] {
  const address = addressOf(now);
  const done = [
    ourFunction("turn", address),
    ...kept.map(({ change }) => ourFunction("keep", address, change.after.name)),
  ];
  const old = was(address);
  const oldNames = columns.map(({ after }) => after.name);
  const going = [
    ...partsAbout(old, oldNames).filter(({ part }) => !parts.some(each => each.part.name === part.name)),
    ...parts.flatMap(each => otherBefore(plan, { address, old, oldNames }, each)),
  ].filter(({ kind, part }) => !goesWithColumn(plan, old, columnsOfPart(kind, part)));
  const settled = columns.flatMap(({ after }): string[] => {
    const value = defaultSql(after);
    const column = `ALTER COLUMN ${quote(after.name)}`;
    return [
      ...(value === undefined ? [] : [`${column} SET DEFAULT ${value}`]),
      ...(after.nullable ? [] : [`${column} SET NOT NULL`]),
    ];
  });
  const proofs = columns.flatMap(each =>
    each.after.nullable ? [] : [`DROP CONSTRAINT ${quote(proofOf(each))}`],
  );
  return [
    ...done.map(name => `DROP FUNCTION ${quoteBeside(now, name)}() CASCADE`),
    ...going.map(({ kind, part }) => dropPartSql(now, kind, part)),
    alterTableSql(address, ...columns.map(({ after }) => `DROP COLUMN ${quote(after.name)}`)),
    ...columns.map(({ after: { name } }) =>
      alterTableSql(address, `RENAME COLUMN ${quote(spareName(name))} TO ${quote(name)}`),
    ),
    ...(settled.length > 0 ? [alterTableSql(address, ...settled)] : []),
    ...(proofs.length > 0 ? [alterTableSql(address, ...proofs)] : []),
    ...parts.map(({ kind, part, spare }) => takeNameSql(now, kind, part, spare.name)),
    ...notesSql(
      now,
      columns.flatMap(({ after }) => (after.note === undefined ? [] : [after])),
      false,
    ),
  ];
}

interface Old {
  readonly address: string;
  readonly old: Table;
  readonly oldNames: readonly string[];
}

/** What something takes the place of that is about other columns: it does not go with the old one. */
function otherBefore(
  { changes }: RenderPlan,
  { address, old, oldNames }: Old,
  { kind, part }: SparePart,
): Pick<SparePart, "kind" | "part">[] {
  const { from } = renamesOf(changes, address, kind, part.name);
  const before = partsOf(old, kind).find(({ name }) => name === from);
  const isNew = changes.some(
    each =>
      each.kind === "add part" &&
      each.table === address &&
      each.what === kind &&
      each.value.name === part.name,
  );
  const isAbout = before && columnsOfPart(kind, before).some(each => oldNames.includes(each));
  return !before || isNew || isAbout ? [] : [{ kind, part: before }];
}

function dropPartSql(now: Table, kind: PartKind, part: Parts[PartKind]): string {
  return kind === "index"
    ? dropIndexSql(now, part as Parts["index"])
    : alterTableSql(addressOf(now), `DROP CONSTRAINT ${quote(part.name)}`);
}

function takeNameSql(now: Table, kind: PartKind, part: Parts[PartKind], spare: string): string {
  if (kind !== "unique") return renamePartSql(now, kind, spare, part.name);
  return alterTableSql(addressOf(now), attachUniqueSql(part as Parts["unique"], spare));
}

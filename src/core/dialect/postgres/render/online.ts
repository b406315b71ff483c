import type { AddColumn, AddPart, AlterPart, Change, DropPart } from "../../../change/types.js";
import { describeChange } from "../../../change/words.js";
import { addressOf, tablesByAddress } from "../../../schema/address.js";
import { equal } from "../../../schema/canonical.js";
import { columnsOfPart } from "../../../schema/lookups.js";
import { isObject, type Definition, type Table } from "../../../schema/types.js";
import {
  keepFilledSql,
  keptByFilling,
  keptColumnsByTrigger,
  keptUnderLock,
} from "../../shared/kept-by-triggers.js";
import type { KeptValues } from "../../shared/kept.js";
import type { Block, Hindrance, RenderPlan } from "../../shared/render-plan.js";
import { attic } from "../attic.js";
import { quote, quoteBeside, quoteTable } from "../names.js";
import { awayMeanwhile } from "../../shared/away.js";
import { steps } from "../steps.js";
import { dimensionsOver, NAME } from "../types.js";
import { blockEach } from "./alterations.js";
import { apartBeside, notYetValid, rewrites, spareName, whyNotBeside } from "./beside.js";
import { alterTableSql, type Alteration } from "./clauses.js";
import { addColumnSql, alterColumnSql, defaultSql, fillSql } from "./columns.js";
import { isMadeAnew } from "./definitions.js";
import { withLifted } from "./lift.js";
import { ourFunction, triggerSql } from "./meanwhile.js";
import { isGenerated, ownedSequenceOf } from "./sequences.js";
import type { Steps } from "./steps.js";
import { attachUniqueSql, constraintSql, createIndexSql, dropIndexSql, indexOfUnique } from "./tables.js";

/**
 * What keeps writers waiting as long as a table has rows, however it is written: https://www.postgresql.org/docs/15/sql-altertable.html#SQL-ALTERTABLE-NOTES.
 * What the attic has of values is copied while nobody writes.
 * @param blocks its statements, online
 */
export function hindrancesIn(plan: RenderPlan, blocks: readonly Block[]): Hindrance[] {
  const changes = withLifted(apartBeside({ ...plan, online: true }).rest, plan.before, plan.after);
  const found = [
    ...changes.flatMap(change => {
      const reason = hindranceOf(change, plan);
      return reason === undefined ? [] : [{ what: describeChange(change), reason }];
    }),
    ...(keptUnderLock({ ...plan, online: true }, attic).attic?.kept ?? []).flatMap((kept): Hindrance[] => {
      if (kept.kind === "table")
        return attic.copies?.(kept.table, plan)
          ? [
              {
                what: `table ${addressOf(kept.table)}`,
                reason: "its rows are copied, and nobody may write meanwhile",
              },
            ]
          : [];
      const columns = kept.columns.map(({ name }) => `${addressOf(kept.table)}.${name}`).join(", ");
      const reason = "the attic keeps a copy of values, and nobody may write while they are copied";
      return [{ what: columns, reason }];
    }),
  ];
  if (found.length === 0) return awayMeanwhile(blocks, sql => steps.stepOf(sql).kind !== "quick");
  return found.filter(({ what }, at) => found.findIndex(each => each.what === what) === at);
}

const WRITTEN = "each row is written anew";

function hindranceOf(change: Change, plan: RenderPlan): string | undefined {
  switch (change.kind) {
    case "add column":
      if (change.column.computed) return `${WRITTEN} to work it out`;
      if (dimensionsOver(change.column, domainsOf(plan)) !== undefined) return `${WRITTEN} by its domain`;
      return isGenerated(change.column) || ownedSequenceOf(change.column)
        ? `${WRITTEN} to count it`
        : undefined;
    case "alter column": {
      if (!rewrites(change)) return undefined;
      const reason = whyNotBeside(change, plan);
      return `its values are stored otherwise: ${WRITTEN}${reason === undefined ? "" : `, since ${reason}`}`;
    }
    case "alter table": {
      const [was, now] = [change.before.options?.[NAME] ?? {}, change.after.options?.[NAME] ?? {}];
      return was["unlogged"] === now["unlogged"] && was["using"] === now["using"] ? undefined : WRITTEN;
    }
    case "alter definition": {
      const { before, after } = change;
      if (isObject(before) || isObject(after)) return undefined;
      if (isMadeAnew(before, after, plan)) return `the columns of this type change theirs: ${WRITTEN}`;
      if (before.kind !== "domain" || after.kind !== "domain") return undefined;
      const isStricter =
        (before.nullable && !after.nullable) ||
        after.checks.some(check => !before.checks.some(each => equal(each, check)));
      return isStricter ? "all columns of it are read under a lock" : undefined;
    }
    case "add part":
    case "alter part":
      return change.what === "key" ? "rows are told by another key, which is built under a lock" : undefined;
    default:
      return undefined;
  }
}

function domainsOf({ after: { definitions = [] } }: RenderPlan): Definition[] {
  return definitions.filter(({ kind }) => kind === "domain");
}

/** What arrives at a table that stays, or changes of it; undefined: it comes by another phase. */
export function arriveOnline(change: Change): Alteration | undefined {
  switch (change.kind) {
    case "add column": {
      const { table, column } = change;
      const late = filledLate(change);
      if (late === undefined) return { table, ...addColumnSql(change) };
      const { default: _, ...bare } = column;
      const { fill: __, ...unfilled } = change;
      const value = defaultSql(column);
      const whole = addColumnSql({ ...unfilled, column: { ...bare, nullable: true } });
      const set = value === undefined ? [] : [`ALTER COLUMN ${quote(column.name)} SET DEFAULT ${value}`];
      return { table, ...whole, afterwards: [...set, ...(whole.afterwards ?? [])] };
    }
    case "alter column": {
      const { fill: _, ...unfilled } = change;
      const nullable = change.before.nullable || change.after.nullable;
      return {
        table: change.table,
        ...alterColumnSql({ ...unfilled, after: { ...change.after, nullable } }),
      };
    }
    case "add part":
    case "alter part": {
      if (change.what !== "check") return undefined;
      const check = change.kind === "add part" ? change.value : change.after;
      const gone = change.kind === "alter part" ? [`DROP CONSTRAINT ${quote(change.before.name)}`] : [];
      return {
        table: change.table,
        first: gone,
        clauses: [`ADD ${notYetValid(constraintSql("check", check))}`],
      };
    }
    default:
      return undefined;
  }
}

/** What rows get in a column that arrives, where each is given its own; undefined: all get the same, which costs no pass. */
function filledLate({ column, fill }: AddColumn): string | undefined {
  const value = fill && !column.nullable ? fillSql(fill) : defaultSql(column);
  return value === undefined || SAME_FOR_ALL.test(value) ? undefined : value;
}

/** Literals, and the moment of the transaction. */
const SAME_FOR_ALL =
  /^\(*(?:E?'(?:[^']|'')*'|[-+]?\d+(?:\.\d+)?|true|false|null|now\(\)|current_(?:timestamp|date)|localtimestamp)(?:\(\d+\))?\)*(?:::[\w ]+(?:\([\d, ]+\))?(?:\[\])*)*\)*$/i;

/** The statements of an index that arrives or changes, built while others write: the old one serves until it does. */
export function indexOnline(change: AddPart<"index"> | AlterPart<"index">, table: Table): string[] {
  if (change.kind === "add part") return [createIndexSql(table, change.value, "CONCURRENTLY")];
  const { before, after } = change;
  const spare = { ...after, name: spareName(after.name) };
  return [
    createIndexSql(table, spare, "CONCURRENTLY"),
    dropIndexSql(table, before, "CONCURRENTLY"),
    `ALTER INDEX ${quoteBeside(table, spare.name)} RENAME TO ${quote(after.name)}`,
  ];
}

/**
 * Indexes that go, when what comes in their place is there; before all else where a column of theirs goes, which would take
 * them along, or their name is wanted.
 */
export function dropIndexesOnline(
  { changes, names, was }: Pick<Steps, "changes" | "names" | "was">,
  when: "early" | "late",
): Block[] {
  const others = JSON.stringify(changes.filter(({ kind }) => kind !== "drop part"));
  return blockEach(changes, change => {
    if (change.kind !== "drop part" || change.what !== "index") return [];
    const { table, value } = change;
    const columns = columnsOfPart("index", value);
    const losesColumn = changes.some(
      each => each.kind === "drop column" && each.table === table && columns.includes(each.column.name),
    );
    const isEarly =
      losesColumn || names.after(table) !== table || others.includes(JSON.stringify(value.name));
    return isEarly === (when === "early") ? [dropIndexSql(was(table), value, "CONCURRENTLY")] : [];
  });
}

/** The same of a unique constraint: what is unique stays so all along. */
export function uniqueOnline(change: AddPart<"unique"> | AlterPart<"unique">, table: Table): string[] {
  const isNew = change.kind === "add part";
  const after = isNew ? change.value : change.after;
  const index = indexOfUnique(after, isNew ? after.name : spareName(after.name));
  const attach = attachUniqueSql(after, index.name);
  const gone = isNew ? [] : [`DROP CONSTRAINT ${quote(after.name)}`];
  return [createIndexSql(table, index, "CONCURRENTLY"), alterTableSql(addressOf(table), ...gone, attach)];
}

/** References that change, each with what it takes the place of in one statement: it holds all along. */
export function exchangedReferences({
  changes,
  names,
}: Pick<Steps, "changes" | "names">): ReadonlyMap<Change, DropPart> {
  const drops = changes.filter(
    (change): change is DropPart<"foreign key"> =>
      change.kind === "drop part" && change.what === "foreign key",
  );
  const places = (table: string, columns: readonly string[]) => ({
    table: names.after(table),
    columns: columns.map(column => names.after(table, column)),
  });
  const gone = new Set(
    changes.flatMap(change => {
      if (change.kind === "drop table") return [addressOf(change.table)];
      return change.kind === "drop column" ? [JSON.stringify([change.table, change.column.name])] : [];
    }),
  );
  // Another may have the name of what goes.
  const stays = (table: string, columns: readonly string[]) =>
    !gone.has(table) && !columns.some(column => gone.has(JSON.stringify([table, column])));
  // An old reference would be in the way of what it refers to.
  const losesKey = (address: string) =>
    changes.some(
      change =>
        (change.kind === "drop part" || change.kind === "alter part") &&
        (change.what === "key" || change.what === "unique") &&
        names.after(change.table) === address,
    );
  const found = new Map<Change, DropPart>();
  for (const change of changes) {
    if (change.kind !== "add part" || change.what !== "foreign key") continue;
    const { table, value } = change;
    const { columns, references } = value;
    const old = losesKey(references.table)
      ? undefined
      : drops.find(
          drop =>
            stays(drop.table, drop.value.columns) &&
            stays(drop.value.references.table, drop.value.references.columns) &&
            equal(places(drop.table, drop.value.columns), { table, columns }) &&
            equal(places(drop.value.references.table, drop.value.references.columns), references),
        );
    if (!old) continue;
    drops.splice(drops.indexOf(old), 1);
    found.set(change, old);
  }
  return found;
}

/** A reference that arrives, or takes the place of another. */
export function referenceOnline(
  { table, value }: AddPart<"foreign key">,
  instead: DropPart | undefined,
): Alteration {
  return {
    table,
    first: instead ? [`DROP CONSTRAINT ${quote(instead.value.name)}`] : [],
    clauses: [`ADD ${notYetValid(constraintSql("foreign key", value))}`],
  };
}

/**
 * What rows that are there lack is filled, and meanwhile what is written without it: a row that lacks something when it is
 * demanded could not be written to any more. Then it is proven of all rows what holds of new ones already, and the server
 * takes it for granted. Nobody waits for any of it: https://www.postgresql.org/docs/15/sql-altertable.html#SQL-ALTERTABLE-NOTES
 */
export function proveOnline({ changes, now, plan }: Pick<Steps, "changes" | "now" | "plan">): Block[] {
  const demands = changes.flatMap(demandOf);
  const kept = keptByFilling(plan);
  const keptOf = ({ table, name }: Demand) =>
    kept.find(each => each.now === table && each.change.after.name === name);
  const filled = demands.filter(({ fill }) => fill !== undefined);
  const required = byTable(demands.filter(each => each.required));
  const proofs = byTable([...demands.filter(each => each.required), ...unproven(changes)]);
  const holds = ({ name }: Demand) =>
    `ADD CONSTRAINT ${quote(spareName(name))} CHECK (${quote(name)} IS NOT NULL) NOT VALID`;
  return [
    ...filled.map(demand => ({
      title: `fill ${listOf([demand])}, and what is written without it meanwhile`,
      statements: fillSteps(demand, now(demand.table), keptOf(demand)),
    })),
    ...required.map(([table, list]) => ({
      title: `no row is written any more without ${listOf(list)}`,
      statements: [alterTableSql(table, ...list.map(holds))],
    })),
    ...proofs.map(([table, list]) => ({
      title: `prove of the rows of ${table} what holds of new ones already`,
      statements: [alterTableSql(table, ...list.map(({ proof }) => `VALIDATE CONSTRAINT ${quote(proof)}`))],
    })),
    ...required.map(([table, list]) => ({
      title: `required, as is proven: ${listOf(list)}`,
      statements: [
        alterTableSql(table, ...list.map(({ name }) => `ALTER COLUMN ${quote(name)} SET NOT NULL`)),
        alterTableSql(table, ...list.map(({ proof }) => `DROP CONSTRAINT ${quote(proof)}`)),
      ],
    })),
    ...filled.map(demand => ({
      title: `fill ${listOf([demand])} no more`,
      statements: [`DROP FUNCTION ${fillerOf(demand, now(demand.table))}() CASCADE`],
    })),
  ];
}

/** What a run that stopped may leave behind, and no schema tells. */
export function tidyOnline(plan: RenderPlan): string[] {
  const tables = tablesByAddress(plan.after);
  const mirrors = keptColumnsByTrigger(plan, attic).map(
    ({ table }) =>
      `DROP FUNCTION IF EXISTS ${quoteBeside(table, ourFunction("keep", addressOf(table)))}() CASCADE`,
  );
  const fillers = withLifted(plan.changes, plan.before, plan.after)
    .flatMap(demandOf)
    .flatMap(demand => {
      const table = tables.get(demand.table);
      const isFilled = table && demand.fill !== undefined;
      return isFilled ? [`DROP FUNCTION IF EXISTS ${fillerOf(demand, table)}() CASCADE`] : [];
    });
  return [...mirrors, ...fillers];
}

/** The function that fills what is written meanwhile; its trigger goes with it. */
function fillerOf({ table, name }: Demand, beside: Table): string {
  return quoteBeside(beside, ourFunction("fill", table, name));
}

/** @param kept what the attic is to have of it: the trigger, which whoever writes has the right to, keeps it with each row */
function fillSteps(demand: Demand, beside: Table, kept: KeptValues | undefined): string[] {
  const { table, name, fill = "NULL", filling = fill } = demand;
  const column = quote(name);
  const keep = kept && [
    `  IF TG_OP = 'UPDATE' AND OLD.${column} IS NULL THEN`,
    `    ${keepFilledSql(kept, name, attic)};`,
    "  END IF;",
  ];
  return [
    ...triggerSql({
      ...{ table: beside, name: ourFunction("fill", table, name), when: "BEFORE INSERT OR UPDATE" },
      ...(keep && { means: ["SECURITY DEFINER", "SET search_path FROM CURRENT"] }),
      lines: [
        `IF NEW.${column} IS NULL THEN`,
        `  NEW.${column} := ${filling};`,
        ...(keep ?? []),
        "END IF;",
        "RETURN NEW;",
      ],
    }),
    `UPDATE ${quoteTable(table)} SET ${column} = ${kept ? "NULL" : fill} WHERE ${column} IS NULL`,
  ];
}

/** Something that is said of all rows of a table, and the constraint that proves it. */
interface Proof {
  readonly table: string;
  readonly proof: string;
}

/** A column that is filled, or becomes required, once all else is done. */
interface Demand extends Proof {
  readonly name: string;
  readonly fill: string | undefined;
  /** The same in a trigger, of the row that is written. */
  readonly filling?: string;
  readonly required: boolean;
}

function demandOf(change: Change): Demand[] {
  if (change.kind === "alter column") {
    if (!change.before.nullable || change.after.nullable) return [];
    const { table, after, fill } = change;
    const values = fill ? { fill: fillSql(fill), filling: fillSql(fill, "NEW.") } : { fill: undefined };
    return [{ table, name: after.name, proof: spareName(after.name), required: true, ...values }];
  }
  const fill = change.kind === "add column" ? filledLate(change) : undefined;
  if (change.kind !== "add column" || fill === undefined) return [];
  const { table, column } = change;
  const { name, nullable } = column;
  const filling = change.fill && !nullable ? fillSql(change.fill, "NEW.") : fill;
  return [{ table, name, proof: spareName(name), fill, filling, required: !nullable }];
}

/** Checks and references that hold for new rows only, so far. */
function unproven(changes: readonly Change[]): Proof[] {
  const arriving = new Set(
    changes.flatMap(change => (change.kind === "add table" ? [addressOf(change.table)] : [])),
  );
  return changes.flatMap((change): Proof[] => {
    if (change.kind !== "add part" && change.kind !== "alter part") return [];
    if (change.what !== "check" && change.what !== "foreign key") return [];
    const { name, options } = change.kind === "add part" ? change.value : change.after;
    const stays = options?.[NAME]?.["not valid"] !== undefined;
    return stays || arriving.has(change.table) ? [] : [{ table: change.table, proof: name }];
  });
}

function byTable<P extends Proof>(list: readonly P[]): [table: string, own: P[]][] {
  const found = new Map<string, P[]>();
  for (const each of list) found.set(each.table, [...(found.get(each.table) ?? []), each]);
  return [...found];
}

function listOf(list: readonly Demand[]): string {
  return list.map(({ table, name }) => `${table}.${name}`).join(", ");
}

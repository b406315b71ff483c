import type { Action } from "../../modelling/facts.js";
import { namesThrough } from "../change/names.js";
import { tableOf, type Change } from "../change/types.js";
import { sayChange } from "../change/words.js";
import { addressOf } from "../schema/address.js";
import type { Chart, ChartRow } from "./chart.js";

/** What the page knows of a chart beyond its drawing; read by src/page/client.ts. */
export interface PageData {
  readonly title: string;
  readonly tables: readonly PageTable[];
  /** From the first migration to the newest; what the models have beyond it comes last. */
  readonly steps: readonly PageStep[];
}

export interface PageTable {
  readonly address: string;
  readonly entity?: string;
  readonly group?: string;
  readonly note?: string;
  readonly rows: readonly ChartRow[];
  readonly rules: readonly string[];
  readonly referredBy: readonly PageReference[];
  /** What makes it, by the title of a dialect. */
  readonly sql: Readonly<Record<string, string>>;
}

export interface PageReference {
  readonly table: string;
  readonly columns: readonly string[];
  readonly onDelete?: Action;
}

export interface PageStep {
  readonly name: string;
  readonly title: string;
  readonly changes: readonly PageChange[];
}

/** By the names of today. */
export interface PageChange {
  readonly table: string;
  readonly words: string;
  /** "": the table itself arrives; else a column does. */
  readonly arrives?: string;
}

export interface Step {
  readonly name: string;
  readonly title: string;
  readonly changes: readonly Change[];
}

/** @param sqlOf what makes a table, by the title of a dialect */
export function pageData(
  title: string,
  chart: Chart,
  steps: readonly Step[],
  sqlOf: (address: string) => Readonly<Record<string, string>>,
): PageData {
  const there = new Set(chart.tables.map(({ address }) => address));
  return {
    title,
    tables: chart.tables.map(({ address, entity, group, note, rows, rules }) => ({
      address,
      ...(entity !== undefined && { entity }),
      ...(group !== undefined && { group }),
      ...(note !== undefined && { note }),
      ...{ rows, rules },
      referredBy: chart.links
        .filter(({ to }) => to === address)
        .map(({ from, columns, pair, onDelete }) => ({
          table: pair ?? from,
          columns,
          ...(onDelete !== undefined && { onDelete }),
        })),
      sql: sqlOf(address),
    })),
    steps: stepsByNow(steps).map(step => ({
      ...step,
      changes: step.changes.filter(({ table }) => there.has(table)),
    })),
  };
}

/** What each step changed, by the names that tables and columns have at the end of all of them. */
function stepsByNow(steps: readonly Step[]): PageStep[] {
  const result: PageStep[] = [];
  let later: readonly Change[] = [];
  for (const { name, title, changes } of [...steps].reverse()) {
    const own: PageChange[] = [];
    for (let at = changes.length - 1; at >= 0; at -= 1) {
      const change = changes[at]!;
      later = [change, ...later];
      // A change of constraints moves no name: what came after it is followed once for all of these.
      const table = tableOf(change);
      if (table === undefined) continue;
      const names = namesThrough(later.slice(1));
      const now = names.after(change.kind === "rename table" ? change.to : table);
      const column = change.kind === "add column" ? names.after(table, change.column.name) : undefined;
      own.unshift({
        table: now,
        words: sayChange(change),
        ...(change.kind === "add table" && addressOf(change.table) === table && { arrives: "" }),
        ...(column !== undefined && { arrives: column }),
      });
    }
    result.unshift({ name, title, changes: own });
  }
  return result;
}

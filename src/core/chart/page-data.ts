import type { Action } from "../../modelling/facts.js";
import { namesThrough } from "../change/names.js";
import { isOfDefinition, tableOf, type Change } from "../change/types.js";
import { sayChange } from "../change/words.js";
import { addressOf } from "../schema/address.js";
import type { RoleAccess } from "./access.js";
import type { Chart, ChartRow } from "./types.js";

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
  /** Views made of it, and what it is made of itself. */
  readonly readBy?: readonly string[];
  readonly reads?: readonly string[];
  /** What roles may do with it. */
  readonly access?: readonly RoleAccess[];
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

/** @param sqlOf what makes a table, by the title of a dialect @param accessOf what roles may do with it */
export function pageData(
  title: string,
  chart: Chart,
  steps: readonly Step[],
  sqlOf: (address: string) => Readonly<Record<string, string>>,
  accessOf: (address: string) => readonly RoleAccess[],
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
        .filter(({ to, reads }) => to === address && !reads)
        .map(({ from, columns, pair, onDelete }) => ({
          table: pair ?? from,
          columns,
          ...(onDelete !== undefined && { onDelete }),
        })),
      ...listed(
        "readBy",
        chart.links.filter(({ to, reads }) => reads && to === address).map(({ from }) => from),
      ),
      ...listed(
        "reads",
        chart.links.filter(({ from, reads }) => reads && from === address).map(({ to }) => to),
      ),
      ...(accessOf(address).length > 0 && { access: accessOf(address) }),
      sql: sqlOf(address),
    })),
    steps: stepsByNow(steps).map(step => ({
      ...step,
      changes: step.changes.filter(({ table }) => there.has(table)),
    })),
  };
}

function listed(name: "reads" | "readBy", list: readonly string[]): Partial<PageTable> {
  return list.length > 0 ? { [name]: list } : {};
}

/** What each step changed, by the names that tables and columns have at the end of all of them. */
function stepsByNow(steps: readonly Step[]): PageStep[] {
  const result: PageStep[] = [];
  let later: readonly Change[] = [];
  for (const { name, title, changes } of [...steps].reverse()) {
    const afterwards = namesThrough(later);
    const own = changes.flatMap((change, at): PageChange[] => {
      const table = tableOf(change);
      if (isOfDefinition(change)) {
        const definition = "after" in change ? change.after : change.definition;
        const arrives = change.kind === "add definition" ? { arrives: "" } : {};
        return [{ table: addressOf(definition), words: sayChange(change), ...arrives }];
      }
      if (table === undefined) return [];
      const within = namesThrough(changes.slice(at + 1));
      const then = within.after(change.kind === "rename table" ? change.to : table);
      const column = change.kind === "add column" ? within.after(table, change.column.name) : undefined;
      const arrives = change.kind === "add table" ? "" : column && afterwards.after(then, column);
      return [
        {
          table: afterwards.after(then),
          words: sayChange(change),
          ...(arrives !== undefined && { arrives }),
        },
      ];
    });
    later = [...changes, ...later];
    result.unshift({ name, title, changes: own });
  }
  return result;
}

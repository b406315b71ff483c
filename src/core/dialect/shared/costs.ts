import { namesThrough } from "../../change/names.js";
import { addressOf, quoteAddress } from "../../schema/address.js";
import type { RenderPlan } from "./render-plan.js";

/** What a change costs that takes as long as a table has rows. */
export interface Cost {
  /** The table's address before the changes. */
  readonly table: string;
  /** Whether each row is written anew, or only read. */
  readonly work: "read" | "written";
  /** Who cannot use the table meanwhile. */
  readonly waits: "nobody" | "writers" | "everyone";
}

const WORKS = ["read", "written"] as const satisfies readonly Cost["work"][];
const WAITS = ["nobody", "writers", "everyone"] as const satisfies readonly Cost["waits"][];

/** Of each table the most that any of some costs come to, in the order of the tables. */
export function together(costs: readonly Cost[]): Cost[] {
  const found = new Map<string, Cost>();
  for (const cost of costs) {
    const known = found.get(cost.table) ?? cost;
    found.set(cost.table, {
      table: cost.table,
      work: WORKS[Math.max(WORKS.indexOf(known.work), WORKS.indexOf(cost.work))]!,
      waits: WAITS[Math.max(WAITS.indexOf(known.waits), WAITS.indexOf(cost.waits))]!,
    });
  }
  return [...found.values()];
}

/**
 * Tables that were there before a plan, by what stands for them in its statements: most of what costs something comes when
 * all have their names. Those that arrive cost nothing.
 */
export function tablesByName(
  { before, after, changes }: RenderPlan,
  quote: (name: string) => string,
): ReadonlyMap<string, string> {
  const names = namesThrough(changes);
  const old = before.tables.map(addressOf);
  const now = after.tables.map(addressOf);
  return new Map([
    ...old.map(address => [quoteAddress(address, quote), address] as const),
    ...now.map(address => {
      const was = names.arrives(address) ? "" : names.before(address);
      return [quoteAddress(address, quote), old.includes(was) ? was : ""] as const;
    }),
  ]);
}

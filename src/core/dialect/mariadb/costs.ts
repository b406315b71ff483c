import { tablesByName, together, type Cost } from "../shared/costs.js";
import type { Block, RenderPlan } from "../shared/render-plan.js";
import { quote } from "./names.js";

/** A name in quotes, as statements begin with it. */
const NAMED = "(`(?:[^`]|``)+`)";
const ALTER = new RegExp(`^ALTER TABLE ${NAMED}\\s`);
/** Asks of the rows that are there whether they keep to a reference. */
const ASKS = new RegExp(`^SET @emberset_astray = [^\`]* FROM ${NAMED} `);
const UPDATE = new RegExp(`^UPDATE ${NAMED} `);

/** By how each ALTER TABLE is to be done; while a table is locked nobody else uses it. */
export function costsOf(plan: RenderPlan, blocks: readonly Block[]): Cost[] {
  const tables = tablesByName(plan, quote);
  let locked = "";
  const costs = blocks
    .flatMap(({ statements }) => statements)
    .flatMap((sql): Cost[] => {
      if (/^(?:UN)?LOCK TABLES/.test(sql)) locked = sql;
      const name = (ALTER.exec(sql) ?? UPDATE.exec(sql) ?? ASKS.exec(sql))?.[1] ?? "";
      const table = tables.get(name) ?? "";
      const work = workOf(sql);
      if (table === "" || work === undefined) return [];
      const isLocked = locked.startsWith("LOCK") && locked.includes(`${name} WRITE`);
      const isShared = ASKS.test(sql) || / ALGORITHM=(?:NOCOPY|INPLACE)/.test(sql);
      return [{ table, work, waits: isLocked ? "everyone" : isShared ? "nobody" : "writers" }];
    });
  return together(costs);
}

/** undefined: however many there are. */
function workOf(sql: string): Cost["work"] | undefined {
  if (/ ALGORITHM=INSTANT/.test(sql)) return undefined;
  if (ASKS.test(sql)) return "read";
  if (!/ ALGORITHM=NOCOPY/.test(sql)) return "written";
  return /\bADD (?:INDEX|CONSTRAINT `(?:[^`]|``)+` UNIQUE) /.test(sql) ? "read" : undefined;
}

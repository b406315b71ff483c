import { BECAME } from "../shared/attic.js";
import { indexesOf, tablesByName, type Cost } from "../shared/costs.js";
import type { Schema } from "../../schema/types.js";
import type { Depending } from "../shared/dialect.js";
import type { Block, RenderPlan } from "../shared/render-plan.js";
import { quote } from "./names.js";
import { NAME } from "./types.js";

/** A name in quotes, as statements begin with it. */
const NAMED = "(`(?:[^`]|``)+`)";
const ALTER = new RegExp(`^ALTER TABLE ${NAMED}\\s`);
/** Asks of the rows that are there whether they keep to a reference. */
const ASKS = new RegExp(`^SET @emberset_astray = [^\`]* FROM ${NAMED} `);
const UPDATE = new RegExp(`^UPDATE ${NAMED} `);

/** What goes into the attic, and what values have become by then. */
const COPY = new RegExp(`^INSERT INTO ${NAMED} SELECT [^]*? FROM ${NAMED}(?: WHERE |$)`);
/** Of a copy: of what does not fit alone, which is little where nothing is in the way. */
const MISFITS = / WHERE (?!`(?:[^`]|``)+` IS NULL\b)/;
/** A copy in pieces, while others write. */
const MIRROR = new RegExp(`^REPLACE INTO ${NAMED} [^]*? FROM ${NAMED} LOCK IN SHARE MODE$`);
const BECOMES = new RegExp(`^UPDATE ${NAMED} JOIN ${NAMED} ON [^]*${BECAME}`);

/**
 * How many bytes a character of a text takes, and by that whether a longer one still fits its place, is the database's to say
 * where nothing else does: https://mariadb.com/kb/en/setting-character-sets-and-collations/#database-level
 */
export const depending: Depending = {
  query: "SELECT @@collation_database AS collation",
  asThere: (plan, [row]) => {
    const collation = String(row?.["collation"]);
    const said = ({ tables, ...rest }: Schema): Schema => ({
      ...rest,
      tables: tables.map(table => {
        const own = { collation, ...table.options?.[NAME] };
        return { ...table, options: { ...table.options, [NAME]: own } };
      }),
    });
    return { ...plan, before: said(plan.before), after: said(plan.after) };
  },
};

/** By how each ALTER TABLE is to be done; while a table is locked nobody else uses it. */
export function costsOf(plan: RenderPlan, blocks: readonly Block[]): Cost[] {
  const tables = tablesByName(plan, quote);
  let locked = "";
  const few = new Set<string>();
  return blocks
    .flatMap(({ statements }) => statements)
    .flatMap((sql): Cost[] => {
      if (/^(?:UN)?LOCK TABLES/.test(sql)) locked = sql;
      const copied = COPY.exec(sql);
      if (copied && MISFITS.test(sql)) few.add(copied[1]!);
      const kept = copied ?? MIRROR.exec(sql) ?? BECOMES.exec(sql);
      if (kept && BECOMES.test(sql) && few.has(kept[1]!)) return [];
      const name = kept?.[2] ?? (ALTER.exec(sql) ?? UPDATE.exec(sql) ?? ASKS.exec(sql))?.[1] ?? "";
      const table = tables.get(name) ?? "";
      const work = workOf(sql);
      if (table === "" || work === undefined) return [];
      const isLocked = locked.startsWith("LOCK") && locked.includes(`${name} WRITE`);
      const inPieces = plan.online === true && (UPDATE.test(sql) || MIRROR.test(sql));
      const isShared = ASKS.test(sql) || inPieces || / ALGORITHM=(?:NOCOPY|INPLACE)/.test(sql);
      const waits = isLocked ? "everyone" : isShared ? "nobody" : "writers";
      const lock = isLocked
        ? "LOCK TABLES … WRITE"
        : UPDATE.test(sql) || MIRROR.test(sql)
          ? "rows"
          : isShared
            ? "LOCK=NONE"
            : "LOCK=SHARED";
      return [{ table, work, waits, lock, sql, readings: readingsOf(sql, work, indexesOf(plan, table)) }];
    });
}

/** By measuring each on tables of a million rows (`bench/kinds.mjs`). */
function readingsOf(sql: string, work: Cost["work"], indexes: number): number {
  if (ASKS.test(sql)) return 0.6;
  if (COPY.test(sql)) return MISFITS.test(sql) ? 0.6 : 1.8;
  if (MIRROR.test(sql)) return 4;
  if (BECOMES.test(sql)) return 5;
  if (UPDATE.test(sql)) return 2 + 0.4 * indexes;
  if (work === "read") return 0.5;
  return / ALGORITHM=INPLACE/.test(sql) ? 0.7 + 0.3 * indexes : 1.3 + 0.4 * indexes;
}

/** undefined: however many there are. */
function workOf(sql: string): Cost["work"] | undefined {
  if (/ ALGORITHM=INSTANT/.test(sql)) return undefined;
  if ([ASKS, COPY, MIRROR, BECOMES].some(each => each.test(sql))) return "read";
  if (!/ ALGORITHM=NOCOPY/.test(sql)) return "written";
  return /\bADD (?:INDEX|CONSTRAINT `(?:[^`]|``)+` UNIQUE) /.test(sql) ? "read" : undefined;
}

import {
  REBUILD_END,
  REBUILD_START,
  RESTATE_END,
  RESTATE_START,
} from "../../core/dialect/sqlite/render/tables.js";
import type { Statement } from "../../core/sql/statements.js";
import { Breakage, Unsure, type Database, type Watch } from "../session/database.js";

/** What is known before a script runs. */
export interface About {
  /** Whether it is just as it was drafted. */
  readonly drafted: boolean;
  /** Note what refers to nothing already, which takes a pass over all that refers to anything. */
  readonly careful: boolean;
  /** The tables that unique indexes are on, by the index's name in small letters. */
  readonly tableOf: ReadonlyMap<string, string>;
}

/**
 * References are not enforced while a script runs; afterwards the rows are looked at that may refer to nothing now, and no
 * others: a pass over all takes seconds for a million rows, and most changes of a schema touch neither a row nor a reference.
 */
export async function watchReferences(
  database: Database,
  statements: readonly Statement[],
  { drafted, careful, tableOf }: About,
): Promise<Required<Pick<Watch, "before" | "inspect">>> {
  const suspects = suspectsOf(statements, tableOf);
  // By which name a table is known in the end is left to the engine.
  const isRenamed = statements.some(({ sql }, at) => RENAMES.test(sql) && suspects[at] === NOBODY);
  const isAll = suspects.some(
    ({ who }) => who === "all" || (who === "said anew" ? !drafted : who !== "nobody" && isRenamed),
  );
  const suspectOf = new Map(statements.map((statement, at) => [statement, suspects[at]]));
  const before = careful ? afterRenames(await danglingReferences(database), statements) : undefined;
  const said = new Map<string, Said>();

  /** The tables whose rows may refer to nothing. */
  const children = async (): Promise<string[]> => {
    const found = new Set<string>();
    const keysGone = new Set<string>();
    for (const { who, table } of suspects) {
      if (who === "its rows") found.add(table);
      if (who === "those that refer to it") keysGone.add(table.toLowerCase());
    }
    for (const [table, was] of said) {
      const now = await readSaid(database, table);
      if (now.references.some(each => !was.references.includes(each))) found.add(table);
      if (was.keys.some(each => !now.keys.includes(each))) keysGone.add(table.toLowerCase());
    }
    const referring = keysGone.size > 0 ? await readReferring(database) : [];
    for (const { child, parent } of referring) if (keysGone.has(parent.toLowerCase())) found.add(child);
    return [...found];
  };

  return {
    before: async statement => {
      const suspect = suspectOf.get(statement);
      if (isAll || suspect?.who !== "said anew" || said.has(suspect.table)) return;
      said.set(suspect.table, await readSaid(database, suspect.table));
    },
    inspect: async () => {
      const now = await danglingReferences(database, isAll ? undefined : await children());
      if (now.length > 0 && !before) throw new Unsure("references dangle");
      const fresh = now.filter(
        ({ child, parent, rows }) =>
          rows > (before?.find(each => each.child === child && each.parent === parent)?.rows ?? 0),
      );
      if (fresh.length === 0) return;
      throw new Breakage(
        "references",
        fresh.map(({ child, parent, rows }) => `${child} → ${parent}: ${rows} row${rows === 1 ? "" : "s"}`),
        "rows refer to nothing",
      );
    },
  };
}

/** Whose rows a statement may leave without what they refer to. */
interface Suspect {
  readonly who: "all" | "its rows" | "those that refer to it" | "said anew" | "nobody";
  readonly table: string;
}

const ALL: Suspect = { who: "all", table: "" };
const NOBODY: Suspect = { who: "nobody", table: "" };

const NAMED = String.raw`("(?:[^"]|"")+"|\w+)`;
const MAKES = /^create\s+(?:unique\s+)?(?:table|index|trigger|view)\b/i;
const ALTERS = new RegExp(String.raw`^alter\s+table\s+${NAMED}\s+(add|rename\s+to|rename|drop)\b`, "i");
const RENAMES = new RegExp(String.raw`^alter\s+table\s+${NAMED}\s+rename\s+to\s+${NAMED}$`, "i");
const DROPS = new RegExp(String.raw`^drop\s+(table|index|trigger|view)\s+(?:if\s+exists\s+)?${NAMED}$`, "i");
/** As `render/in-place.ts` writes them. */
const SAYS_ANEW =
  /^UPDATE sqlite_schema SET [^]* WHERE type = 'table' AND name = '((?:[^']|'')*)' COLLATE NOCASE$/;
const CALLS_ANEW = /^UPDATE sqlite_schema SET [^]*WHERE type = 'index' AND /;
const HOLDS = /^UPDATE "(?:[^"]|"")+" SET ("(?:[^"]|"")+"|rowid) = \1 WHERE /;

/**
 * What is not known to be harmless may do anything. While names are changed as they were of old, references do not follow
 * a table: https://sqlite.org/pragma.html#pragma_legacy_alter_table
 */
function suspectsOf(statements: readonly Statement[], tableOf: ReadonlyMap<string, string>): Suspect[] {
  return withNaming(statements).map(({ sql, isLegacy }) => {
    if (sql === REBUILD_START || sql === REBUILD_END) return NOBODY;
    if (MAKES.test(sql) || sql === RESTATE_START || sql === RESTATE_END || HOLDS.test(sql)) return NOBODY;
    const [, altered, how] = ALTERS.exec(sql) ?? [];
    if (altered !== undefined && how !== undefined) return suspectOfAlter(sql, bare(altered), how, isLegacy);
    const [, what, dropped] = DROPS.exec(sql) ?? [];
    if (what !== undefined && dropped !== undefined) {
      if (/^table$/i.test(what)) return { who: "those that refer to it", table: bare(dropped) };
      if (!/^index$/i.test(what)) return NOBODY;
      const table = tableOf.get(bare(dropped).toLowerCase());
      // An index that the script has made itself served no reference before.
      return table === undefined ? NOBODY : { who: "those that refer to it", table };
    }
    const [, anew] = SAYS_ANEW.exec(sql) ?? [];
    if (anew !== undefined) return { who: "said anew", table: anew.replaceAll("''", "'") };
    return CALLS_ANEW.test(sql) ? NOBODY : ALL;
  });
}

/** Each statement, and whether names are changed as they were of old when it runs. */
function withNaming(
  statements: readonly Statement[],
): { readonly sql: string; readonly isLegacy: boolean }[] {
  let isLegacy = false;
  return statements.map(({ sql }) => {
    if (sql === REBUILD_START || sql === REBUILD_END) isLegacy = sql === REBUILD_START;
    return { sql, isLegacy };
  });
}

function suspectOfAlter(sql: string, table: string, how: string, isLegacy: boolean): Suspect {
  if (/^add$/i.test(how)) return bringsReferring(sql) ? { who: "its rows", table } : NOBODY;
  if (!/^rename/i.test(how) || !isLegacy) return NOBODY;
  return /\s/.test(how) ? { who: "those that refer to it", table } : ALL;
}

/** Whether rows that are there come to refer to something by a column that is added. */
export function bringsReferring(sql: string): boolean {
  return /^alter\b[^]*\breferences\b/i.test(sql) && /\bdefault\b/i.test(sql);
}

/** `"It""s"` → `It"s` */
function bare(name: string): string {
  return name.startsWith('"') ? name.slice(1, -1).replaceAll('""', '"') : name;
}

/** What a table refers to, and by what it can be referred to, each as one text. */
interface Said {
  readonly references: readonly string[];
  readonly keys: readonly string[];
}

async function readSaid(database: Database, table: string): Promise<Said> {
  const texts = async (sql: string) =>
    (await database.rows(sql, table)).map(({ said }) => String(said).toLowerCase());
  return {
    references: await texts(
      `SELECT json_array("table", json_group_array(json_array("from", "to"))) AS said FROM pragma_foreign_key_list(?) GROUP BY id, "table"`,
    ),
    keys: await texts(
      `SELECT (SELECT json_group_array(json_array(name, coll)) FROM pragma_index_xinfo(list.name) WHERE key) AS said FROM pragma_index_list(?1) list WHERE "unique" AND NOT partial
   UNION ALL SELECT json_group_array(name) FROM pragma_table_info(?1) WHERE pk`,
    ),
  };
}

async function readReferring(
  database: Database,
): Promise<{ readonly child: string; readonly parent: string }[]> {
  const rows = await database.rows(
    `SELECT made.name AS child, list."table" AS parent FROM sqlite_schema made, pragma_foreign_key_list(made.name) list WHERE made.type = 'table'`,
  );
  return rows.map(({ child, parent }) => ({ child: String(child), parent: String(parent) }));
}

/** How many rows of one table refer to nothing in another. */
interface Dangling {
  readonly child: string;
  readonly parent: string;
  readonly rows: number;
}

/** @param tables whose rows are looked at; undefined, or where one has another name by now: all */
async function danglingReferences(database: Database, tables?: readonly string[]): Promise<Dangling[]> {
  const looked =
    tables && (await areThere(database, tables))
      ? tables.map(table => database.rows(DANGLING("(?)"), table))
      : [database.rows(DANGLING(""))];
  const found = (await Promise.all(looked)).flat();
  return found.map(({ child, parent, n }) => ({
    child: String(child),
    parent: String(parent),
    rows: Number(n),
  }));
}

/** What was so before, by the names that tables have when a script has run. */
function afterRenames(before: readonly Dangling[], statements: readonly Statement[]): Dangling[] {
  let so = [...before];
  for (const { sql, isLegacy } of withNaming(statements)) {
    const [, from, to] = RENAMES.exec(sql) ?? [];
    if (from === undefined || to === undefined) continue;
    const called = (name: string) => (name.toLowerCase() === bare(from).toLowerCase() ? bare(to) : name);
    so = so.map(({ child, parent, rows }) => ({
      child: called(child),
      parent: isLegacy ? parent : called(parent),
      rows,
    }));
  }
  return so;
}

const DANGLING = (of: string) =>
  `SELECT "table" AS child, parent, count(*) AS n FROM pragma_foreign_key_check${of} GROUP BY 1, 2`;

async function areThere(database: Database, tables: readonly string[]): Promise<boolean> {
  const list = JSON.stringify(tables.map(name => name.toLowerCase()));
  const sql =
    "SELECT count(*) AS n FROM sqlite_schema WHERE type = 'table' AND lower(name) IN (SELECT value FROM json_each(?))";
  const [row] = tables.length > 0 ? await database.rows(sql, list) : [{ n: 0 }];
  return Number(row?.["n"]) === new Set(tables.map(name => name.toLowerCase())).size;
}

import { messageOf } from "../../core/errors.js";
import { quote } from "../../core/dialect/sqlite/names.js";
import type { Statement } from "../../core/sql/statements.js";
import { withoutReferences } from "../../core/dialect/sqlite/catalog/without-references.js";
import { ATTIC, isInternalTable } from "../../core/schema/internal-tables.js";
import { Problem } from "../../core/problems.js";
import { bringsReferring, watchReferences } from "./references.js";
import { Breakage, type Database, type Scripted, type Watch } from "../session/database.js";

/**
 * What a rebuild takes along without being asked: triggers and indexes on the table that Emberset does not manage.
 * They are put back as they were. References are not enforced while a script runs, and views are not looked at, so
 * both are checked afterwards; what was broken before is nobody's fault now.
 */
export async function watchSqlite(
  database: Database,
  statements: readonly Statement[],
  { managed, drafted: isDrafted, careful = false }: Scripted,
): Promise<Watch> {
  const isHarmless = areHarmless(statements);
  if (isHarmless && !statements.some(({ sql }) => bringsReferring(sql)))
    return { restore: async () => [], inspect: async () => undefined };
  const before = await readObjects(database);
  const tableOf = new Map(
    before.flatMap(({ type, name, table, sql }) =>
      type === "index" && /^create\s+unique\b/i.test(sql ?? "") ? [[name.toLowerCase(), table]] : [],
    ),
  );
  const drafted = isDrafted?.() ?? false;
  const references = await watchReferences(database, statements, { drafted, careful, tableOf });
  if (isHarmless) return { ...references, restore: async () => [] };
  const seenTo = new Set(managed());
  const there = new Set(before.map(({ name }) => name));
  // What a script makes that is as it was drafted, and what it sees to, fits its tables.
  const ofOthers = (objects: readonly SchemaObject[]) =>
    drafted ? objects.filter(({ name }) => there.has(name) && !seenTo.has(name)) : objects;
  const sound = await soundness(database, ofOthers(before));
  const isOthers = ({ type, name, sql }: SchemaObject) =>
    sql !== undefined && type !== "table" && !seenTo.has(name);
  // Where there is nothing of others, nothing goes along, and nothing is to be put back or can be broken.
  const isAlone = drafted && !before.some(isOthers) && !statements.some(({ sql }) => sql.includes(ATTIC));
  // Renames are written into triggers and indexes: what is put back is what stood there when its table went.
  const last = new Map(before.map(each => [each.name, each]));
  let after: readonly SchemaObject[] = [];

  return {
    before: async statement => {
      await references.before(statement);
      const { sql } = statement;
      if (isAlone || !/^drop\s+table\b/i.test(sql)) return;
      for (const each of await readObjects(database))
        if (last.has(each.name)) last.set(each.name, takenOut(each, statements));
    },
    restore: async () => {
      if (isAlone) return [];
      after = await readObjects(database);
      await freeAttic(database, after);
      const names = new Set(after.map(({ name }) => name));
      const tables = new Set(after.flatMap(({ type, name }) => (type === "table" ? [name] : [])));
      const dropped = namesDropped(statements);
      for (const { name, table, sql } of last.values()) {
        if (
          sql === undefined ||
          names.has(name) ||
          seenTo.has(name) ||
          dropped.has(name) ||
          !tables.has(table)
        )
          continue;
        try {
          await database.run(sql);
        } catch (error) {
          throw new Breakage("objects", [name], reasonOf(error));
        }
        after = [...after, last.get(name)!];
      }
      return [];
    },
    inspect: async () => {
      await references.inspect();
      const fault = sound === undefined ? await soundness(database, ofOthers(after)) : undefined;
      if (fault)
        throw new Breakage(
          "objects",
          [/^error in (\w+ [^:]+)/.exec(fault)?.[1] ?? "a view or trigger"],
          fault,
        );
    },
  };
}

/**
 * Statements that take nothing along and break no view or trigger. References, views and triggers follow a table
 * that is renamed, unless it is put into the attic: https://sqlite.org/lang_altertable.html#altertabrename
 */
function areHarmless(statements: readonly Statement[]): boolean {
  const harmless =
    /^(?:create\s+(?:unique\s+)?(?:table|index|trigger|view)\b|alter\s+table\s+\S+\s+(?:add|rename)\b)/i;
  return statements.every(({ sql }) => harmless.test(sql) && !sql.includes(ATTIC));
}

interface SchemaObject {
  readonly type: string;
  readonly name: string;
  readonly table: string;
  readonly sql: string | undefined;
}

async function readObjects(database: Database): Promise<SchemaObject[]> {
  // In one value: row by row the driver takes longer for it than SQLite.
  const [row] = await database.rows(
    "SELECT json_group_array(json_array(type, name, tbl_name, sql)) AS entries FROM (SELECT type, name, tbl_name, sql FROM sqlite_schema ORDER BY rowid)",
  );
  const entries = JSON.parse(String(row?.["entries"])) as [string, string, string, string | null][];
  return entries.map(([type, name, table, sql]) => ({ type, name, table, sql: sql ?? undefined }));
}

/**
 * A table in the attic must not hold on to rows that it refers to. Its references go from its text alone, which costs
 * no pass over its rows.
 */
async function freeAttic(database: Database, objects: readonly SchemaObject[]): Promise<void> {
  const tables = objects.filter(
    ({ type, name, sql }) => type === "table" && isInternalTable({ name }) && sql !== undefined,
  );
  const bound = tables.flatMap(({ name, sql }) => {
    const free = withoutReferences(sql!);
    return free === sql ? [] : [{ name, free }];
  });
  if (bound.length === 0) return;
  // https://sqlite.org/pragma.html#pragma_writable_schema
  await database.runScripted("PRAGMA writable_schema = ON");
  for (const { name, free } of bound) {
    await database.run("UPDATE sqlite_schema SET sql = ? WHERE type = 'table' AND name = ?", free, name);
  }
  await database.runScripted("PRAGMA writable_schema = RESET");
}

/** What hangs on a table of the attic hangs on the one that its rows are moved into. */
function takenOut(object: SchemaObject, statements: readonly Statement[]): SchemaObject {
  const { table, sql } = object;
  if (!isInternalTable({ name: table }) || sql === undefined || object.type === "table") return object;
  const from = quote(table);
  const move = statements.find(
    each => each.sql.startsWith("INSERT INTO") && each.sql.endsWith(`FROM ${from}`),
  );
  const [, into] = /^INSERT INTO ("(?:[^"]|"")*")/.exec(move?.sql ?? "") ?? [];
  if (into === undefined) return object;
  return { ...object, table: into.slice(1, -1).replaceAll('""', '"'), sql: sql.replace(from, () => into) };
}

/** What a script drops by name goes on purpose. */
function namesDropped(statements: readonly Statement[]): Set<string> {
  const start = /^drop\s+(?:index|trigger|view)\s+(?:if\s+exists\s+)?/i;
  return new Set(
    statements.flatMap(({ sql }) => {
      const rest = start.exec(sql) ? sql.replace(start, "") : undefined;
      const name = rest && /^(?:"((?:[^"]|"")*)"|(\w+))/.exec(rest);
      return name ? [name[1]?.replaceAll('""', '"') ?? name[2]!] : [];
    }),
  );
}

/**
 * Whether every view and trigger still fits the tables: renaming any table makes SQLite read them all
 * (https://sqlite.org/lang_altertable.html#altertabrename). Undefined when they do, else what it says.
 */
async function soundness(database: Database, objects: readonly SchemaObject[]): Promise<string | undefined> {
  if (!objects.some(({ type }) => type === "view" || type === "trigger")) return undefined;
  const [first, second] = ["emberset_sound_a", "emberset_sound_b"].map(quote);
  try {
    await database.run(`SAVEPOINT emberset_sound`);
    await database.run(`CREATE TABLE ${first} (a)`);
    await database.run(`ALTER TABLE ${first} RENAME TO ${second}`);
    return undefined;
  } catch (error) {
    return reasonOf(error);
  } finally {
    await database.run(`ROLLBACK TO emberset_sound`);
    await database.run(`RELEASE emberset_sound`);
  }
}

function reasonOf(error: unknown): string {
  const inner = error instanceof Problem ? error.cause : error;
  return messageOf(inner);
}

import { equal } from "../../../schema/canonical.js";
import { columnsOfPart } from "../../../schema/lookups.js";
import type { Column, Table } from "../../../schema/types.js";
import { textFor } from "../../../sql/placeholders.js";
import { refusesNullByCheck } from "../moments.js";
import { NAME, typeOf } from "../types.js";

/**
 * How the server does an ALTER TABLE, the cheapest first: in its catalog alone; beside that in an index; in the table's
 * own pages; or by a copy of the table, to which nobody writes meanwhile. One that is asked for and is not to be had is
 * refused before anything is done. https://mariadb.com/kb/en/innodb-online-ddl-overview/
 */
const ALGORITHMS = ["INSTANT", "NOCOPY", "INPLACE", "COPY"] as const;
type Algorithm = (typeof ALGORITHMS)[number];

/** A table while one ALTER TABLE is made. */
export interface Altered {
  readonly was: Table;
  readonly now: Table;
  /** Columns that the statement does not find as they were, by the names that they have then. */
  readonly interim?: ReadonlyMap<string, Column>;
  /** Whether rows keep to the references that are added: the server is told not to look. */
  readonly held?: true;
}

/** The clauses with what they ask for; a copy need not be asked for. @param isLocked whether others are locked out anyway */
export function withAlgorithm(
  clauses: readonly string[],
  altered: Altered,
  isLocked: boolean,
): readonly string[] {
  if (clauses.length === 0 || clauses.some(clause => clause.startsWith("ALGORITHM="))) return clauses;
  const algorithm = algorithmFor(clauses, altered);
  if (algorithm === "COPY") return clauses;
  return [...clauses, `ALGORITHM=${algorithm}${isLocked ? "" : ", LOCK=NONE"}`];
}

/** The cheapest one that is known to be had, as trying each on 10.11 showed: at most one dearer than need be, never one cheaper. */
export function algorithmFor(clauses: readonly string[], altered: Altered): Algorithm {
  const isOther = [altered.was, altered.now].some(table => hasSums(table) || isOfOthers(table));
  if (isOther || clauses.includes("ALGORITHM=COPY")) return "COPY";
  const all = clauses.map(clause => ofClause(clause, altered));
  const places = clauses.some(clause => /^(?:ADD|DROP) COLUMN /.test(clause) || PLACED.test(clause));
  const indexes = clauses.some(clause => /^ADD (?:INDEX|CONSTRAINT `(?:[^`]|``)+` UNIQUE) /.test(clause));
  return dearest([...all, places && indexes ? "INPLACE" : "INSTANT"]);
}

function dearest(algorithms: readonly Algorithm[]): Algorithm {
  return ALGORITHMS[Math.max(0, ...algorithms.map(each => ALGORITHMS.indexOf(each)))]!;
}

const PLACED = / (?:FIRST|AFTER `(?:[^`]|``)+`)$/;
const NAMED = "`((?:[^`]|``)+)`";

function ofClause(clause: string, altered: Altered): Algorithm {
  if (altered.held && /^ADD CONSTRAINT `(?:[^`]|``)+` FOREIGN KEY /.test(clause)) return "INSTANT";
  if (/^(?:COMMENT = |RENAME INDEX |DROP FOREIGN KEY |DROP CONSTRAINT )/.test(clause)) return "INSTANT";
  if (![altered.was, altered.now].every(isPlain)) return "COPY";
  const [, gone] = new RegExp(`^DROP INDEX ${NAMED}`).exec(clause) ?? [];
  if (gone !== undefined) return withRowsTold(altered, ({ name }) => name === unquoted(gone));
  if (/^ADD (?:INDEX|CONSTRAINT `(?:[^`]|``)+` UNIQUE) /.test(clause))
    return rowsTold(altered.was).length === 0 && rowsTold(altered.now).length > 0 ? "INPLACE" : "NOCOPY";
  const [, dropped] = new RegExp(`^DROP COLUMN ${NAMED}$`).exec(clause) ?? [];
  if (dropped !== undefined) return isIndexed(unquoted(dropped), altered.was) ? "NOCOPY" : "INSTANT";
  const [, added] = new RegExp(`^ADD COLUMN ${NAMED}`).exec(clause) ?? [];
  if (added !== undefined) return ofNewColumn(clause);
  const [, modified, renamedTo] =
    new RegExp(`^(?:MODIFY|CHANGE) COLUMN ${NAMED}(?: ${NAMED})?`).exec(clause) ?? [];
  return modified === undefined
    ? "COPY"
    : ofColumn(unquoted(modified), unquoted(renamedTo ?? modified), altered);
}

/**
 * What tells the rows of a table that has no key, whose pages are in its order: the first of what is unique and never null.
 * https://mariadb.com/kb/en/innodb-limitations/
 */
function rowsTold(table: Table): readonly Unique[] {
  if (table.key) return [];
  const byName = new Map(table.columns.map(column => [column.name, column]));
  const unique = [...table.uniques, ...table.indexes.filter(index => index.unique)];
  return unique.flatMap(each => {
    const columns = "parts" in each ? columnsOfPart("index", each) : columnsOfPart("unique", each);
    const isNever = columns.every(name => {
      const column = byName.get(name);
      return column && !takesNull(column, table);
    });
    return isNever ? [{ name: each.name, columns }] : [];
  });
}

interface Unique {
  readonly name: string;
  readonly columns: readonly string[];
}

/** Where what tells the rows of a table may go, all pages are written in another order; by a copy, where nothing is left. */
function withRowsTold({ was, now }: Altered, isGone: (unique: Unique) => boolean): Algorithm {
  const [had, has] = [rowsTold(was), rowsTold(now)];
  if (!had.some(isGone)) return "NOCOPY";
  // What comes may come by another statement.
  const stays = had.some(unique => !isGone(unique) && has.some(each => equal(each, unique)));
  return stays ? "INPLACE" : "COPY";
}

function unquoted(name: string): string {
  return name.replaceAll("``", "`");
}

/** What is worked out, and indexes of other kinds, have rules of their own. */
function isPlain({ columns, indexes }: Table): boolean {
  return (
    columns.every(({ computed }) => !computed) &&
    indexes.every(({ method, parts }) => method === undefined && parts.every(part => "column" in part))
  );
}

/** Other engines have other ways; so have tables with settings of their own. */
function isOfOthers({ options }: Table): boolean {
  const { engine = "InnoDB", with: settings } = options?.[NAME] ?? {};
  return !/^innodb$/i.test(engine) || settings !== undefined;
}

/** https://mariadb.com/kb/en/innodb-limitations/ */
const LONGEST_KEY = 3072;

/** What is unique and too long for an index is held by a sum of it, which is worked out. */
function hasSums(table: Table): boolean {
  return table.uniques.some(unique => !columnsOfPart("unique", unique).every(name => isShort(name, table)));
}

function isShort(name: string, { columns }: Table): boolean {
  const column = columns.find(each => each.name === name);
  const type = column ? typeOf(column) : "";
  const [, length = "0"] = /^varchar\((\d+)\)/.exec(type) ?? [];
  return !/text|blob|json/.test(type) && Number(length) * 4 <= LONGEST_KEY;
}

function isIndexed(name: string, table: Table): boolean {
  return (
    (table.key ? columnsOfPart("key", table.key) : []).includes(name) ||
    table.uniques.some(unique => columnsOfPart("unique", unique).includes(name)) ||
    table.indexes.some(index => columnsOfPart("index", index).includes(name))
  );
}

/** A default that is another for each row is worked out for each. */
function ofNewColumn(clause: string): Algorithm {
  const counts = /^(?:[^'`]|'(?:[^'\\]|''|\\.)*'|`(?:[^`]|``)*`)* AUTO_INCREMENT\b/.test(clause);
  const [, call = ""] = / DEFAULT (\(?[a-z_]\w*)\(/i.exec(clause) ?? [];
  return counts || (call !== "" && !/^current_timestamp$/i.test(call)) || / DEFAULT \(/.test(clause)
    ? "COPY"
    : "INSTANT";
}

function ofColumn(from: string, to: string, { was, now, interim }: Altered): Algorithm {
  const byName = (name: string) => (each: Column) => each.name === name;
  const [old, column] = [interim?.get(from) ?? was.columns.find(byName(from)), now.columns.find(byName(to))];
  if (!old || !column) return "COPY";
  const facts = (each: Column, table: Table) => ({
    counts: each.identity !== undefined,
    collation: each.collation ?? table.options?.[NAME]?.["collation"],
  });
  if (!equal(facts(old, was), facts(column, now))) return "COPY";
  const byType = typeOf(old) === typeOf(column) ? "INSTANT" : ofType(old, column, was);
  if (takesNull(old, was) === takesNull(column, now)) return byType;
  // What was null would become the default.
  if (!takesNull(column, now) && !hasConstant(column)) return "COPY";
  const told = withRowsTold({ was, now }, ({ columns }) => columns.includes(from));
  return dearest([byType, "INPLACE", told]);
}

function takesNull(column: Column, table: Table): boolean {
  return column.nullable || refusesNullByCheck(column, table);
}

function hasConstant(column: Column): boolean {
  const { default: value } = column;
  const type = typeOf(column);
  // A moment has one all the same: https://mariadb.com/kb/en/timestamp/
  if (/^timestamp\b/.test(type)) return false;
  const text = value?.kind === "sql" ? (textFor(value.sql, NAME) ?? "") : "NULL";
  return /^(?:'(?:[^'\\]|''|\\.)*'|[-+]?\d+(?:\.\d+)?|NULL)$/i.test(text);
}

function ofType(old: Column, column: Column, was: Table): Algorithm {
  const [before, after] = [typeOf(old), typeOf(column)];
  const isLonger = staysAsLong(old, was, [lengthOf(before), lengthOf(after)]);
  const hasMore = before.startsWith("enum(") && after.startsWith(before.slice(0, -1));
  if (!isLonger && !hasMore) return "COPY";
  return isIndexed(old.name, was) ? "NOCOPY" : "INSTANT";
}

/**
 * A length takes one byte up to 255 bytes, and two beyond: https://mariadb.com/kb/en/varchar/. How many bytes a character
 * takes is the database's to say, where neither the column nor its table does.
 */
function staysAsLong(
  { collation }: Column,
  table: Table,
  [before, after]: readonly [number | undefined, number | undefined],
): boolean {
  const own =
    (collation === undefined ? undefined : textFor(collation, NAME)) ?? table.options?.[NAME]?.["collation"];
  if (before === undefined || after === undefined || after < before) return false;
  const bytes = own === undefined ? [1, 2, 3, 4] : bytesOf(own);
  return bytes !== undefined && bytes.every(each => before * each > 255 === after * each > 255);
}

/** How many bytes a character takes at most: https://mariadb.com/kb/en/supported-character-sets-and-collations/ */
function bytesOf(collation: string): readonly number[] | undefined {
  if (/^utf8mb4_/.test(collation)) return [4];
  if (/^utf8(?:mb3)?_/.test(collation)) return [3];
  return /^(?:latin[1257]|ascii|cp125[0167]|koi8[ru])_/.test(collation) ? [1] : undefined;
}

/** Of a varchar, in characters. */
function lengthOf(type: string): number | undefined {
  const [, length] = /^varchar\((\d+)\)$/.exec(type) ?? [];
  return length === undefined ? undefined : Number(length);
}

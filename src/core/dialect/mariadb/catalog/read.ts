import { addressOf } from "../../../schema/address.js";
import type {
  Action,
  Check,
  Column,
  Definition,
  ForeignKey,
  Index,
  IndexPart,
  Options,
  Table,
} from "../../../schema/types.js";
import type { Catalog, CatalogRow, LeftAlone } from "../../shared/dialect.js";
import { EVERYONE } from "../../../schema/grants.js";
import { groupRows, readGrants } from "../../shared/catalog-rows.js";
import { objectOf } from "../../shared/object-text.js";
import { spellExpression } from "../../../lower/expressions.js";
import { NOW } from "../expressions.js";
import { readNotNull } from "../moments.js";
import { asKey, asUnique, isPlainUnique, TOKENS } from "../settle.js";
import { quote, SQL_MODE, TIME_ZONE } from "../names.js";
import { readSettings } from "../render/sequences.js";
import { NAME } from "../types.js";
import { partition } from "../../../lists.js";

/** What the catalog says; the lists are the answers to `catalogQueries`, in that order. */
export function readCatalog(results: readonly (readonly CatalogRow[])[]): Catalog {
  const [
    tableRows = [],
    columnRows = [],
    indexRows = [],
    referenceRows = [],
    ruleRows = [],
    checkRows = [],
    otherRows = [],
    grantRows = [],
  ] = results;
  const granted = grantsByTable(grantRows);
  const columns = groupRows(columnRows, "owner");
  const indexes = groupRows(indexRows, "owner");
  const rules = new Map(ruleRows.map(row => [keyOfReference(row), row]));
  const references = groupRows(
    referenceRows.map(row => ({ ...row, ...rules.get(keyOfReference(row)) })),
    "owner",
  );
  const checks = groupRows(checkRows, "owner");
  const plainTable = ({ kind, settings }: CatalogRow) =>
    kind === "BASE TABLE" && !/\bpartitioned\b/.test(String(settings));
  const foreign: LeftAlone[] = [];
  const tables = tableRows.filter(plainTable).map((row): Table => {
    const name = String(row["name"]);
    const read = (columns.get(name) ?? []).map(column => readColumn(column, row["collation"]));
    const spell = (text: unknown) => spellExpression(String(text), read, TOKENS);
    const [here, elsewhere] = partition(references.get(name) ?? [], each => each["elsewhere"] === null);
    const foreignKeys = readReferences(here);
    foreign.push(
      ...readReferences(elsewhere).map(each => ({
        kind: "foreign key",
        name: each.name,
        table: addressOf({ name }),
      })),
    );
    const all = readIndexes(indexes.get(name) ?? []);
    const own = all.filter(index => index.name !== "PRIMARY");
    const key = all.find(index => index.name === "PRIMARY");
    const plain = own.filter(isPlainUnique);
    return readNotNull(
      readGrants(granted.get(name) ?? [], columnOf, {
        name,
        columns: read.map(column => ({
          ...column,
          ...(column.computed && { computed: { ...column.computed, sql: spell(column.computed.sql) } }),
        })),
        ...(key && { key: asKey(key) }),
        uniques: plain.map(asUnique),
        indexes: own.filter(index => !plain.includes(index)),
        foreignKeys,
        checks: (checks.get(name) ?? []).map((check): Check => ({
          name: String(check["name"]),
          rules: [{ kind: "sql", sql: spell(check["clause"]) }],
          ...(check["level"] === "Column" && { column: String(check["name"]) }),
        })),
        ...(row["note"] !== "" && { note: String(row["note"]) }),
        ...optionsOf({
          ...(row["engine"] !== row["usual_engine"] && { engine: String(row["engine"]) }),
          ...(row["collation"] !== row["usual_collation"] && { collation: String(row["collation"]) }),
          ...(row["settings"] !== "" && { with: String(row["settings"]) }),
        }),
      }),
    );
  });
  const sequences = tableRows.flatMap(readSequence);
  const views = tableRows
    .filter(row => !plainTable(row) && row["kind"] !== "VIEW" && typeof row["sql"] !== "string")
    .map(({ kind, name }) => ({
      kind: kind === "BASE TABLE" ? "partitioned table" : String(kind).toLowerCase(),
      name: String(name),
    }));
  const { objects, others } = readObjects([...otherRows, ...viewsAmong(tableRows)]);
  const definitions = [...sequences, ...objects];
  return {
    schema: { tables, ...(definitions.length > 0 && { definitions }) },
    leftAlone: [...views, ...foreign, ...others],
  };
}

function readSequence({ kind, name, sql }: CatalogRow): Definition[] {
  if (kind !== "SEQUENCE" || typeof sql !== "string") return [];
  const settings = readSettings(sql);
  return [{ kind: "sequence", name: String(name), ...(Object.keys(settings).length > 0 && { settings }) }];
}

/** A view is told among the tables. */
function viewsAmong(rows: readonly CatalogRow[]): CatalogRow[] {
  return rows.filter(({ kind }) => kind === "VIEW").map(row => ({ ...row, kind: "view", owner: null }));
}

/** What is told whole; who may not see a routine's body is not told it. */
function readObjects(rows: readonly CatalogRow[]): {
  readonly objects: readonly Definition[];
  readonly others: readonly LeftAlone[];
} {
  const objects: Definition[] = [];
  const others = rows.flatMap(({ kind, name, owner, sql, mode, zone, at_once: atOnce }): LeftAlone[] => {
    const object =
      typeof sql === "string"
        ? objectOf(
            `${setSql("sql_mode", mode, SQL_MODE)}${setSql("time_zone", zone, TIME_ZONE)}${withoutStart(withoutDefiner(sql), atOnce)}`,
            TOKENS,
          )
        : undefined;
    if (object) objects.push(object);
    const table = owner === null ? {} : { table: String(owner) };
    return object ? [] : [{ kind: String(kind), name: String(name), ...table }];
  });
  return { objects, others };
}

/** A routine keeps the mode in which it was made, and an event its time zone; both run in that: https://mariadb.com/kb/en/sql-mode/ */
function setSql(name: string, kept: unknown, usual: string): string {
  return typeof kept === "string" && kept !== usual ? `SET ${name} = '${kept}';\n` : "";
}

/** An event that starts when it is made is another moment's each time it is made: https://mariadb.com/kb/en/create-event/ */
function withoutStart(sql: string, atOnce: unknown): string {
  return Number(atOnce) === 1 ? sql.replace(/ STARTS '[^']*'/, "") : sql;
}

/** Whoever makes it is whose rights it has, where nobody says: https://mariadb.com/kb/en/create-view/ */
function withoutDefiner(sql: string): string {
  return sql
    .replace(
      /^CREATE (ALGORITHM=\w+ )?DEFINER=(?:`(?:[^`]|``)*`@`(?:[^`]|``)*`|`(?:[^`]|``)*`) /,
      "CREATE $1",
    )
    .replace(/^CREATE ALGORITHM=UNDEFINED /, "CREATE ")
    .replace(/^CREATE (ALGORITHM=\w+ )?SQL SECURITY DEFINER VIEW /, "CREATE $1VIEW ");
}

function columnOf({ col }: CatalogRow): string | undefined {
  return col === null ? undefined : String(col);
}

function grantsByTable(rows: readonly CatalogRow[]): Map<string, CatalogRow[]> {
  return groupRows(
    rows.map(row => ({ ...row, role: roleOf(row) })),
    "owner",
  );
}

/** `'visitor'@''` */
function roleOf({ role }: CatalogRow): string {
  const name = String(role).slice(1, -4);
  return name === "PUBLIC" ? EVERYONE : name;
}

function keyOfReference({ owner, name }: CatalogRow): string {
  return JSON.stringify([owner, name]);
}

/** Whether the server keeps the rules of references from a user who sees the references themselves. */
export function hidesRules(results: readonly (readonly CatalogRow[])[]): boolean {
  const [references = [], rules = []] = results.slice(REFERENCES_AT);
  const known = new Set(rules.map(keyOfReference));
  return references.some(row => !known.has(keyOfReference(row)));
}

/** The position of the query for references among the others; that for their rules follows. */
const REFERENCES_AT = 3;

function optionsOf(options: Readonly<Record<string, string>>): { options?: Options } {
  return Object.keys(options).length > 0 ? { options: { [NAME]: options } } : {};
}

function readColumn(row: CatalogRow, tableCollation: unknown): Column {
  const extra = String(row["extra"]).toLowerCase();
  const [value, collation] = [row["value"], row["collation"]];
  const onUpdate = /on update (\S+)/.exec(extra)?.[1];
  const computed = row["expression"] !== null && row["expression"] !== "";
  return {
    name: String(row["name"]),
    type: { kind: "native", sql: { [NAME]: String(row["type"]) } },
    nullable: row["nullable"] === "YES",
    ...(computed
      ? { computed: { sql: String(row["expression"]), stored: extra.includes("stored") } }
      : value !== null &&
        value !== "NULL" && {
          default: { kind: "sql", sql: inDatabase(String(value), row["here"]) } as const,
        }),
    ...(extra.includes("auto_increment") && { identity: "serial" as const }),
    ...(onUpdate === NOW && { stamp: "updated" as const }),
    ...optionsOf({
      ...(onUpdate !== undefined && onUpdate !== NOW && { "on update": onUpdate }),
      ...(/\binvisible\b/.test(extra) && { invisible: "yes" }),
    }),
    ...(collation !== null && collation !== tableCollation && { collation: String(collation) }),
    ...(row["note"] !== "" && { note: String(row["note"]) }),
  };
}

/** A sequence is told with the database it is in, which may be called otherwise elsewhere. */
function inDatabase(value: string, here: unknown): string {
  return value.replaceAll(`nextval(${quote(String(here))}.`, "nextval(");
}

function readIndexes(rows: readonly CatalogRow[]): Index[] {
  const indexes = new Map<string, Index>();
  for (const row of rows) {
    const name = String(row["name"]);
    const method = String(row["method"]).toLowerCase();
    const known = indexes.get(name) ?? {
      name,
      parts: [],
      ...(Number(row["many"]) === 0 && { unique: true }),
      ...(method !== "btree" && method !== "hash" && { method }),
      ...optionsOf({
        ...(row["note"] !== "" && { comment: String(row["note"]) }),
        ...(row["ignored"] === "YES" && { ignored: "yes" }),
      }),
    };
    const part: IndexPart = {
      column: String(row["col"]),
      ...(row["direction"] === "D" && { descending: true }),
      ...(row["prefix"] !== null && method !== "hash" && { length: Number(row["prefix"]) }),
    };
    indexes.set(name, { ...known, parts: [...known.parts, part] });
  }
  return [...indexes.values()];
}

function readReferences(rows: readonly CatalogRow[]): ForeignKey[] {
  const references = new Map<string, ForeignKey>();
  for (const row of rows) {
    const name = String(row["name"]);
    const known = references.get(name);
    references.set(name, {
      name,
      columns: [...(known?.columns ?? []), String(row["col"])],
      references: {
        table: addressOf({ name: String(row["target"]) }),
        columns: [...(known?.references.columns ?? []), String(row["target_col"])],
      },
      onDelete: readAction(row["on_delete"]),
      onUpdate: readAction(row["on_update"]),
    });
  }
  return [...references.values()];
}

const ACTIONS: Readonly<Record<string, Action>> = {
  RESTRICT: "restrict",
  CASCADE: "cascade",
  "SET NULL": "set null",
  "SET DEFAULT": "set default",
};

function readAction(rule: unknown): Action {
  return ACTIONS[String(rule)] ?? "no action";
}

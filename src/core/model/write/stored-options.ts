import type { Grants } from "../../../modelling/facts.js";
import { equal, partKey } from "../../schema/canonical.js";
import { constraintName, tableName } from "../../schema/naming.js";
import { addressOf } from "../../schema/address.js";
import { COLUMN_VERBS, rolesIn, verbsOf } from "../../schema/grants.js";
import type { Check, Column, Grant, Index, IndexPart, Key, Table, Unique } from "../../schema/types.js";
import { codeInLines, codeOf, LINE, type CodeValue } from "./code.js";
import { checkSql, type StatedChecks } from "./stated-checks.js";
import type { StatedIndexes } from "./stated-indexes.js";
import type { Writing } from "./writing.js";

/** What `@Stored` says of a class, as source; "": nothing. */
export function storedOptions(writing: Writing, checks: StatedChecks, indexes: StatedIndexes): string {
  const { table, plan, options } = writing;
  const code = codeInLines(
    {
      table: tableName(plan.name, options.naming) === table.name ? undefined : table.name,
      namespace: table.namespace,
      note: table.note,
      key: keyOption(table.key, writing),
      unique: some(
        table.uniques
          .filter(unique => !isFieldUnique(unique, writing))
          .map(unique => uniqueOption(unique, writing)),
      ),
      indexes: some(indexes.list().map(index => indexOption(index, writing))),
      checks: some(checkOptions(tableChecks(writing, checks), writing)),
      fieldChecks: checks.none ? false : undefined,
      keysFirst: keysStandFirst(writing) ? undefined : false,
      unnamed: writing.isUnnamed() ? true : undefined,
      grants: grantsOption(table.grants, options.usual),
      rows: rowsOption(writing),
      options: table.options,
    },
    "",
    LINE - plan.name.length - "@Stored<>()".length,
  );
  return code === "{}" ? "" : code;
}

/** What roles may do with a table, where that is not as usual. */
function grantsOption(grants: readonly Grant[] | undefined, usual: Grants = {}): CodeValue {
  const roles = new Set([...Object.keys(usual), ...(grants ?? []).map(({ role }) => role)]);
  const said = [...roles].flatMap(role => {
    const [verbs, asUsual] = [verbsOf(grants, role), new Set(Object.hasOwn(usual, role) ? usual[role] : [])];
    const isUsual = verbs.length === asUsual.size && verbs.every(verb => asUsual.has(verb));
    return isUsual ? [] : [[role, verbs] as const];
  });
  return said.length > 0 ? Object.fromEntries(said) : undefined;
}

/** Which rows roles see: of one that the table grants something to, all need not be said. */
function rowsOption(writing: Writing): CodeValue {
  const { table, options } = writing;
  const granted = rolesIn({ tables: [table] });
  const said = [...(options.rows.get(addressOf(table)) ?? [])].filter(
    ([role, condition]) => condition !== "true" || !granted.includes(role),
  );
  return said.length > 0
    ? Object.fromEntries(said.map(([role, condition]) => [role, writing.text(condition)]))
    : undefined;
}

/** The same as a line of its own. */
export function rowsLine(writing: Writing): string | undefined {
  const rows = rowsOption(writing);
  return rows === undefined ? undefined : `@Stored: rows: ${codeOf(rows)}`;
}

/** What roles may do with a column, where that is not what they may do with all: together with that. */
export function fieldGrants({ grants }: Column, table: Table): CodeValue {
  return (
    grants &&
    Object.fromEntries(
      grants.map(({ role, verbs }) => [
        role,
        COLUMN_VERBS.filter(verb => verbs.includes(verb) || verbsOf(table.grants, role).includes(verb)),
      ]),
    )
  );
}

/** What `@Stored` says of each index and unique constraint, and of each check that no field states, by `partKey`. */
export function partLines(writing: Writing, checks: StatedChecks): Map<string, string> {
  const { table } = writing;
  const line = (option: string, value: CodeValue) => `@Stored: ${option}: [${codeOf(value)}]`;
  return new Map([
    ...table.indexes.map(
      index => [partKey("index", index), line("indexes", indexOption(index, writing))] as const,
    ),
    ...table.uniques.map(
      unique => [partKey("unique", unique), line("unique", uniqueOption(unique, writing))] as const,
    ),
    ...tableChecks(writing, checks).flatMap(check =>
      checkOptions([check], writing).map(
        option => [partKey("check", check), line("checks", option)] as const,
      ),
    ),
  ]);
}

/** The checks that no field states. */
function tableChecks({ table }: Writing, { byField }: StatedChecks): Check[] {
  const byFields = new Set(byField.values());
  return table.checks.filter(check => !byFields.has(check));
}

function keysStandFirst({ table: { key, columns } }: Writing): boolean {
  const names = key?.columns ?? [];
  return columns.slice(0, names.length).every(({ name }) => names.includes(name));
}

function keyOption(key: Key | undefined, writing: Writing): CodeValue {
  if (!key) return false;
  const { table } = writing;
  const written = table.columns.filter(({ name }) => key.columns.includes(name)).map(({ name }) => name);
  const option = {
    name: writing.nameOption(key.name, `pk_${table.name}`),
    fields: equal(written, key.columns) ? undefined : writing.propertiesOf(key.columns),
    ...keyedOptions(key, writing),
  };
  return codeOf(option) === "{}" ? undefined : option;
}

function keyedOptions({ include, deferrable, options }: Unique, writing: Writing): Record<string, CodeValue> {
  return { include: include && writing.propertiesOf(include), deferrable, options: options };
}

/** Whether a unique constraint is said on its field. */
export function isFieldUnique(unique: Unique, writing: Writing): boolean {
  const plain = codeOf(keyedOptions(unique, writing)) === "{}";
  const usual = constraintName("uq", writing.table.name, unique.columns);
  return plain && unique.columns.length === 1 && writing.nameOption(unique.name, usual) === undefined;
}

function uniqueOption(unique: Unique, writing: Writing): CodeValue {
  const fields = writing.propertiesOf(unique.columns);
  const name = writing.nameOption(unique.name, constraintName("uq", writing.table.name, unique.columns));
  const option = { fields, name, ...keyedOptions(unique, writing) };
  return codeOf(option) === codeOf({ fields }) ? fields : option;
}

function indexOption(index: Index, writing: Writing): CodeValue {
  const called = index.parts.map(part => ("column" in part ? part.column : "expression"));
  const usual = constraintName("ix", writing.table.name, called);
  const fields = index.parts.map(part => termOption(part, writing));
  const option = {
    fields,
    name: index.name === usual ? undefined : index.name,
    unique: index.unique,
    where: index.where === undefined ? undefined : writing.text(index.where),
    method: index.method,
    include: index.include && writing.propertiesOf(index.include),
    options: index.options,
  };
  return codeOf(option) === codeOf({ fields }) ? fields : option;
}

function termOption(part: IndexPart, writing: Writing): CodeValue {
  const { descending, collation, nulls, operatorClass, length } = part;
  const what = "column" in part ? { field: writing.property(part.column) } : { sql: writing.text(part.sql) };
  const own = writing.ownText(collation);
  const option = { ...what, descending, collation: own, nulls, operatorClass, length };
  return "field" in what && codeOf(option) === codeOf(what) ? what.field : option;
}

function checkOptions(checks: readonly Check[], writing: Writing): CodeValue[] {
  return checks.flatMap(check => {
    const holds = checkSql(check, writing);
    if (holds === undefined) return [];
    return [
      {
        name: check.name,
        holds: writing.text(holds),
        field: check.column === undefined ? undefined : writing.property(check.column),
        options: check.options,
      },
    ];
  });
}

function some(list: readonly CodeValue[]): CodeValue {
  return list.length > 0 ? list : undefined;
}

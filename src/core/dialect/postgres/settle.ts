import { addressOf, parseAddress } from "../../schema/address.js";
import { cutName } from "../../schema/naming.js";
import type { Column, Index, Rule, Schema, Table } from "../../schema/types.js";
import { settleSchema, type SettleRules } from "../../lower/settle.js";
import { defaultSql, ruleSql, unheldPattern } from "./expressions.js";
import { NAME_LIMIT, reserved } from "./names.js";
import { NAME, spellType, typeSql } from "./types.js";

export const TOKENS = { dollar: true, folds: true, reserved } as const;

const RULES: SettleRules = {
  dialect: NAME,
  tokens: TOKENS,
  nameLimit: NAME_LIMIT,
  keepsNotes: true,
  roles: true,
  namespaces: true,
  unnamed: false,
  cannotHoldIndex,
  unheld: { part: [], term: ["length"] },
  identity: identity => (identity === "rowid" ? "serial" : identity),
  type: typeSql,
  rule: ruleSql,
  default: defaultSql,
  // That a default is null is kept only where it is turned to the length of its column first.
  defaultSql: (text, { type }) => (/^null$/i.test(text) && !typeSql(type).includes("(") ? undefined : text),
  now: () => "now()",
  definition: each => (each.kind === "domain" ? { ...each, type: spellType(each.type) } : each),
  tableOption: (name, value) => (name === "using" && value.toLowerCase() === "heap" ? undefined : value),
};

/** The schema as PostgreSQL holds it, expressions as they are sent; the server spells them its own way. */
export function settle(schema: Schema): Schema {
  const settled = settleSchema(schema, RULES);
  return { ...settled, tables: settled.tables.map(withSequencesBeside) };
}

const besides = new WeakMap<Table, Table>();

/** A sequence that a column owns stands beside its table, wherever that goes: https://www.postgresql.org/docs/15/sql-createsequence.html */
function withSequencesBeside(table: Table): Table {
  if (!table.columns.some(({ options }) => SEQUENCES.some(name => options?.[NAME]?.[name] !== undefined)))
    return table;
  const known = besides.get(table) ?? {
    ...table,
    columns: table.columns.map((column): Column => {
      const own = Object.entries(column.options?.[NAME] ?? {}).map(([name, value]) => {
        if (!SEQUENCES.includes(name)) return [name, value] as const;
        const { namespace } = table;
        return [
          name,
          addressOf({
            name: cutName(parseAddress(value).name, NAME_LIMIT),
            ...(namespace !== undefined && { namespace }),
          }),
        ] as const;
      });
      return own.length === 0 ? column : { ...column, options: { [NAME]: Object.fromEntries(own) } };
    }),
  };
  besides.set(table, known);
  besides.set(known, known);
  return known;
}

const SEQUENCES = ["sequence", "sequence name"];

const FOREIGN_METHODS = ["fulltext", "spatial", "rtree"];

/** Why PostgreSQL cannot hold an index. */
export function cannotHoldIndex({ method = "" }: Index): string | undefined {
  return FOREIGN_METHODS.includes(method) ? `PostgreSQL has no indexes of the kind ${method}` : undefined;
}

/** Why PostgreSQL cannot hold a rule. */
export function cannotHold(rule: Rule): string | undefined {
  if (rule.kind !== "pattern") return undefined;
  const reason = unheldPattern(rule.pattern, rule.flags);
  return reason === undefined ? undefined : `PostgreSQL has no pattern that is exactly the same: ${reason}`;
}

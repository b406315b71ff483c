import { placeholderOf } from "../../sql/tokens.js";
import type { Schema, Table } from "../../schema/types.js";
import { raiseSchema, type RaiseRules } from "../../lower/raise.js";
import { settle } from "./settle.js";
import { NAME, raiseType } from "./types.js";

const RULES: RaiseRules = { dialect: NAME, settle, type: raiseType, length: "char_length(" };

/** A settled schema in portable words wherever they settle back to the same. */
export function raise(schema: Schema): Schema {
  return raiseSchema(schema, RULES);
}

/** The schema as it may have been sent: the server writes lists and quotes in a form of its own. */
export function unspell(schema: Schema): Schema {
  return { ...schema, tables: schema.tables.map(unspellTable) };
}

/** Comparisons of one column, or of its length, with numbers: `between 1 and 9` is what `>= 1 AND <= 9` is. */
function unspellComparisons(text: string, placeholder: string): string | undefined {
  const escaped = placeholder.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");
  const number = "-?\\d+(?:\\.\\d+)?";
  const left = `(${escaped}|char_length\\(${escaped}\\))`;
  const one = new RegExp(
    `^${left} (?:(>=|<=|>|<) (${number})|between (${number}) and (${number}))(?: and |$)`,
  );
  const parts: string[] = [];
  for (let rest = text; rest !== "";) {
    const found = one.exec(rest);
    if (!found) return undefined;
    const [all, of, operator, value, least, most] = found;
    parts.push(
      operator === undefined ? `${of!} >= ${least!} AND ${of!} <= ${most!}` : `${of!} ${operator} ${value!}`,
    );
    rest = rest.slice(all.length);
  }
  return parts.join(" AND ");
}

function unspellTable(table: Table): Table {
  return {
    ...table,
    // All keys are called PRIMARY.
    ...(table.key && { key: { ...table.key, name: `pk_${table.name}` } }),
    checks: table.checks.map(check => {
      const [only] = check.rules;
      if (only?.kind !== "sql" || typeof only.sql !== "string") return check;
      const column = table.columns.find(({ name }) => only.sql.toString().includes(placeholderOf(name)));
      const compared = column && unspellComparisons(only.sql, placeholderOf(column.name));
      if (compared !== undefined) return { ...check, rules: [{ kind: "sql", sql: compared }] };
      const list = column && /^(.+?) in \(([^]*)\)$/.exec(only.sql);
      const placeholder = column && placeholderOf(column.name);
      const exact = `cast(${placeholder!} as char charset binary)`;
      if (!list || (list[1] !== placeholder && list[1] !== exact)) return check;
      const left = list[1] === exact ? `BINARY ${placeholder!}` : placeholder!;
      const items = [...list[2]!.matchAll(/('(?:[^'\\]|'')*'|-?\d+)(?:,|$)/g)];
      if (items.map(([all]) => all).join("") !== list[2]) return check;
      return {
        ...check,
        rules: [{ kind: "sql", sql: `${left} IN (${items.map(([, item]) => item).join(", ")})` }],
      };
    }),
  };
}

import { spellExpression } from "../../lower/expressions.js";
import { addressOf } from "../../schema/address.js";
import { EVERYONE, rolesIn, seersOf } from "../../schema/grants.js";
import { cutName } from "../../schema/naming.js";
import type { ObjectDefinition, Table } from "../../schema/types.js";
import { closing, statementsOf } from "../../sql/object-head.js";
import { fillPlaceholders } from "../../sql/placeholders.js";
import { matters, nameOf, tokenize, type Token } from "../../sql/tokens.js";
import type { RowsOfRole } from "../shared/dialect.js";
import { textOf } from "../shared/object-text.js";
import { literalSql } from "./expressions.js";
import { NAME_LIMIT, quote, quoteTable } from "./names.js";
import { TOKENS } from "./settle.js";

/** https://www.postgresql.org/docs/15/ddl-rowsecurity.html */
const ALL_ROWS = "true";

/**
 * A policy that shows a role the rows of which a condition holds, or to all others what they saw before: whoever is none
 * of the roles, nor has what one of them has.
 */
export function rowsSql({ table, role, condition, roles }: RowsOfRole): {
  readonly name: string;
  readonly sql: string;
} {
  const name = policyName(role);
  const others = roles.map(each => `pg_has_role(CURRENT_USER, ${literalSql(each)}, 'USAGE')`).join(" OR ");
  const holds =
    role === undefined
      ? `NOT (${others})`
      : fillPlaceholders(condition, column => quote(cutName(column, NAME_LIMIT)));
  const to = role === undefined || role === EVERYONE ? "PUBLIC" : quote(role);
  const on = quoteTable(table);
  return {
    name,
    sql: `CREATE POLICY ${quote(name)} ON ${on} TO ${to} USING (${holds});\nALTER TABLE ${on} ENABLE ROW LEVEL SECURITY`,
  };
}

function policyName(role: string | undefined): string {
  return cutName(role === undefined ? "rows_others" : `rows_${role}`, NAME_LIMIT);
}

/** What the policies of a table come to. */
interface Rows {
  /** Of each role its condition, with columns in placeholders. */
  readonly conditions: ReadonlyMap<string, string>;
  /** The roles that all others are told from; absent: everyone is spoken of. */
  readonly told?: readonly string[];
}

/**
 * Of each role that a table's policies speak of what rows it sees, with columns in placeholders: those that `rowsSql` would
 * make again, all of them; undefined where one of them is another, or one is missing.
 */
export function rowsIn(
  table: Table,
  policies: readonly ObjectDefinition[],
): ReadonlyMap<string, string> | undefined {
  const rows = readRows(table, policies);
  const granted = rolesIn({ tables: [table] });
  if (!rows || !granted.every(role => rows.conditions.has(role))) return undefined;
  const roles = [...rows.conditions.keys()].sort();
  const seers = seersOf(roles);
  const isWhole =
    policies.length === seers.length &&
    seers.includes(undefined) === (rows.told !== undefined) &&
    [...(rows.told ?? roles)].sort().join("\n") === roles.join("\n");
  return isWhole && [...rows.conditions.values()].some(each => each !== ALL_ROWS)
    ? rows.conditions
    : undefined;
}

/**
 * The policies of a table as they may have been sent, one for each, where they are such as `rowsSql` makes.
 * @param shorter a condition in brackets, as the server gives it, as it may have been sent
 */
export function unspellPolicies(
  table: Table,
  policies: readonly ObjectDefinition[],
  shorter: (condition: string) => string,
): readonly ObjectDefinition[] {
  const conditions = rowsIn(table, policies);
  if (!conditions) return policies;
  const roles = [...conditions.keys()].sort();
  const on = addressOf(table);
  const sent = new Map(
    seersOf(roles).map(role => {
      const condition = bare(shorter(`(${role === undefined ? ALL_ROWS : conditions.get(role)!})`));
      const { name, sql } = rowsSql({ table: on, roles, condition, ...(role !== undefined && { role }) });
      return [name, sql];
    }),
  );
  return policies.map(policy => ({ ...policy, sql: sent.get(policy.name)! }));
}

function readRows(table: Table, policies: readonly ObjectDefinition[]): Rows | undefined {
  const conditions = new Map<string, string>();
  let told: readonly string[] | undefined;
  for (const policy of policies) {
    const read = readPolicy(policy);
    if (!read) return undefined;
    if (policy.name === policyName(undefined) && read.to === EVERYONE) {
      told = rolesNotHad(read.holds);
      if (!told) return undefined;
    } else if (policy.name === policyName(read.to)) {
      conditions.set(read.to, spellExpression(bare(read.holds), table.columns, TOKENS));
    } else return undefined;
  }
  return { conditions, ...(told && { told }) };
}

/** `CREATE POLICY … ON … TO one USING (…)`, and that rows are asked about. */
function readPolicy(policy: ObjectDefinition): { readonly to: string; readonly holds: string } | undefined {
  const [sql = "", asked = "", ...more] = statementsOf(textOf(policy), TOKENS);
  if (more.length > 0 || !/ ENABLE ROW LEVEL SECURITY$/.test(asked)) return undefined;
  const tokens = tokenize(sql, TOKENS).filter(matters);
  const isWord = (at: number, word: string) =>
    tokens[at]?.kind === "word" && tokens[at].text.toUpperCase() === word;
  const to = tokens.findIndex((_, at) => isWord(at, "TO"));
  const role = tokens[to + 1];
  const open = to + 3;
  // Behind the table's name, so that it is for all that one does with rows, and lets rather than keeps from.
  const isPlain = isWord(to - (tokens[to - 2]?.text === "." ? 4 : 2), "ON");
  if (!role || !isPlain || !isWord(to + 2, "USING") || tokens[open]?.text !== "(") return undefined;
  if (closing(tokens, open) !== tokens.length - 1) return undefined;
  const [first, last] = [tokens[open]!.at + 1, tokens.at(-1)!.at];
  const name = isWord(to + 1, "PUBLIC") ? EVERYONE : nameOf(role);
  return { to: name, holds: sql.slice(first, last) };
}

/** Without brackets around all of it. */
function bare(condition: string): string {
  const tokens: Token[] = tokenize(condition, TOKENS).filter(matters);
  const isWrapped = tokens[0]?.text === "(" && closing(tokens, 0) === tokens.length - 1;
  return isWrapped ? bare(condition.slice(tokens[0]!.at + 1, tokens.at(-1)!.at)) : condition;
}

/** `NOT (pg_has_role(CURRENT_USER, 'visitor'::name, 'USAGE'::text) OR …)`: the roles; undefined for anything else. */
function rolesNotHad(condition: string): string[] | undefined {
  const roles: string[] = [];
  const left = bare(condition).replace(
    /pg_has_role\(CURRENT_USER, '((?:[^']|'')*)'(?:::name)?, 'USAGE'(?:::text)?\)/g,
    (_, role: string) => {
      roles.push(role.replaceAll("''", "'"));
      return "?";
    },
  );
  return /^NOT \(?\?(?: OR \?)*\)?$/.test(left) ? roles : undefined;
}

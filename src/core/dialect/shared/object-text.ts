import { addressOf } from "../../schema/address.js";
import type { ObjectDefinition } from "../../schema/types.js";
import { readHead, statementsOf, type ObjectHead } from "../../sql/object-head.js";
import type { TokenRules } from "../../sql/tokens.js";

/** What tells an object, as its head says it. */
export type ObjectName = Pick<ObjectDefinition, "kind" | "name" | "namespace" | "on">;

/** What a head tells. A trigger stands where its table does. */
export function nameInHead({ kind, name, namespace, on }: ObjectHead): ObjectName {
  return {
    kind,
    name,
    ...(namespace !== undefined && on === undefined && { namespace }),
    ...(on && { on: addressOf(on) }),
  };
}

/** Settings that may stand before an object, where an engine keeps with it how its session was set. */
export function settingsBefore(statements: readonly string[], { delimiters }: TokenRules): string[] {
  if (!delimiters) return [];
  const end = statements.findIndex(sql => !SETTING.test(sql));
  return statements.slice(0, end < 0 ? undefined : end);
}

/** https://mariadb.com/kb/en/create-event/: a routine keeps its mode, an event its time zone, too. */
const SETTING = /^set\s+(?:session\s+)?(?:sql_mode|time_zone)\s*=\s*'[^']*'$/i;

/** An object from SQL that an engine gave back, statement by statement; undefined where it makes none. */
export function objectOf(sql: string, tokens: TokenRules): ObjectDefinition | undefined {
  const statements = statementsOf(sql, tokens);
  const heads = statements.map(each => readHead(each, tokens));
  const head = heads[settingsBefore(statements, tokens).length];
  return (
    head && {
      ...nameInHead(head),
      sql: statements.map((each, at) => heads[at]?.sql ?? each).join(";\n"),
    }
  );
}

/** Settled, it is a text. */
export function textOf({ sql }: ObjectDefinition): string {
  return typeof sql === "string" ? sql : "";
}

/** `DROP VIEW "open_pieces"` for each that an object is: functions of one name are one object. */
export function heads(object: ObjectDefinition, tokens: TokenRules): ObjectHead[] {
  return statementsOf(textOf(object), tokens).flatMap(sql => {
    const head = readHead(sql, tokens);
    return head?.kind === object.kind && head.name === object.name ? [head] : [];
  });
}

/** The statements that make an object, with OR REPLACE where one of its name may be there. */
export function createStatements(object: ObjectDefinition, inPlace: boolean, tokens: TokenRules): string[] {
  return statementsOf(textOf(object), tokens).map(sql =>
    inPlace && readHead(sql, tokens)?.kind === object.kind
      ? sql.replace(/^CREATE (?:OR REPLACE )?/i, "CREATE OR REPLACE ")
      : sql,
  );
}

import { addressOf, parseAddress } from "../../schema/address.js";
import type { ObjectDefinition } from "../../schema/types.js";
import { statementsOf } from "../../sql/object-head.js";
import { terminated } from "../../sql/statements.js";
import type { TokenRules } from "../../sql/tokens.js";

/**
 * A file for each object, as one dialect has it: `open_pieces.postgres.sql`, from the folder of objects. A client that
 * parts statements by itself is told where they end.
 */
export function objectFiles(
  objects: readonly ObjectDefinition[],
  { name: dialect, tokens }: { readonly name: string; readonly tokens: TokenRules },
): { readonly path: string; readonly text: string }[] {
  const taken = new Set<string>();
  return objects.flatMap(object => {
    const sql = typeof object.sql === "string" ? object.sql : object.sql[dialect];
    if (sql === undefined) return [];
    const bare = plain(object.name);
    const longer = plain(
      object.on === undefined ? addressOf(object) : `${parseAddress(object.on).name}_${bare}`,
    );
    const names = [bare, longer, ...Array.from({ length: objects.length }, (_, at) => `${bare}_${at + 2}`)];
    const name = names.find(each => !taken.has(each.toLowerCase()))!;
    taken.add(name.toLowerCase());
    const text = statementsOf(sql, tokens)
      .map(statement => terminated(statement, tokens))
      .join("\n");
    return [{ path: `${name}.${dialect}.sql`, text: `${text}\n` }];
  });
}

/** A name as any file system takes it. */
function plain(name: string): string {
  return name.replace(/[^\p{L}\p{N}_-]+/gu, "_") || "object";
}

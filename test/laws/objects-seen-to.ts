import { apply } from "../../src/core/change/apply.js";
import { order } from "../../src/core/change/order.js";
import type { Change } from "../../src/core/change/types.js";
import type { Dialect } from "../../src/core/dialect/shared/dialect.js";
import { objectOf } from "../../src/core/dialect/shared/object-text.js";
import { addressOf, parseAddress, quoteAddress } from "../../src/core/schema/address.js";
import { isObject, type ObjectDefinition, type Schema } from "../../src/core/schema/types.js";
import { mentionsIn } from "../../src/core/sql/object-head.js";
import { nameOf, tokenize } from "../../src/core/sql/tokens.js";

/**
 * Changes as somebody makes them who has objects over the tables: what speaks of a table by another name gets that name,
 * and what speaks of something that goes, or of a column by another name, goes.
 */
export function withObjectsSeenTo(
  at: Schema,
  changes: readonly Change[],
  dialect: Dialect,
): { readonly changes: readonly Change[]; readonly after: Schema } {
  const objects = (at.definitions ?? []).filter(isObject);
  const gone = new Set(changes.flatMap(goneBy).map(name => name.toLowerCase()));
  const renamed = new Map(
    changes.flatMap(change => (change.kind === "rename table" ? [[change.from, change.to]] : [])),
  );
  if (objects.length === 0 || gone.size + renamed.size === 0) return { changes, after: apply(at, changes) };
  const speaks = (object: ObjectDefinition, names: ReadonlySet<string>) => {
    const { bound, inside } = mentionsIn(textOf(object, dialect), dialect.tokens);
    return [...names].some(name => bound.has(name) || inside.has(name));
  };
  const going = new Set<ObjectDefinition>();
  for (let found = objects; found.length > 0;) {
    found = objects.filter(object => !going.has(object) && speaks(object, gone));
    for (const object of found) {
      going.add(object);
      gone.add(object.name.toLowerCase());
    }
  }
  const named = [...renamed].map(
    ([from, to]) => [parseAddress(from).name, heldName(at, changes, to!, dialect)] as const,
  );
  const own = objects.flatMap((object): Change[] => {
    if (going.has(object)) return [{ kind: "drop definition", definition: object }];
    const text = textOf(object, dialect);
    const changed = named.reduce((so, [from, to]) => withName(so, from, to, dialect), text);
    if (changed === text) return [];
    const after = objectOf(changed, dialect.tokens)!;
    const definition = { ...after, sql: { [dialect.name]: after.sql as string } };
    return [
      { kind: "drop definition", definition: object },
      { kind: "add definition", definition },
    ];
  });
  const all = order([...own, ...changes]);
  return { changes: all, after: apply(at, all) };
}

function goneBy(change: Change): string[] {
  switch (change.kind) {
    case "drop table":
      return [change.table.name];
    case "drop column":
      return [change.column.name];
    case "rename column":
      return [change.from];
    default:
      return [];
  }
}

function textOf({ sql }: ObjectDefinition, { name }: Dialect): string {
  return typeof sql === "string" ? sql : (sql[name] ?? "");
}

/** How a table is called by SQL of a dialect after some changes. */
function heldName(at: Schema, changes: readonly Change[], to: string, { types, names }: Dialect): string {
  const { tables } = apply(
    { tables: at.tables, ...(at.definitions && { definitions: at.definitions }) },
    changes,
  );
  const place = tables.findIndex(table => addressOf(table) === to);
  const settled = types.settle({ tables }).tables[place]!;
  return quoteAddress(addressOf(settled), names.quote);
}

/** Every name outside of texts that is the table's, and those in bodies too. */
function withName(text: string, from: string, to: string, dialect: Dialect): string {
  return tokenize(text, dialect.tokens)
    .map(token => {
      if (token.kind === "string" && token.text.startsWith("$")) {
        const tag = /^\$\w*\$/.exec(token.text)![0];
        return `${tag}${withName(token.text.slice(tag.length, -tag.length), from, to, dialect)}${tag}`;
      }
      const isName = token.kind === "word" || token.kind === "name";
      return isName && nameOf(token).toLowerCase() === from.toLowerCase() ? to : token.text;
    })
    .join("");
}

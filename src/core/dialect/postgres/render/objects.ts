import { namesThrough } from "../../../change/names.js";
import type { Change } from "../../../change/types.js";
import type { Block, RenderPlan } from "../../shared/render-plan.js";
import { addressOf } from "../../../schema/address.js";
import type { ObjectDefinition } from "../../../schema/types.js";
import { createStatements, heads } from "../../shared/object-text.js";
import type { Again, ObjectSyntax } from "../../shared/objects.js";
import { giveBackSurroundingsSql, holdSurroundingsSql, type Recreated } from "../surroundings.js";
import { quote, quoteTable } from "../names.js";
import { matters, tokenize, type Token } from "../../../sql/tokens.js";
import { TOKENS } from "../settle.js";

/**
 * PostgreSQL knows what a view, a trigger or the head of a routine is made of, and lets nothing of it go
 * (https://www.postgresql.org/docs/15/ddl-depend.html); what a body in quotes speaks of it does not look at.
 */
export const OBJECTS: ObjectSyntax = {
  tokens: TOKENS,
  minds: (_, change) => MINDED.has(change.kind),
  isOff: () => true,
  // Another result, or other arguments, are another function.
  replaces: (before, after) =>
    isRoutine(before) &&
    heads(before, TOKENS)
      .map(({ signature }) => signature)
      .join() ===
      heads(after, TOKENS)
        .map(({ signature }) => signature)
        .join(),
  isForTables: isRoutine,
  dropSql: object => {
    const word = object.kind.toUpperCase();
    if (object.on !== undefined) return [`DROP ${word} ${quote(object.name)} ON ${quoteTable(object.on)}`];
    const name = quoteTable(addressOf(object));
    if (!isRoutine(object)) return [`DROP ${word} ${name}`];
    return heads(object, TOKENS).map(({ takes }) => `DROP ${word} ${name}(${takes})`);
  },
  createSql: (object, inPlace) => createStatements(object, inPlace, TOKENS),
  atLast: withoutPolicies,
  holdSurroundings: moved => {
    const again = moved.flatMap(recreated);
    if (again.length === 0) return undefined;
    const held = "emberset.held";
    return { hold: holdSurroundingsSql(again, held), giveBack: giveBackSurroundingsSql(held) };
  },
};

/** Where the last policy is gone, rows are no longer asked about. */
function withoutPolicies(
  old: readonly ObjectDefinition[],
  now: readonly ObjectDefinition[],
  { changes, after }: RenderPlan,
): Block[] {
  const names = namesThrough(changes);
  const placesOf = (objects: readonly ObjectDefinition[]) =>
    new Set(objects.flatMap(({ kind, on }) => (kind === "policy" && on !== undefined ? [on] : [])));
  const kept = placesOf(now);
  const there = new Set(after.tables.map(addressOf));
  return [...placesOf(old)]
    .map(place => names.after(place))
    .filter(place => there.has(place) && !kept.has(place) && !names.arrives(place))
    .map(place => ({
      title: `all rows of ${place} are seen again`,
      statements: [`ALTER TABLE ${quoteTable(place)} DISABLE ROW LEVEL SECURITY`],
    }));
}

function isRoutine({ kind }: ObjectDefinition): boolean {
  return kind === "function" || kind === "procedure";
}

/** Of columns that arrive a view learns only when it is made anew: `*` is what there was. */
const MINDED: ReadonlySet<Change["kind"]> = new Set<Change["kind"]>([
  "drop table",
  "rename table",
  "add column",
  "drop column",
  "rename column",
  "alter column",
  "alter definition",
]);

/** What owners, rights and other things belong to: functions of one name by their arguments, and where only one is left of each, that one. */
function recreated({ was, now, same }: Again): Recreated[] {
  const [before, after] = [quoteTable(addressOf(was)), quoteTable(addressOf(now))];
  if (was.kind === "view" || was.kind === "materialized view")
    return [{ kind: was.kind, before, after, same }];
  if (!isRoutine(was)) return [];
  const earlier = heads(was, TOKENS).map(({ takes }) => takes);
  const later = heads(now, TOKENS).map(({ takes }) => takes);
  const typed = new Map(later.map(takes => [typesOf(takes), takes]));
  const gone = earlier.filter(takes => !typed.has(typesOf(takes)));
  const come = later.filter(takes => !earlier.some(each => typesOf(each) === typesOf(takes)));
  const heir = gone.length === 1 && come.length === 1 ? come[0] : undefined;
  return earlier.flatMap((takes): Recreated[] => {
    const next = typed.get(typesOf(takes)) ?? heir;
    if (next === undefined) return [];
    return [{ kind: "routine", before: `${before}(${typesOf(takes)})`, after: `${after}(${next})`, same }];
  });
}

/** The types of a routine's arguments that go in, as `regprocedure` reads them: `a text, OUT b date` → `text`. */
function typesOf(takes: string): string {
  const tokens = tokenize(takes, TOKENS).filter(matters);
  const parts: Token[][] = [[]];
  let depth = 0;
  for (const token of tokens) {
    if (token.text === "(") depth += 1;
    if (token.text === ")") depth -= 1;
    if (token.text === "," && depth === 0) parts.push([]);
    else parts.at(-1)!.push(token);
  }
  return parts.flatMap(typeOf).join(", ");
}

/** A name may stand before a type that does not begin with it: https://www.postgresql.org/docs/15/sql-createfunction.html */
function typeOf(argument: readonly Token[]): string[] {
  const isMode = MODES.test(argument[0]?.text ?? "") && argument.length > 1;
  if (isMode && /^out$/i.test(argument[0]!.text)) return [];
  const [first, second, ...rest] = isMode ? argument.slice(1) : argument;
  if (!first) return [];
  const isNamed =
    (second?.kind === "word" || second?.kind === "name") &&
    !(
      first.kind === "word" &&
      (TYPE_WORDS.test(first.text) || `${first.text} ${second.text}`.toLowerCase() === "double precision")
    );
  const type = isNamed ? [second, ...rest] : [first, ...(second ? [second, ...rest] : [])];
  return [
    type
      .map(({ text }) => text)
      .join(" ")
      .replace(/ ?([.([\])]) ?/g, "$1"),
  ];
}

const MODES = /^(?:in|out|inout|variadic)$/i;

/** Words that a type may begin with and no argument is called. */
const TYPE_WORDS =
  /^(?:bit|char|character|dec|decimal|float|int|integer|interval|national|nchar|numeric|real|setof|time|timestamp|varchar|bigint|smallint|boolean)$/i;

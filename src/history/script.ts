import type { Direction } from "../core/direction.js";
import { invert } from "../core/change/invert.js";
import { lossOf } from "../core/change/loss.js";
import type { Change } from "../core/change/types.js";
import { describeChange } from "../core/change/words.js";
import { keptByFilling } from "../core/dialect/shared/kept-by-triggers.js";
import type { Dialect } from "../core/dialect/shared/dialect.js";
import type { Block, RenderPlan } from "../core/dialect/shared/render-plan.js";
import { widens } from "../core/dialect/registry.js";
import { asOnline, hindrancesOf } from "../core/plan/online.js";
import { losesNothingOn } from "../core/plan/kept.js";
import { heldAddresses, planFor, type Keeping } from "../core/plan/plan.js";
import { addressOf } from "../core/schema/address.js";
import type { Schema } from "../core/schema/types.js";
import { splitStatements, terminated, type Statement } from "../core/sql/statements.js";
import { showNumber, type Migration } from "./migration.js";
import { readScript } from "./read.js";

/** What a migration does in a direction, and the schema it does that to. */
export function wayOf(
  { changes, schemaBefore, schemaAfter }: Pick<Migration, "changes" | "schemaBefore" | "schemaAfter">,
  direction: Direction,
): { readonly before: Schema; readonly changes: readonly Change[] } {
  return direction === "forward"
    ? { before: schemaBefore, changes }
    : { before: schemaAfter, changes: invert(changes) };
}

/** How a migration keeps what it takes away, run in one direction; undefined: it does not. */
function keepingOf({ kept, number }: Migration, direction: Direction): Keeping | undefined {
  return kept ? { number: showNumber(number), direction } : undefined;
}

/** What a migration, run in one direction, is to a dialect. */
export const migrationPlan = onceEach((migration, direction, dialect): RenderPlan => {
  const { before, changes } = wayOf(migration, direction);
  const plan = planFor(dialect, before, changes, keepingOf(migration, direction));
  return migration.online ? asOnline(plan, dialect) : plan;
});

/** A script as it is drafted. */
export const scriptText = onceEach(draftText);

/** Migrations are never changed in place, and many databases ask the same of them. */
function onceEach<T>(
  make: (migration: Migration, direction: Direction, dialect: Dialect) => T,
): (migration: Migration, direction: Direction, dialect: Dialect) => T {
  const known = new WeakMap<Migration, WeakMap<Dialect, Map<Direction, T>>>();
  return (migration, direction, dialect) => {
    const own = known.get(migration) ?? new WeakMap<Dialect, Map<Direction, T>>();
    known.set(migration, own);
    const made = own.get(dialect) ?? new Map<Direction, T>();
    own.set(dialect, made);
    if (!made.has(direction)) made.set(direction, make(migration, direction, dialect));
    return made.get(direction)!;
  };
}

function draftText(migration: Migration, direction: Direction, dialect: Dialect): string {
  const { changes } = wayOf(migration, direction);
  const plan = migrationPlan(migration, direction, dialect);
  const count = `${changes.length} change${changes.length === 1 ? "" : "s"}`;
  const fates = fatesOf(migration, direction, plan, dialect);
  const header = [
    headline(migration, direction, dialect),
    ...listing(
      `${count}:`,
      changes.map(change => `${describeChange(change)}${fates(change)}`),
    ),
  ];
  const blocks = dialect.render.blocks(plan);
  const body =
    blocks.length > 0
      ? blocks.map(block => blockText(block, dialect))
      : [comment(`nothing to do on ${dialect.title}`)];
  const notes = [...onlineNotes(migration, plan, dialect), ...dialect.render.scriptNotes(blocks)];
  return `${[[...header, ...notes].map(comment).join("\n"), ...body].join("\n\n")}\n`;
}

/** Whether others write while a migration runs, and why not. */
function onlineNotes({ online }: Migration, plan: RenderPlan, dialect: Dialect): string[] {
  if (!online || !dialect.render.online) return [];
  const kept = keptByFilling(plan).map(({ now, change }) => `${now}.${change.after.name}`);
  const seconds = (dialect.render.online.seconds?.(plan) ?? []).map(
    ({ table, column }) => `${table}.${column}`,
  );
  if (plan.online)
    return [
      "Online: each step is committed by itself, and waits but shortly for a lock.",
      ...(kept.length > 0
        ? [`What is null in ${kept.join(", ")} a trigger fills, and keeps in the attic that it was.`]
        : []),
      ...(seconds.length > 0
        ? [
            `${seconds.join(", ")}: a second column takes the place of the first, and stands behind the others then.`,
          ]
        : []),
    ];
  const [first, ...more] = hindrancesOf(plan, dialect);
  const others = more.length > 0 ? `, and ${more.length} more` : "";
  const whole = dialect.render.steps ? "" : ", in one transaction";
  return first ? [`Not online${whole}: ${first.what}: ${first.reason}${others}.`] : [];
}

/** The statements of a plan that is no migration's whole way, with some more behind them. */
export function planText(plan: RenderPlan, dialect: Dialect, more: readonly string[] = []): string {
  const blocks = [
    ...dialect.render.blocks(plan),
    { title: "let go of what the attic has twice", statements: more },
  ];
  return `${blocks
    .filter(({ statements }) => statements.length > 0)
    .map(block => blockText(block, dialect))
    .join("\n\n")}\n`;
}

/** A script to be written by hand. */
export function blankText(migration: Migration, direction: Direction, dialect: Dialect): string {
  const lines = [
    headline(migration, direction, dialect),
    direction === "forward"
      ? "Written by hand: statements that change rows, each ended with a semicolon. No change of the schema is recorded."
      : "Written by hand: what takes the forward script back.",
  ];
  return `${lines.map(comment).join("\n")}\n`;
}

function headline({ number, title }: Migration, direction: Direction, { name }: Dialect): string {
  return `Emberset · migration ${showNumber(number)} · ${title} · ${direction} · ${name}`;
}

/** Whether a script on disk is no longer as it was drafted: somebody wrote it, or changed it. */
export function isEdited(migration: Migration, direction: Direction, dialect: Dialect): boolean {
  return readScript(migration, direction, dialect.name).text !== scriptText(migration, direction, dialect);
}

/** The statements of a script that are not as they were drafted: somebody wrote them, or changed them. */
export function ownStatements(migration: Migration, direction: Direction, dialect: Dialect): Statement[] {
  const { text } = readScript(migration, direction, dialect.name);
  const drafted = scriptText(migration, direction, dialect);
  if (text === drafted) return [];
  const known = new Set(splitStatements(drafted, dialect.tokens).map(({ sql }) => sql));
  return splitStatements(text, dialect.tokens).filter(({ sql }) => !known.has(sql));
}

/** Whether a change leaves rows or values nowhere, unless they are kept. */
export function takesAway(change: Change): boolean {
  return lossOf(change, widens) !== undefined;
}

/** What becomes, in brackets, of what each change takes away, or of what was there before it. */
function fatesOf(
  migration: Migration,
  direction: Direction,
  { attic, changes }: RenderPlan,
  dialect: Dialect,
): (change: Change) => string {
  const kept = attic?.kept ?? [];
  const values = new Set(
    kept.flatMap(each => (each.kind === "values" ? [`${each.now}.${each.change.after.name}`] : [])),
  );
  // Whole rows are kept where no key tells them; nothing can be put back into its row then.
  const unplaced = new Set(
    kept.flatMap(each => (each.kind === "columns" && each.key.length === 0 ? [addressOf(each.table)] : [])),
  );
  // Most migrations alter and drop nothing, and their schemas have many tables.
  const after = onceAsked(() => heldAddresses(dialect, migration.schemaAfter));
  const before = onceAsked(() => heldAddresses(dialect, migration.schemaBefore));
  const isKept = (change: Change) =>
    attic !== undefined &&
    (change.kind !== "alter column" || values.has(`${after(change.table)}.${change.after.name}`));
  // What is lost elsewhere may come back here as it was.
  const losesNothing = (change: Change) =>
    change.kind === "alter column" &&
    changes.some(
      each =>
        each.kind === "alter column" &&
        each.table === after(change.table) &&
        each.after.name === change.after.name &&
        lossOf(each, losesNothingOn(dialect)) === undefined,
    );
  if (direction === "forward")
    return change => {
      if (!takesAway(change) || losesNothing(change)) return "";
      const what = change.kind === "alter column" ? "old values " : "";
      return isKept(change) ? ` (${what}kept in the attic)` : ` (${what}lost)`;
    };
  return change => {
    const done = invert([change]).find(takesAway);
    if (!done || !isKept(done)) return "";
    const isUnplaced = done.kind === "drop column" && unplaced.has(before(done.table));
    return isUnplaced ? " (its values stay away: no key tells their rows)" : " (restored from the attic)";
  };
}

function onceAsked<A, R>(make: () => (given: A) => R): (given: A) => R {
  let made: ((given: A) => R) | undefined;
  return given => (made ??= make())(given);
}

function blockText({ title, details = [], statements }: Block, { tokens }: Dialect): string {
  return [
    comment(title),
    ...details.map(detail => comment(`  ${detail}`)),
    ...statements.map(statement => terminated(statement, tokens)),
  ].join("\n");
}

/** Items with dots between them, on as many lines as it takes. */
function listing(lead: string, items: readonly string[]): string[] {
  const lines: string[] = [];
  let line = lead;
  for (const [at, item] of items.entries()) {
    const text = at < items.length - 1 ? `${item} ·` : item;
    if (line.length + text.length < LINE_WIDTH) line += ` ${text}`;
    else {
      lines.push(line);
      line = `  ${text}`;
    }
  }
  return [...lines, line];
}

const LINE_WIDTH = 116;

/** A comment line cannot be broken out of, whatever a name holds. */
function comment(text: string): string {
  return `-- ${text.replace(/[\r\n\u2028\u2029]+/g, " ")}`;
}

import { namesThrough } from "../../change/names.js";
import { isOfDefinition, tableOf, type Change } from "../../change/types.js";
import { describeChange, nameDefinition } from "../../change/words.js";
import { parseAddress } from "../../schema/address.js";
import { definitionKey, isObject, type ObjectDefinition, type Schema } from "../../schema/types.js";
import { mentionsIn } from "../../sql/object-head.js";
import type { TokenRules } from "../../sql/tokens.js";
import { textOf } from "./object-text.js";
import type { Block, RenderPlan } from "./render-plan.js";

/** How an engine has objects. */
export interface ObjectSyntax {
  readonly tokens: TokenRules;
  /** Whether an object that speaks of a table must be put up again after a change of it: it would stand in the way, or go, or mean another thing. */
  readonly minds: (object: ObjectDefinition, change: Change) => boolean;
  /** Whether it must be off meanwhile; else it is only put up anew behind all. */
  readonly isOff: (object: ObjectDefinition) => boolean;
  /** Whether one may be put in the place of another of its name. */
  readonly replaces: (before: ObjectDefinition, after: ObjectDefinition) => boolean;
  /** Whether tables may speak of one: then it comes before them, and goes behind them. */
  readonly isForTables: (object: ObjectDefinition) => boolean;
  readonly dropSql: (object: ObjectDefinition) => string[];
  /** @param inPlace whether one of its name is there */
  readonly createSql: (object: ObjectDefinition, inPlace: boolean) => string[];
  /** What is to be done when all are as they will be. @param plan without objects */
  readonly atLast?: (
    old: readonly ObjectDefinition[],
    now: readonly ObjectDefinition[],
    plan: RenderPlan,
  ) => Block[];
  /** What keeps, before some are dropped, what others have granted on them and hung on them, and what gives it back. Absent: it stays. */
  readonly holdSurroundings?: (
    moved: readonly Again[],
  ) => { readonly hold: string; readonly giveBack: string } | undefined;
}

/** An object that is dropped and created again. */
export interface Again {
  readonly was: ObjectDefinition;
  readonly now: ObjectDefinition;
  /** Whether it is just what it was. */
  readonly same: boolean;
}

/** What becomes of objects around all that becomes of tables. */
export interface AroundTables {
  /** The plan without any object. */
  readonly plan: RenderPlan;
  /** Objects that go, or are off while tables change. */
  readonly before: Block[];
  /** Those that tables speak of, as soon as the types are there that they speak of themselves. */
  readonly early: Block[];
  /** The same that go, behind all that spoke of them. */
  readonly late: Block[];
  readonly after: Block[];
}

/** A plan without objects, and the blocks that make and drop them. */
export function apartFromObjects(plan: RenderPlan, syntax: ObjectSyntax): AroundTables {
  const [old, now] = [objectsIn(plan.before), objectsIn(plan.after)];
  if (old.length + now.length === 0) return { plan, before: [], early: [], late: [], after: [] };
  const bare: RenderPlan = {
    ...plan,
    before: withoutObjects(plan.before),
    after: withoutObjects(plan.after),
    changes: plan.changes.filter(change => !isOfObject(change)),
  };
  // By the changes: the texts may be the engine's before, and the developer's after.
  const altered = new Set(
    plan.changes.flatMap(change =>
      change.kind === "alter definition" && isObject(change.after) ? [definitionKey(change.after)] : [],
    ),
  );
  const blocks = blocksOf(new Moves({ old, now, altered, plan: bare, syntax }));
  return { plan: bare, ...blocks, after: [...blocks.after, ...(syntax.atLast?.(old, now, bare) ?? [])] };
}

function objectsIn({ definitions = [] }: Schema): ObjectDefinition[] {
  return definitions.filter(isObject);
}

function withoutObjects({ definitions, ...rest }: Schema): Schema {
  const types = (definitions ?? []).filter(each => !isObject(each));
  return { ...rest, ...(types.length > 0 && { definitions: types }) };
}

function isOfObject(change: Change): boolean {
  return isOfDefinition(change) && isObject("before" in change ? change.before : change.definition);
}

/** An object that comes, and what is there in its place, if any. */
interface Move {
  readonly was?: ObjectDefinition;
  readonly now: ObjectDefinition;
}

interface Moving {
  readonly old: readonly ObjectDefinition[];
  readonly now: readonly ObjectDefinition[];
  /** Keys of those that are something else under their name. */
  readonly altered: ReadonlySet<string>;
  /** Without objects. */
  readonly plan: RenderPlan;
  readonly syntax: ObjectSyntax;
}

/** What is to be done with each object. */
class Moves {
  readonly syntax: ObjectSyntax;
  /** Objects that go, and objects that are off for a while: what is made of others first. */
  readonly off: readonly ObjectDefinition[];
  /** Objects that come, change or are put up again: what is made of others last; with what was there in their place. */
  readonly up: readonly Move[];
  readonly altered: ReadonlySet<string>;
  private readonly usedByTables: (object: ObjectDefinition) => boolean;

  constructor({ old, now, altered, plan, syntax }: Moving) {
    this.syntax = syntax;
    this.altered = altered;
    const stays = (object: ObjectDefinition) => !altered.has(definitionKey(object));
    const later = new Map(now.map(each => [definitionKey(each), each]));
    const earlier = new Map(old.map(each => [definitionKey(each), each]));
    const heir = (object: ObjectDefinition) => later.get(definitionKey(object));
    this.usedByTables = usedBy([plan.before, plan.after], [...old, ...now], syntax);
    const minding = mindingNames(plan);
    const moved = new Set(
      old.filter(object => {
        const next = heir(object);
        if (!next) return true;
        // What tables speak of cannot be off for a moment.
        if (this.usedByTables(object)) return false;
        if (!stays(object) && !syntax.replaces(object, next)) return true;
        return minding.some(
          ([name, change]) => speaksOf(object, name, syntax) && syntax.minds(object, change),
        );
      }),
    );
    // Nothing stands on what is off.
    for (let grown = true; grown;) {
      grown = false;
      for (const object of old) {
        if (moved.has(object) || ![...moved].some(other => isBoundTo(object, other, syntax))) continue;
        moved.add(object);
        grown = true;
      }
    }
    this.off = inOrder([...moved], syntax)
      .toReversed()
      .filter(object => syntax.isOff(object) || !heir(object));
    const gone = new Set(this.off);
    this.up = inOrder(now, syntax).flatMap((object): Move[] => {
      const was = earlier.get(definitionKey(object));
      if (was && !moved.has(was) && stays(object)) return [];
      return [{ now: object, ...(was && !gone.has(was) && { was }) }];
    });
  }

  isEarly(object: ObjectDefinition): boolean {
    return this.usedByTables(object);
  }
}

function blocksOf(moves: Moves): Omit<AroundTables, "plan"> {
  const { syntax, off, up } = moves;
  const coming = new Map(up.map(({ now }) => [definitionKey(now), now]));
  const again = off.flatMap((was): Again[] => {
    const [key, now] = [definitionKey(was), coming.get(definitionKey(was))];
    return now ? [{ was, now, same: !moves.altered.has(key) }] : [];
  });
  const held = again.length > 0 ? syntax.holdSurroundings?.(again) : undefined;
  const drop = (object: ObjectDefinition): Block => ({
    title: coming.has(definitionKey(object))
      ? `take off ${nameDefinition(object)} for now`
      : describeChange({ kind: "drop definition", definition: object }),
    statements: syntax.dropSql(object),
  });
  const put = ({ now, was }: Move): Block => ({
    title: titleOf(now, was, moves),
    statements: syntax.createSql(now, was !== undefined),
  });
  const isEarly = ({ now }: Move) => moves.isEarly(now);
  return {
    before: [
      ...(held
        ? [
            {
              title: "note owners, rights and what else stands around views and routines",
              details: ["a list of statements in a setting of the session; the last block runs them"],
              statements: [held.hold],
            },
          ]
        : []),
      ...off.filter(object => !moves.isEarly(object)).map(drop),
    ],
    early: up.filter(isEarly).map(put),
    late: off.filter(object => moves.isEarly(object)).map(drop),
    after: [
      ...up.filter(move => !isEarly(move)).map(put),
      ...(held
        ? [
            {
              title: "owners, rights and what else stood around them, as it was",
              statements: [held.giveBack],
            },
          ]
        : []),
    ],
  };
}

function titleOf(now: ObjectDefinition, was: ObjectDefinition | undefined, { off, altered }: Moves): string {
  const before = was ?? off.find(each => definitionKey(each) === definitionKey(now));
  if (!before) return describeChange({ kind: "add definition", definition: now });
  if (!altered.has(definitionKey(now))) return `put ${nameDefinition(now)} up again`;
  return describeChange({ kind: "alter definition", before, after: now });
}

/** Changes with the names of the tables they are about, as they were before, and of types that change. */
function mindingNames({ changes }: RenderPlan): (readonly [string, Change])[] {
  const names = namesThrough(changes);
  return changes.flatMap((change): (readonly [string, Change])[] => {
    if (isOfDefinition(change))
      return change.kind === "alter definition" ? [[change.before.name.toLowerCase(), change]] : [];
    const table = tableOf(change)!;
    const called = new Set([table, names.before(table)].map(each => parseAddress(each).name.toLowerCase()));
    return [...called].map(name => [name, change] as const);
  });
}

function speaksOf(object: ObjectDefinition, name: string, { tokens }: ObjectSyntax): boolean {
  return mentionsIn(textOf(object), tokens).bound.has(name);
}

/** Whether an engine would not let one go for the other, or with it. */
function isBoundTo(object: ObjectDefinition, other: ObjectDefinition, syntax: ObjectSyntax): boolean {
  return isMeant(object, other) && speaksOf(object, other.name.toLowerCase(), syntax);
}

/** Whether a name in an object's text may be another's: in its head stands its own, which a trigger's function often has too. */
function isMeant(object: ObjectDefinition, other: ObjectDefinition): boolean {
  if (object === other) return false;
  return (
    object.name.toLowerCase() !== other.name.toLowerCase() ||
    (object.kind === "trigger" && other.kind === "function")
  );
}

/** Which objects are spoken of by defaults, checks and computed columns, straight or by way of others. */
function usedBy(
  schemas: readonly Schema[],
  objects: readonly ObjectDefinition[],
  syntax: ObjectSyntax,
): (object: ObjectDefinition) => boolean {
  const spoken = new Set<string>();
  const listen = (value: unknown, key: string): void => {
    if (typeof value === "string") {
      if (key !== "sql" && key !== "where" && key !== "default") return;
      const { bound, inside } = mentionsIn(value, syntax.tokens);
      for (const name of [...bound, ...inside]) spoken.add(name);
    } else if (typeof value === "object" && value !== null)
      for (const [name, each] of Object.entries(value)) listen(each, Array.isArray(value) ? key : name);
  };
  const hearAll = () => {
    for (const schema of schemas) listen(schema, "");
    const left = new Set(objects.filter(syntax.isForTables));
    for (let found = [...left]; found.length > 0;) {
      found = [...left].filter(({ name }) => spoken.has(name.toLowerCase()));
      for (const object of found) {
        left.delete(object);
        const { bound, inside } = mentionsIn(textOf(object), syntax.tokens);
        for (const name of [...bound, ...inside]) spoken.add(name);
      }
    }
  };
  let isHeard = false;
  return object => {
    if (!syntax.isForTables(object)) return false;
    if (!isHeard) hearAll();
    isHeard = true;
    return spoken.has(object.name.toLowerCase());
  };
}

/**
 * What others are made of comes first, else in the order given. A name may be a column's as well, and a body in quotes is
 * looked into only when it is run: neither stands against what one reads for certain.
 */
function inOrder(objects: readonly ObjectDefinition[], { tokens }: ObjectSyntax): ObjectDefinition[] {
  const byName = new Map<string, ObjectDefinition[]>();
  for (const object of objects) {
    const name = object.name.toLowerCase();
    byName.set(name, [...(byName.get(name) ?? []), object]);
  }
  const named = (names: ReadonlySet<string>, own: ObjectDefinition) =>
    [...byName].flatMap(([name, found]) => (names.has(name) ? found.filter(each => isMeant(own, each)) : []));
  const edges = new Map(
    objects.map(object => {
      const { read, bound, inside } = mentionsIn(textOf(object), tokens);
      return [
        object,
        { read: named(read, object), maybe: named(new Set([...bound, ...inside]), object) },
      ] as const;
    }),
  );
  const reaches = (
    from: ObjectDefinition,
    to: ObjectDefinition,
    seen = new Set<ObjectDefinition>(),
  ): boolean =>
    edges.get(from)!.read.some(next => {
      if (next === to) return true;
      if (seen.has(next)) return false;
      seen.add(next);
      return reaches(next, to, seen);
    });
  const done = new Set<ObjectDefinition>();
  const visit = (object: ObjectDefinition): void => {
    if (done.has(object)) return;
    done.add(object);
    const { read, maybe } = edges.get(object)!;
    for (const each of read) visit(each);
    for (const each of maybe) if (!reaches(each, object)) visit(each);
    sorted.push(object);
  };
  const sorted: ObjectDefinition[] = [];
  for (const object of objects) visit(object);
  return sorted;
}

import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import { invert } from "../../src/core/change/invert.js";
import { order } from "../../src/core/change/order.js";
import { dialects } from "../../src/core/dialect/registry.js";
import { canonical, fingerprint } from "../../src/core/schema/canonical.js";
import { arbitrarySchema, nameOrText, renamesBetween } from "./arbitrary-schema.js";
import { RUNS, SEED } from "./runs.js";
import type { Change } from "../../src/core/change/types.js";
import type { Schema } from "../../src/core/schema/types.js";
import { addressOf } from "../../src/core/schema/address.js";

const schema = arbitrarySchema({ hostile: true, roles: ["visitor", 'odd "role"'] });
const options = { seed: SEED, numRuns: RUNS };

describe("the algebra of changes", () => {
  test("apply(a, diff(a, b)) = b, and its inverse leads back to a, column for column", () => {
    let changed = 0;
    fc.assert(
      fc.property(schema, schema, fc.nat(30), (a, b, seed) => {
        const changes = diff(a, b, renamesBetween(a, b, seed));
        changed += changes.length;
        const reached = apply(a, changes);
        expect(canonical(reached)).toEqual(canonical(b));
        expect(fingerprint(reached)).toBe(fingerprint(b));
        expect(byName(apply(reached, invert(changes)))).toEqual(byName(a));
      }),
      options,
    );
    expect(changed).toBeGreaterThan(RUNS);
  });

  test("diff(a, a) = []", () => {
    fc.assert(
      fc.property(schema, a => {
        expect(diff(a, structuredClone(a))).toEqual([]);
      }),
      options,
    );
  });

  test("changes in any order are put into one that leads there, and most other orders lead nowhere", () => {
    const tried = { several: 0, refused: 0 };
    fc.assert(
      fc.property(schema, schema, fc.integer(), fc.nat(30), (a, b, seed, renames) => {
        const changes = diff(a, b, renamesBetween(a, b, renames));
        const shuffled = inTheirOrder(shuffle(changes, seed), changes);
        const ordered = order(shuffled);
        expect(canonical(apply(a, ordered))).toEqual(canonical(b));
        // No table refers to one that is not there yet, or is gone already: databases refuse that.
        expect(firstMissing(a, ordered)).toBeUndefined();
        if (changes.length < 2) return;
        tried.several += 1;
        if (firstMissing(a, shuffled) !== undefined) tried.refused += 1;
      }),
      options,
    );
    expect(tried.refused / tried.several).toBeGreaterThan(0.25);
  });

  test("inverting twice changes nothing", () => {
    fc.assert(
      fc.property(schema, schema, (a, b) => {
        const changes = diff(a, b);
        expect(invert(invert(changes))).toEqual(changes);
      }),
      options,
    );
  });
});

describe.each(Object.values(dialects))("settling for $title", dialect => {
  test("settle is idempotent, and settle(raise(p)) = p", () => {
    fc.assert(
      fc.property(schema, a => {
        const settled = dialect.types.settle(a);
        expect(dialect.types.settle(structuredClone(settled))).toEqual(settled);
        expect(dialect.types.settle(dialect.types.raise(settled))).toEqual(settled);
      }),
      options,
    );
  });
});

/** Tables by name, their columns in order; the order of named parts means nothing. */
function byName({ tables }: ReturnType<typeof apply>) {
  const sorted = <T extends { readonly name: string }>(parts: readonly T[]) =>
    [...parts].sort((x, y) => (nameOrText(x) < nameOrText(y) ? -1 : 1));
  return sorted(tables).map(table => ({
    ...table,
    uniques: sorted(table.uniques),
    indexes: sorted(table.indexes),
    foreignKeys: sorted(table.foreignKeys),
    checks: sorted(table.checks),
  }));
}

/** Renames keep the order among themselves, which says what goes by way of a spare name. */
function inTheirOrder(shuffled: readonly Change[], changes: readonly Change[]): Change[] {
  const renames = changes.filter(({ kind }) => kind.startsWith("rename"));
  let at = 0;
  return shuffled.map(change => (change.kind.startsWith("rename") ? (renames[at++] ?? change) : change));
}

/** The first change that a database would refuse for what is there, or is not, when its turn comes. */
function firstMissing(a: Schema, changes: readonly Change[]): Change | undefined {
  let now = a;
  for (const change of changes) {
    let next: Schema;
    try {
      next = apply(now, [change]);
    } catch {
      return change;
    }
    const there = new Set(next.tables.map(addressOf));
    const dangling = next.tables.some(table =>
      table.foreignKeys.some(({ references }) => !there.has(references.table)),
    );
    if (dangling) return change;
    now = next;
  }
  return undefined;
}

function shuffle<T>(items: readonly T[], seed: number): T[] {
  let state = seed >>> 0 || 1;
  const next = () => (state = (state * 1664525 + 1013904223) >>> 0) / 2 ** 32;
  return items
    .map(item => ({ item, at: next() }))
    .sort((a, b) => a.at - b.at)
    .map(({ item }) => item);
}

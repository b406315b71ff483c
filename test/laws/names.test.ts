import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import { invert } from "../../src/core/change/invert.js";
import { lossesOf } from "../../src/core/change/loss.js";
import { namesThrough } from "../../src/core/change/names.js";
import { risks } from "../../src/core/change/risk.js";
import type { Change } from "../../src/core/change/types.js";
import { dialects, widens } from "../../src/core/dialect/registry.js";
import { keptBy, widensOn } from "../../src/core/plan/kept.js";
import { planFor } from "../../src/core/plan/plan.js";
import { addressOf, tablesByAddress } from "../../src/core/schema/address.js";
import type { Schema } from "../../src/core/schema/types.js";
import { arbitrarySchema, renamesBetween } from "./arbitrary-schema.js";
import { lineageOf } from "./lineage.js";
import { RUNS, SEED } from "./runs.js";

const schema = arbitrarySchema({ hostile: true });
const options = { seed: SEED, numRuns: RUNS };

/** Asks for every thing at the end, and for every one at the start that is still there. */
function asksFor(a: Schema, changes: readonly Change[]): number {
  const names = namesThrough(changes);
  let renamed = 0;
  for (const [address, { start, columns }] of lineageOf(a, changes)) {
    expect(names.arrives(address)).toBe(start === undefined);
    if (start === undefined) continue;
    expect([names.before(address), names.after(start)]).toEqual([start, address]);
    if (start !== address) renamed += 1;
    for (const [now, was] of columns) {
      expect(names.arrives(address, now)).toBe(was === undefined);
      if (was === undefined) continue;
      expect([names.before(address, now), names.after(start, was)]).toEqual([was, now]);
      if (was !== now) renamed += 1;
    }
  }
  return renamed;
}

describe("what was called how", () => {
  test("is told of every table and column, on the way there and on the way back", () => {
    const renamed = { there: 0, back: 0, traded: 0 };
    fc.assert(
      fc.property(schema, schema, fc.nat(30), (a, b, seed) => {
        const hints = renamesBetween(a, b, seed);
        const changes = diff(a, b, hints);
        expect(diff(apply(a, changes), b)).toEqual([]);
        renamed.there += asksFor(a, changes);
        renamed.back += asksFor(b, invert(changes));
        for (const [from, to] of hints.tables) if (hints.tables.get(to) === from) renamed.traded += 1;
      }),
      options,
    );
    expect(Math.min(renamed.there, renamed.back)).toBeGreaterThan(RUNS / 4);
    expect(renamed.traded).toBeGreaterThan(0);
  });

  test("is told of whatever stays through several plans, one after the other", () => {
    let renamedTwice = 0;
    fc.assert(
      fc.property(schema, schema, schema, fc.nat(30), fc.nat(30), (a, b, c, first, second) => {
        const [one, two] = [
          diff(a, b, renamesBetween(a, b, first)),
          diff(b, c, renamesBetween(b, c, second)),
        ];
        const names = namesThrough([...one, ...two]);
        const [halfway, end] = [lineageOf(a, one), lineageOf(a, [...one, ...two])];
        for (const [address, { start, columns }] of end) {
          if (start === undefined) continue;
          expect([names.before(address), names.after(start)]).toEqual([start, address]);
          const between = [...halfway].find(([, line]) => line.start === start)?.[0];
          if (new Set([start, between, address]).size === 3) renamedTwice += 1;
          for (const [now, was] of columns) if (was !== undefined) expect(names.after(start, was)).toBe(now);
        }
      }),
      options,
    );
    expect(renamedTwice).toBeGreaterThan(0);
  });
});

describe("what a plan takes away", () => {
  test("is every table and stored column that is not there afterwards, and nothing that is there as it was", () => {
    let told = 0;
    fc.assert(
      fc.property(schema, schema, fc.nat(30), (a, b, seed) => {
        const changes = diff(a, b, renamesBetween(a, b, seed));
        const losses = lossesOf(changes, widens);
        const things = (kind: string) =>
          losses.filter(({ loss }) => loss.kind === kind).map(({ thing }) => thing);
        const lines = [...lineageOf(a, changes).values()];
        const staying = new Map(lines.map(({ start, columns }) => [start, new Set(columns.values())]));
        const gone = a.tables.map(addressOf).filter(address => !staying.has(address));
        const goneColumns = a.tables.flatMap(table => {
          const columns = staying.get(addressOf(table));
          return columns
            ? table.columns
                .filter(({ name, computed }) => !computed && !columns.has(name))
                .map(({ name }) => `${addressOf(table)}.${name}`)
            : [];
        });
        expect(things("table").sort()).toEqual(gone.sort());
        expect(things("column").sort()).toEqual(goneColumns.sort());
        // A value that others take the place of stood in a column that stays.
        const stood = new Set(
          a.tables.flatMap(table => table.columns.map(({ name }) => `${addressOf(table)}.${name}`)),
        );
        for (const thing of things("values")) expect(stood).toContain(thing);
        expect(new Set(things("values")).size).toBe(things("values").length);
        told += losses.length;
      }),
      options,
    );
    expect(told).toBeGreaterThan(RUNS);
  });

  test("is told as a risk that loses data where nothing is kept, and so is nothing else", () => {
    const seen = { losing: 0, others: 0 };
    fc.assert(
      fc.property(schema, schema, fc.nat(30), (a, b, seed) => {
        const changes = diff(a, b, renamesBetween(a, b, seed));
        const losing = new Set(lossesOf(changes, widens).map(({ change }) => change));
        const [bare, kept] = [false, true].map(keep => risks(changes, { widens, keep }));
        for (const [at, change] of changes.entries()) {
          const isLosing = losing.has(change);
          expect(bare?.[at]?.level === "loses data").toBe(isLosing);
          expect(kept?.[at]?.level).not.toBe("loses data");
          if (isLosing) expect(kept?.[at]?.level).not.toBe("safe");
          seen[isLosing ? "losing" : "others"] += 1;
        }
      }),
      options,
    );
    expect(Math.min(seen.losing, seen.others)).toBeGreaterThan(RUNS);
  });

  test.each(Object.values(dialects))("on $title is what the attic keeps, each thing once", dialect => {
    let kept = 0;
    fc.assert(
      fc.property(schema, schema, fc.nat(30), (a, b, seed) => {
        const changes = diff(a, b, renamesBetween(a, b, seed));
        const plan = planFor(dialect, a, changes, undefined);
        const things = new Set(lossesOf(plan.changes, widensOn(dialect)).map(({ thing }) => thing));
        const { kept: all, counters } = keptBy(plan, dialect, "0001");
        const addresses = [...all, ...counters].map(({ address }) => address);
        expect(new Set(addresses).size).toBe(addresses.length);
        const before = tablesByAddress(plan.before);
        for (const each of all) {
          const address = addressOf(each.table);
          expect(before.get(address)).toEqual(each.table);
          if (each.kind === "table") expect(things).toContain(address);
          // Where no key tells the rows, what stays of them is kept beside what goes: it may tell them to a person.
          else if (each.key.length > 0 || each.kind === "values")
            for (const { name } of each.columns) expect(things).toContain(`${address}.${name}`);
          kept += 1;
        }
      }),
      options,
    );
    expect(kept).toBeGreaterThan(RUNS / 2);
  });
});

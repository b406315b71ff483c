import fc from "fast-check";
import { expect, test } from "vitest";
import { apply, MisfitChange } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import { hintsOf } from "../../src/core/change/hints.js";
import { invert } from "../../src/core/change/invert.js";
import { rebase, type Conflict } from "../../src/core/change/rebase.js";
import { describeChange } from "../../src/core/change/words.js";
import type { Change } from "../../src/core/change/types.js";
import { canonical, fingerprint } from "../../src/core/schema/canonical.js";
import type { Schema } from "../../src/core/schema/types.js";
import { arbitrarySchema } from "./arbitrary-schema.js";
import { madeUpChange, rollFrom } from "./made-up-change.js";
import { RUNS, SEED } from "./runs.js";

/** What somebody does to a schema, some changes one after the other. */
function branch(base: Schema, seed: number, name: number): Change[] {
  const roll = rollFrom(seed);
  const changes: Change[] = [];
  let at = base;
  for (let turn = 0; turn < 1 + (seed % 3); turn += 1) {
    const made = tried(() => madeUpChange(at, roll, name * 10 + turn));
    if (!made) continue;
    changes.push(...made.changes);
    at = made.after;
  }
  // As a draft has it: what is there in the end, by what was said.
  const { tables, columns } = hintsOf(changes);
  return diff(base, at, { tables, columns });
}

/** What is made up may not fit what was made up before it. */
function tried<T>(make: () => T): T | undefined {
  try {
    return make();
  } catch (error) {
    if (error instanceof MisfitChange) return undefined;
    throw error;
  }
}

const said = (conflicts: readonly Conflict[]) =>
  conflicts.map(({ change, reason }) => `${describeChange(change)}: ${reason}`);

test("two branches of one schema come to the same in either order, or conflict in both", () => {
  const told = { both: 0, conflicts: 0, same: 0 };
  fc.assert(
    fc.property(arbitrarySchema({ hostile: true }), fc.nat(), fc.nat(), (base, mine, theirs) => {
      const [a, b] = [branch(base, mine, 1), branch(base, theirs, 2)];
      const [bOverA, aOverB] = [rebase(base, b, a), rebase(base, a, b)];
      const text = `mine\n${a.map(describeChange).join("\n")}\ntheirs\n${b.map(describeChange).join("\n")}`;
      const isFree = ({ conflicts }: typeof bOverA) => conflicts.length === 0;
      expect(
        isFree(aOverB),
        `${text}\n${JSON.stringify(
          [bOverA, aOverB].map(each => said(each.conflicts)),
          null,
          1,
        )}`,
      ).toBe(isFree(bOverA));
      for (const { others } of [...bOverA.conflicts, ...aOverB.conflicts])
        expect(others.length, text).toBeGreaterThan(0);
      if (!isFree(bOverA)) {
        told.conflicts += 1;
        return;
      }
      if (a.length > 0 && b.length > 0) told.both += 1;
      const merged = apply(apply(base, a), bOverA.changes);
      expect(canonical(apply(apply(base, b), aOverB.changes)), text).toEqual(canonical(merged));
      // It leads back to where each came from.
      expect(fingerprint(apply(merged, invert(bOverA.changes))), text).toBe(fingerprint(apply(base, a)));
    }),
    { seed: SEED, numRuns: RUNS },
  );
  if (process.env["LAW_TELL"]) process.stdout.write(`${JSON.stringify(told)}\n`);
  expect(told.both).toBeGreaterThan(RUNS / 3);
  expect(told.conflicts).toBeGreaterThan(RUNS / 100);
});

test("what both have done is not done again, and a branch over nothing is as it was", () => {
  fc.assert(
    fc.property(arbitrarySchema({ hostile: true }), fc.nat(), (base, seed) => {
      const changes = branch(base, seed, 1);
      const after = apply(base, changes);
      const alone = rebase(base, changes, []);
      expect(said(alone.conflicts)).toEqual([]);
      expect(alone.changes.map(describeChange)).toEqual(changes.map(describeChange));
      expect(canonical(apply(base, alone.changes))).toEqual(canonical(after));
      const twice = rebase(base, changes, changes);
      expect(said(twice.conflicts), changes.map(describeChange).join("\n")).toEqual([]);
      expect(twice.changes.map(describeChange), changes.map(describeChange).join("\n")).toEqual([]);
    }),
    { seed: SEED, numRuns: RUNS },
  );
});

import { expect, test } from "vitest";
import type { Change } from "../../src/core/change/types.js";
import { dialects } from "../../src/core/dialect/registry.js";
import { assertExpressions } from "../../src/core/plan/expressions.js";

const check = (sql: string): Change => ({
  kind: "add part",
  table: "things",
  what: "check",
  value: { name: "ck", rules: [{ kind: "sql", sql }] },
});

/** What stands for itself on each dialect. */
const WHOLE = [
  "{n} > 1",
  "({a} + 1) * 2 in (1, 2)",
  "{t} <> ');'",
  "{t} <> 'it''s'",
  "1 /* ) ; */ = 1",
  "",
  '{n} = "a;b"',
];

/** What would end the statement, or the query, that it stands in. */
const BROKEN = [
  "1)); delete from things; --",
  "1; delete from things",
  "(1",
  "{t} <> 'open",
  "1 /* open",
  "1 -- the rest",
  "1) or (2",
  '{n} = "open',
];

test.each(Object.values(dialects))(
  "expressions that stand for themselves on $name, and no others",
  dialect => {
    const isRefused = (sql: string) => {
      try {
        assertExpressions([check(sql)], dialect);
        return false;
      } catch {
        return true;
      }
    };
    expect([WHOLE.filter(isRefused), BROKEN.filter(sql => !isRefused(sql))]).toEqual([[], []]);
  },
);

import { homedir } from "node:os";
import { join } from "node:path";
import { cacheFile } from "../../src/cache.js";
import { lockOf } from "../../src/database/mariadb/turn.js";
import { expect, onTestFinished, test } from "vitest";
import { detailOf, messageOf, textOf } from "../../src/core/errors.js";
import { firstOf, keysOf, partition, zip } from "../../src/core/lists.js";
import { readTerms, termsText } from "../../src/core/dialect/shared/terms.js";

test("lists that do not fit are faults, not undefined further on", () => {
  expect(firstOf(["jug", "bowl"])).toBe("jug");
  expect(() => firstOf([])).toThrow("an empty list");
  expect(zip([1, 2], ["jug", "bowl"])).toEqual([
    [1, "jug"],
    [2, "bowl"],
  ]);
  expect(() => zip([1], [])).toThrow("1 items beside 0");
  expect(partition([1, 2, 3], each => each > 1)).toEqual([[2, 3], [1]]);
  expect(keysOf({ raw: 1, bisque: 2 })).toEqual(["raw", "bisque"]);
});

test.each([
  [new RangeError("too hot"), "too hot", ""],
  [Object.assign(new Error("busy"), { code: "SQLITE_BUSY" }), "busy", "SQLITE_BUSY"],
  [Object.assign(new Error("odd"), { code: 1205 }), "odd", ""],
  ["a text", "a text", ""],
  [undefined, "undefined", ""],
  [null, "null", ""],
])("of anything that was thrown, %s, is told what it says", (thrown, message, code) => {
  expect([messageOf(thrown), textOf(thrown, "code")]).toEqual([message, code]);
  expect(detailOf(thrown, "nothing")).toBeUndefined();
});

test("terms of columns are read as they were kept, and none where none are", () => {
  expect(readTerms(termsText(["(20)", "", "DESC"]))).toEqual(["(20)", "", "DESC"]);
  expect([readTerms(undefined), readTerms("{}")]).toEqual([[], []]);
});

test("databases whose long names begin alike take turns each by itself, by a name that the server takes", () => {
  const names = ["a", "b", "🏺"].map(end =>
    lockOf({ address: `mariadb://127.0.0.1/${"x".repeat(60)}${end}` }),
  );
  expect(new Set(names).size).toBe(3);
  expect(Math.max(...names.map(name => name.length))).toBeLessThanOrEqual(64);
});

test("a cache folder that is relative is ignored, as the standard says", () => {
  const given = process.env["XDG_CACHE_HOME"];
  onTestFinished(() => {
    if (given === undefined) delete process.env["XDG_CACHE_HOME"];
    else process.env["XDG_CACHE_HOME"] = given;
  });
  process.env["XDG_CACHE_HOME"] = "somewhere";
  expect(cacheFile("a")).toBe(join(homedir(), ".cache", "emberset", "a"));
  process.env["XDG_CACHE_HOME"] = "/somewhere";
  expect(cacheFile("a")).toBe("/somewhere/emberset/a");
});

import { expect, test } from "vitest";
import { mariadb } from "../../src/core/dialect/mariadb/index.js";
import { postgres } from "../../src/core/dialect/postgres/index.js";
import { splitStatements } from "../../src/core/sql/statements.js";
import { transactionIn } from "../../src/database/script-statements.js";
import { takenBy } from "../../src/core/sql/takes.js";

/** Statements of somebody's own, and what they do to rows; "": nothing that is there goes. */
const CASES: Readonly<Record<string, string>> = {
  "DELETE FROM fees WHERE price = 0": "deletes rows of fees",
  'delete from "studio"."fees"': "deletes rows of studio.fees",
  "TRUNCATE TABLE fees": "empties fees",
  "UPDATE fees SET price = 2": "updates rows of fees",
  "UPDATE ONLY fees AS f SET price = 2": "updates rows of fees",
  "WITH old AS (SELECT 1) DELETE FROM fees USING old": "deletes rows of fees",
  "DROP TABLE IF EXISTS fees": "drops table fees",
  "ALTER TABLE fees DROP COLUMN price": "drops column fees.price",
  "ALTER TABLE fees DROP price, ADD x int": "drops column fees.price",
  "ALTER TABLE fees DROP CONSTRAINT uq, DROP INDEX ix": "",
  "ALTER TABLE fees ALTER price DROP NOT NULL, ALTER price DROP DEFAULT": "",
  "DROP INDEX ix ON fees": "",
  "REPLACE INTO fees VALUES (1)": "replaces rows of fees",
  "INSERT OR REPLACE INTO fees VALUES (1)": "replaces rows of fees",
  "INSERT INTO fees SELECT * FROM old ON CONFLICT DO UPDATE SET price = 1": "updates rows of fees",
  "INSERT INTO fees VALUES (1) ON DUPLICATE KEY UPDATE price = 1": "updates rows of fees",
  "INSERT INTO fees VALUES ('DELETE FROM fees')": "",
  "SELECT * FROM fees FOR UPDATE": "",
  "ALTER TABLE fees ADD FOREIGN KEY (a) REFERENCES b (c) ON DELETE CASCADE ON UPDATE SET NULL": "",
  "CREATE TRIGGER t AFTER INSERT ON fees FOR EACH ROW BEGIN DELETE FROM old; END": "",
  "CALL clean_up()": "runs code by CALL",
  "CREATE OR REPLACE TABLE fees (id int)": "drops table fees and creates it anew",
  "CREATE OR REPLACE VIEW fees AS SELECT 1": "",
  "MERGE INTO fees USING old ON a = b WHEN MATCHED THEN DELETE": "merges into fees",
  "SET ROLE clerk": "runs SET ROLE CLERK, by which what follows may mean something else",
  "SET search_path = old": "runs SET SEARCH_PATH, by which what follows may mean something else",
  "SET lock_timeout = 5": "",
  "USE other": "runs USE",
  "COPY fees FROM PROGRAM 'x'": "runs COPY",
};

test("what begins or ends a transaction is found in any case", () => {
  const ending = [
    "abort",
    "COMMIT AND CHAIN",
    "Prepare  Transaction 'x'",
    "XA END 'x'",
    "set @@session.autocommit = 0",
    "END",
    "savepoint a",
  ];
  const other = [
    "SELECT 1",
    "SET timezone = 'UTC'",
    "PREPARE fetch AS SELECT 1",
    "ALTER TABLE abort ADD x int",
  ];
  const found = (sql: string) => transactionIn(splitStatements(sql, mariadb.tokens)) !== undefined;
  expect([ending.filter(sql => !found(sql)), other.filter(found)]).toEqual([[], []]);
});

test.each(Object.entries(CASES))("%s", (sql, what) => {
  for (const { tokens } of [mariadb, postgres]) {
    const found = takenBy(splitStatements(sql.replaceAll('"', tokens.backslash ? "`" : '"'), tokens), tokens);
    expect(found.map(each => each.what).join(", ")).toBe(what);
  }
});

import { problems } from "../core/problems.js";
import { splitStatements, type Statement } from "../core/sql/statements.js";
import type { Database } from "./session/database.js";

/** The statements of a script; in a scratch database without those about roles, which it does not have. */
export function statementsFor({ dialect, target }: Database, text: string): readonly Statement[] {
  const all = splitStatements(text, dialect.tokens);
  return target.scratch ? all.filter(({ sql }) => !OF_ROLES.test(sql)) : all;
}

const OF_ROLES = /^(?:GRANT|REVOKE|(?:CREATE|DROP) POLICY|ALTER TABLE [^]* ROW LEVEL SECURITY$)(?![\w])/i;

/** @throws Problem E409 */
export function refuseTransactions(statements: readonly Statement[], file: string): void {
  const found = transactionIn(statements);
  if (found) throw problems.transactionInScript({ file, line: found.line, statement: found.sql });
}

/** The first statement that begins or ends a transaction. */
export function transactionIn(statements: readonly Statement[]): Statement | undefined {
  return statements.find(({ sql }) =>
    /^(?:abort|begin|commit|end|rollback|savepoint|release|start\s+transaction|prepare\s+transaction|xa|set\s+(?:\w+\s+)?(?:@@\w*\.?)?autocommit)\b/i.test(
      sql,
    ),
  );
}

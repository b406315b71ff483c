import { splitStatements, type Statement } from "../core/sql/statements.js";
import { learnSpellings, type Spellings } from "../core/lower/spellings.js";
import type { Schema } from "../core/schema/types.js";
import { problems } from "../core/problems.js";
import type { Direction } from "../core/direction.js";
import { Breakage, EngineError, Unsure, type Database } from "./session/database.js";
import { allSpellings, hasRun, readLedger, recordRun } from "./ledger.js";

/** A migration's number and the name of its folder. */
interface RunnableMigration {
  readonly number: number;
  readonly name: string;
}

interface RunnableScript {
  readonly file: string;
  readonly text: string;
  readonly checksum: string;
}

interface MigrationRun {
  readonly migration: RunnableMigration;
  readonly direction: Direction;
  readonly scripts: Readonly<Record<Direction, RunnableScript>>;
  /** The settled schema that the script leads to. */
  readonly after: () => Schema;
  /** Names of what hangs on tables and comes from the migrations. */
  readonly managed: () => readonly string[];
}

/** "done", or "already" when another process had run it by the time the lock was ours. */
interface RunOutcome {
  readonly outcome: "done" | "already";
  readonly tookMs: number;
}

/**
 * Runs one script and records it, in one transaction: all of it happens or nothing.
 * @throws Problem E404, E405, E407, E408, E409
 */
export async function runMigration(
  database: Database,
  { migration, direction, scripts, after, managed }: MigrationRun,
): Promise<RunOutcome> {
  const { file, text } = scripts[direction];
  const statements = splitStatements(text, database.dialect.tokens);
  refuseTransactions(statements, file);
  const start = performance.now();
  const attempt = (careful: boolean) =>
    database.exclusively(async (): Promise<RunOutcome> => {
      const recorded = await hasRun(database, migration.number);
      if ((recorded ?? false) === (direction === "forward")) return { outcome: "already", tookMs: 0 };
      const watch = await seeTo(migration, () => database.watch(statements, managed, careful));
      for (const [done, statement] of statements.entries()) {
        await watch.before?.(statement);
        await runStatement(database, { ...statement, done }, migration, file);
      }
      await seeTo(migration, watch.restore);
      await seeTo(migration, watch.inspect);
      const tookMs = performance.now() - start;
      const checksums = { forward: scripts.forward.checksum, back: scripts.back.checksum };
      const spellings =
        direction === "forward" && database.dialect.catalog.respells
          ? await newSpellings(database, after())
          : undefined;
      await recordRun(database, {
        migration,
        direction,
        checksums,
        tookMs,
        spellings,
        known: recorded !== undefined,
      });
      return { outcome: "done", tookMs };
    });
  try {
    return await attempt(false);
  } catch (error) {
    if (!(error instanceof Unsure)) throw error;
    return attempt(true);
  }
}

/** How the engine spells what the script has sent, but for what earlier runs have noted. */
async function newSpellings(database: Database, sent: Schema): Promise<Spellings> {
  const known = allSpellings(await readLedger(database));
  const { schema } = await database.readCatalog();
  return Object.fromEntries(
    Object.entries(learnSpellings(sent, schema)).filter(([key, text]) => known[key] !== text),
  );
}

function refuseTransactions(statements: readonly Statement[], file: string): void {
  const found = statements.find(({ sql }) =>
    /^(?:begin|commit|end|rollback|savepoint|release|start\s+transaction)\b/i.test(sql),
  );
  if (found) throw problems.transactionInScript({ file, line: found.line, statement: found.sql });
}

async function runStatement(
  database: Database,
  { sql, line, done }: Statement & { readonly done: number },
  migration: RunnableMigration,
  file: string,
): Promise<void> {
  try {
    await database.runScripted(sql);
  } catch (error) {
    if (!(error instanceof EngineError)) throw error;
    throw problems.statementFailed(
      {
        migration: migration.name,
        file,
        line,
        reason: error.message,
        statement: sql,
        repair: error.remedy,
        whole: database.dialect.render.transactional,
        done,
      },
      error,
    );
  }
}

async function seeTo<T>(migration: RunnableMigration, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (!(error instanceof Breakage)) throw error;
    const values = { migration: migration.name, reason: error.reason };
    throw error.kind === "references"
      ? problems.danglingReferences({ ...values, references: error.found }, error)
      : problems.brokenView({ ...values, objects: error.found }, error);
  }
}

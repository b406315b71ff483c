import { readFileSync } from "node:fs";
import { resolve } from "node:path";
import { diff } from "../core/change/diff.js";
import type { PlanStep } from "../core/dialect/shared/explain.js";
import { messageOf } from "../core/errors.js";
import { blocksFor } from "../core/plan/plan.js";
import { problems } from "../core/problems.js";
import { EMPTY_SCHEMA, type Schema } from "../core/schema/types.js";
import { splitStatements, type Statement } from "../core/sql/statements.js";
import { fillRows } from "../database/fill-rows.js";
import { withScratch } from "../database/open.js";
import type { Database } from "../database/session/database.js";
import { EngineError } from "../database/session/database.js";
import { oneTarget } from "./databases.js";
import { inOneGo, putRows, sampleStyle, wantedRows } from "./fill.js";
import { indexAdvice, type IndexAdvice } from "./index-advice.js";
import { openProject } from "./open-project.js";
import { type TargetOptions, watched } from "./options.js";
import { readRowFiles } from "./row-files.js";

export interface TryOptions extends TargetOptions {
  /** One statement or several. */
  readonly sql?: string | undefined;
  /** A file with them. */
  readonly file?: string | undefined;
  /** How many made-up rows each table gets. @default 20 */
  readonly rows?: number | undefined;
  readonly rowsOf?: Readonly<Record<string, number>> | undefined;
  /** @default 1 */
  readonly seed?: number | undefined;
  /** A folder with rows in files called like the tables; other tables get made-up ones. */
  readonly from?: string | undefined;
  /** Also how the engine goes about it. @default false */
  readonly plan?: boolean | undefined;
}

export interface TryResult {
  readonly dialect: string;
  /** `a scratch file` */
  readonly where: string;
  /** How many rows each table has. */
  readonly rows: Readonly<Record<string, number>>;
  readonly results: readonly Tried[];
}

export interface Tried {
  readonly sql: string;
  readonly tookMs: number;
  readonly rows: readonly Readonly<Record<string, unknown>>[];
  readonly plan?: readonly PlanStep[];
  readonly advice?: readonly IndexAdvice[];
}

/** Runs statements on a scratch database of the models, with rows in it. No trace is left. @throws Problem E104, E137, E203, E410 to E414 */
export async function tryQuery({ sql, file, ...options }: TryOptions): Promise<TryResult> {
  const text = file === undefined ? (sql ?? "") : readFileSync(resolve(file), "utf8");
  return withTrial(options, async trial => {
    const results: Tried[] = [];
    for (const statement of trial.split(text)) results.push(await trial.run(statement));
    for (const [at, tried] of results.entries())
      if (tried.plan) results[at] = { ...tried, advice: await trial.advise(tried) };
    return { dialect: trial.dialect, where: trial.where, rows: trial.rows, results };
  });
}

/** A scratch database of the models that statements are tried on, one after the other. */
export interface Trial {
  readonly dialect: string;
  readonly where: string;
  readonly rows: Readonly<Record<string, number>>;
  readonly schema: Schema;
  /** @throws Problem E137 where there is no statement */
  readonly split: (text: string) => readonly Statement[];
  /** @throws Problem E138 when the engine refuses it */
  readonly run: (statement: Statement) => Promise<Tried>;
  /** Which indexes a statement lacks that has a plan; nothing may be run after it. */
  readonly advise: (tried: Tried) => Promise<readonly IndexAdvice[]>;
}

/** Makes one, and lets go of it when the work is done. */
export async function withTrial<T>(
  options: Omit<TryOptions, "sql" | "file">,
  work: (trial: Trial) => Promise<T>,
): Promise<T> {
  const project = await openProject(options);
  const target = await oneTarget(project.settings, options.target, options, true);
  const models = await project.soundModels();
  return withScratch(target, watched(options, target), async ({ database, where }) => {
    const rows = await build(database, models.schema, options);
    return work({
      ...{ dialect: database.dialect.title, where, rows, schema: models.schema },
      split: text => {
        const statements = splitStatements(text, database.dialect.tokens);
        if (statements.length === 0) throw problems.nothingToTry(undefined);
        return statements;
      },
      run: statement => tryOne(database, statement, options.plan ?? false),
      advise: ({ sql, plan = [] }) => indexAdvice(database, models, sql, plan),
    });
  });
}

/** The tables of the models, and rows in them. @returns how many each got */
async function build(
  database: Database,
  schema: Schema,
  options: Omit<TryOptions, "sql" | "file">,
): Promise<Record<string, number>> {
  for (const { statements } of blocksFor(database.dialect, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, schema)))
    for (const statement of statements) await database.run(statement);
  const files = options.from === undefined ? undefined : readRowFiles(resolve(options.from), schema);
  const wanted = wantedRows(schema, options);
  for (const table of files?.keys() ?? []) wanted.set(table, 0);
  const most = Math.max(...wanted.values());
  const filled = await inOneGo(database, async () => [
    ...(files ? await putRows(database, schema, files) : []),
    ...(most > 0
      ? await fillRows(database, schema, {
          style: await sampleStyle(options.seed ?? 1, most),
          rows: address => wanted.get(address)!,
        })
      : []),
  ]);
  return Object.fromEntries(filled.map(({ table, rows }) => [table, rows]));
}

async function tryOne(database: Database, { sql }: Statement, plan: boolean): Promise<Tried> {
  const start = performance.now();
  const found = await refusedAs(sql, () => database.rows(sql));
  const tookMs = performance.now() - start;
  const result = { sql, tookMs, rows: Array.isArray(found) ? found : [] };
  if (!plan || !/^\s*(?:select|with|values|table)\b/i.test(sql)) return result;
  const { explain } = database.dialect.rows;
  return { ...result, plan: explain.read(await database.rows(explain.query(sql))) };
}

async function refusedAs<T>(sql: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    const isOfStatement =
      error instanceof EngineError ||
      (error as { readonly code?: unknown }).code === problems.queryFailed.code;
    if (!isOfStatement) throw error;
    const cause = (error as Error).cause;
    throw problems.refusedTry({ statement: sql, reason: messageOf(cause ?? error) }, error);
  }
}

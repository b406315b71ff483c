import type { CatalogRow } from "../../core/dialect/shared/dialect.js";
import type { TargetSettings } from "../../project/settings.js";
import { setImmediate as turn } from "node:timers/promises";
import { problems } from "../../core/problems.js";
import type { Database, Value } from "./database.js";
import type { Watched } from "./engine.js";
import { explainFailure, scriptFailure, type Failures } from "./failures.js";

/** How a driver takes statements; its own errors come out of it. */
export interface Driver {
  readonly query: (sql: string, values: readonly Value[]) => Promise<CatalogRow[]> | CatalogRow[];
  /** One statement, without looking at what comes back. */
  readonly execute: (sql: string) => unknown;
  /** Several, sent at once. Absent: that saves nothing. @param onDone called for each that is done */
  readonly executeAll?: (sqls: readonly string[], onDone: () => void) => Promise<void>;
}

interface StatementOptions {
  readonly target: TargetSettings;
  readonly watched: Watched;
  readonly failures: Failures;
}

/** How statements are sent to a database: timed, traced, and with failures that are ours. */
export interface Statements extends Pick<Database, "rows" | "run" | "runScripted" | "runAllScripted"> {
  /** Something that is sent in another way, with the text it stands for. */
  readonly sent: <T>(sql: string, work: () => Promise<T> | T) => Promise<T>;
}

/** The one frame around every statement, whatever the driver. */
export function statementsOver(driver: Driver, { target, watched, failures }: StatementOptions): Statements {
  const { trace, signal } = watched;
  const refuseAborted = () => {
    if (signal?.aborted) throw problems.stoppedByCaller({ target: target.name });
  };
  const timed = async <T>(sql: string, work: () => Promise<T> | T): Promise<T> => {
    // Node loads its clock when it is first asked for.
    if (!trace) return work();
    const start = performance.now();
    try {
      return await work();
    } finally {
      trace(sql, performance.now() - start);
    }
  };
  const sent = async <T>(sql: string, work: () => Promise<T> | T): Promise<T> => {
    try {
      return await timed(sql, work);
    } catch (error) {
      refuseAborted();
      throw explainFailure(error, { target, failures, sql });
    }
  };
  // What belongs to the end of something, as a rollback, is sent all the same, by `run`.
  const unlessAborted = async <T>(sql: string, work: () => Promise<T> | T): Promise<T> => {
    if (signal) await turnAtTimes();
    refuseAborted();
    return sent(sql, work);
  };
  const scripted = async (sql: string, work: () => unknown) => {
    if (signal) await turnAtTimes();
    refuseAborted();
    try {
      await timed(sql, work);
    } catch (error) {
      refuseAborted();
      throw scriptFailure(error, { target, failures });
    }
  };
  const { executeAll } = driver;
  return {
    sent: unlessAborted,
    rows: (sql, ...values) => unlessAborted(sql, () => driver.query(sql, values)),
    run: async (sql, ...values) =>
      void (await sent(sql, () => (values.length > 0 ? driver.query(sql, values) : driver.execute(sql)))),
    runScripted: sql => scripted(sql, () => driver.execute(sql)),
    // Who traces wants to see each.
    ...(executeAll &&
      !trace && { runAllScripted: (sqls, onDone) => scripted("", () => executeAll(sqls, onDone)) }),
  };
}

/** When signals could come through last, in milliseconds since 1970. */
let turned = 0;

/** How long they may have to wait, in milliseconds, beside a driver that never gives way. */
const TURN_EVERY = 20;

/** Lets signals come through, now and then: to do so takes longer than a small statement. */
async function turnAtTimes(): Promise<void> {
  if (Date.now() - turned < TURN_EVERY) return;
  await turn();
  turned = Date.now();
}

/** The programmatic API: what the commands are built on. */
export { describeAccess, type AccessOptions, type AccessResult } from "./access.js";
export { adopt, type AdoptOptions, type AdoptResult, type Proof } from "./adopt.js";
export { adoptDrift, type AdoptDriftOptions, type AdoptDriftResult } from "./adopt-drift.js";
export type { Suggestion } from "./drift-models.js";
export { amend, type AmendOptions, type AmendResult } from "./amend.js";
export {
  listAttic,
  purgeAttic,
  restoreFromAttic,
  type AtticChoice,
  type AtticEntry,
  type AtticResult,
  type PurgeOptions,
  type PurgeResult,
  type RestoreResult,
} from "./attic.js";
export { back, backAll, type BackOptions, type BackResult } from "./back.js";
export { chart, type ChartOptions, type ChartResult } from "./chart.js";
export { check, type CheckResult } from "./check.js";
export {
  compare,
  type CompareOptions,
  type CompareResult,
  type ComparedChange,
  type RowReport,
} from "./compare.js";
export type { CostReport } from "./costs.js";
export { condense, type CondenseOptions, type CondenseResult } from "./condense.js";
export { describeDiffering, type DifferingResult } from "./differing.js";
export {
  describe,
  type DescribeOptions,
  type DescribeResult,
  type DescribedColumn,
  type DescribedTable,
} from "./describe.js";
export { DIALECT_TITLES, type DialectName } from "../core/dialect/registry.js";
export { discard, type DiscardOptions, type DiscardResult } from "./discard.js";
export { draft, type DraftOptions, type DraftResult } from "./draft.js";
export { exportSchema, type ExportOptions, type ExportResult } from "./export.js";
export { fill, type FillOptions, type FillResult } from "./fill.js";
export { forward, forwardAll, type ForwardOptions, type ForwardResult } from "./forward.js";
export { init, type InitOptions, type InitResult } from "./init.js";
export { isMany, type ManyOptions, type ManyResult, type Outcome } from "./many.js";
export { match, type MatchOptions, type MatchResult } from "./match.js";
export type { MayLose, RanMigration, TargetOptions, TaskEvent, TaskOptions } from "./options.js";
export type { RunOptions, RunResult } from "./run-migrations.js";
export { rebuild, type RebuildOptions, type RebuildResult } from "./rebuild.js";
export { recover, type RecoverResult } from "./recover.js";
export {
  rehearse,
  type RehearsedMigration,
  type RehearsedStep,
  type RehearseOptions,
  type RehearseResult,
} from "./rehearse.js";
export { restack, type RestackedMigration, type RestackOptions, type RestackResult } from "./restack.js";
export { sketch, type SketchedEntity, type SketchOptions, type SketchResult } from "./sketch.js";
export { status, type MigrationStatus, type StatusResult, type TargetStatus } from "./status.js";
export { tryQuery, type Tried, type TryOptions, type TryResult } from "./try-query.js";
export { Problem } from "../core/problems.js";
export type { Finding } from "../core/model/read/findings.js";

import type { DiffHints } from "../../change/diff.js";
import type { Schema } from "../../schema/types.js";
import type { ColumnResolver } from "./column-resolver.js";
import type { Finding } from "./findings.js";

/** What the models come to: the schema they describe, and what they say of the way there. */
export interface ModelSchema {
  readonly schema: Schema;
  readonly hints: DiffHints;
  readonly findings: readonly Finding[];
  /** Which fields the schema's columns come from. */
  readonly resolver: ColumnResolver;
}

import type { Conversion } from "../../change/diff.js";
import type { Default, Schema } from "../../schema/types.js";
import type { ColumnResolver } from "./column-resolver.js";
import type { Finding } from "./findings.js";
import type { WrittenObject } from "./objects.js";

/** What the models come to: the schema they describe, and what they say of the way there. */
export interface ModelSchema {
  readonly schema: Schema;
  readonly said: Said;
  readonly findings: readonly Finding[];
  /** What there is as SQL of the developer's own. */
  readonly objects: readonly WrittenObject[];
  /** Which fields the schema's columns come from. */
  readonly resolver: ColumnResolver;
}

/** What models say beyond the schema: it may stay there long after it was carried out. */
export interface Said {
  readonly tables: readonly SaidOfTable[];
  readonly columns: readonly SaidOfColumn[];
}

export interface SaidOfTable {
  readonly entity: string;
  /** Its address. */
  readonly table: string;
  /** As it is written in `was`. */
  readonly was: string;
  /** The addresses that can be meant. */
  readonly earlier: readonly string[];
}

export interface SaidOfColumn {
  readonly entity: string;
  readonly property: string;
  /** What is the same for all entities that have the field from one class: it need only be true of one of them. */
  readonly once: string;
  readonly table: string;
  readonly column: string;
  readonly nullable: boolean;
  readonly was?: string;
  /** The names of columns that can be meant by it. */
  readonly earlier: readonly string[];
  readonly fill?: Default;
  readonly conversion?: Conversion;
}

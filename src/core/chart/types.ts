import type { Action } from "../../modelling/facts.js";

/** What differs of a thing between two versions. */
export type State = "new" | "changed" | "gone";

/** A schema as it is drawn, whatever it is drawn as. */
export interface Chart {
  readonly tables: readonly ChartTable[];
  readonly links: readonly ChartLink[];
  /** Whether it is one version against another. */
  readonly isDifference: boolean;
}

export interface ChartTable {
  readonly address: string;
  /** The class it comes from, where models say so. */
  readonly entity?: string;
  /** A namespace, or a folder of models. */
  readonly group?: string;
  readonly note?: string;
  readonly role: Role;
  readonly rows: readonly ChartRow[];
  /** Uniques over several columns, and checks over several, in words. */
  readonly rules: readonly string[];
  readonly state?: State;
  /** What it was called. */
  readonly was?: string;
}

/** "root": refers to nothing · "between": its key is made of references · "view": made of others · "branch": all others. */
export type Role = "root" | "branch" | "between" | "view";

export interface ChartRow {
  readonly name: string;
  readonly type: string;
  readonly mark: "key" | "required" | "optional";
  readonly unique: boolean;
  /** Addresses of what it refers to. */
  readonly refers: readonly string[];
  readonly onDelete?: Action;
  /** The value object, or the reference to any of several, that it is part of. */
  readonly part?: string;
  /** Default, computed, stamp, rules of this column alone, note: one each. */
  readonly remarks: readonly string[];
  readonly state?: State;
  /** What it was: another name, another type. */
  readonly was?: string;
}

/** A relation: many or one at its beginning refer to exactly one, or none or one, at its end. */
export interface ChartLink {
  readonly id: string;
  readonly from: string;
  /** The columns it stands in; none where a pair table is not drawn. */
  readonly columns: readonly string[];
  readonly to: string;
  readonly fromEnd: "many" | "one";
  readonly toEnd: "one" | "maybe one" | "many";
  readonly onDelete?: Action;
  /** The table of pairs that it stands for. */
  readonly pair?: string;
  /** It leads to one of several. */
  readonly any: boolean;
  /** It says that a view reads what is at its end. */
  readonly reads?: true;
  readonly state?: State;
}

/** What models know beyond their schema. */
export interface ChartFacts {
  /** By address. */
  readonly entities: ReadonlyMap<string, string>;
  readonly groups: ReadonlyMap<string, string>;
  /** By address and column: what a column is part of. */
  readonly parts: ReadonlyMap<string, ReadonlyMap<string, string>>;
}

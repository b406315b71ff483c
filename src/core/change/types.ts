import { addressOf } from "../schema/address.js";
import type { Column, Default, Definition, PartKind, Parts, SqlText, Table } from "../schema/types.js";

/**
 * One difference between two schemas as plain data, with what was and what will be, so that it can be inverted
 * and checked against the schema it is applied to. Tables are named by address.
 */
export type Change =
  | { readonly kind: "add table"; readonly table: Table }
  | { readonly kind: "drop table"; readonly table: Table }
  | { readonly kind: "rename table"; readonly from: string; readonly to: string }
  | {
      readonly kind: "alter table";
      readonly table: string;
      readonly before: TableFacts;
      readonly after: TableFacts;
    }
  | DefinitionChange
  | AddColumn
  | DropColumn
  | { readonly kind: "rename column"; readonly table: string; readonly from: string; readonly to: string }
  | AlterColumn
  | AddPart
  | DropPart
  | AlterPart
  | {
      readonly kind: "rename part";
      readonly table: string;
      readonly what: PartKind;
      readonly from: string;
      readonly to: string;
    };

export type DefinitionChange =
  | { readonly kind: "add definition"; readonly definition: Definition }
  | { readonly kind: "drop definition"; readonly definition: Definition }
  /** Both have the same kind and name. */
  | { readonly kind: "alter definition"; readonly before: Definition; readonly after: Definition };

/** The address of the table a change is about; for a renamed table, its address before. */
export function tableOf(change: Change): string | undefined {
  if (isOfDefinition(change)) return undefined;
  if (change.kind === "rename table") return change.from;
  return change.kind === "add table" || change.kind === "drop table" ? addressOf(change.table) : change.table;
}

/** Whether a change is about a definition rather than a table. */
export function isOfDefinition(change: Change): change is DefinitionChange {
  return change.kind.endsWith(" definition");
}

interface ColumnChange {
  readonly table: string;
  readonly column: Column;
  /** The column's position among the table's columns, from 0; absent: the last. */
  readonly at?: number;
  /** What rows that exist get when the column arrives. */
  readonly fill?: Default;
}

export interface AddColumn extends ColumnChange {
  readonly kind: "add column";
}

interface DropColumn extends ColumnChange {
  readonly kind: "drop column";
}

export interface AlterColumn {
  readonly kind: "alter column";
  readonly table: string;
  /** Both have the same name. */
  readonly before: Column;
  readonly after: Column;
  /** What rows that exist get where they hold null and null is no longer allowed. */
  readonly fill?: Default;
  /** What makes a value of the new type out of the old one, and the other way round; absent: the engine's own rules. */
  readonly convert?: SqlText;
  readonly convertBack?: SqlText;
}

interface PartChange<Kind extends string, K extends PartKind> {
  readonly kind: Kind;
  readonly table: string;
  readonly what: K;
  readonly value: Parts[K];
}

export type AddPart<K extends PartKind = PartKind> = { [P in K]: PartChange<"add part", P> }[K];

export type DropPart<K extends PartKind = PartKind> = { [P in K]: PartChange<"drop part", P> }[K];

/** The change that a part of a table arrives. */
export function addPart<K extends PartKind>(table: string, what: K, value: Parts[K]): AddPart<K> {
  return { kind: "add part", table, what, value };
}

/** The change that a part of a table goes. */
export function dropPart<K extends PartKind>(table: string, what: K, value: Parts[K]): DropPart<K> {
  return { kind: "drop part", table, what, value };
}

/** Both have the same name; neither is about a column or table that comes or goes with it. */
export type AlterPart<K extends PartKind = PartKind> = {
  [P in K]: {
    readonly kind: "alter part";
    readonly table: string;
    readonly what: P;
    readonly before: Parts[P];
    readonly after: Parts[P];
  };
}[K];

/** The change that a part of a table says something else under its name. */
export function alterPart<K extends PartKind>(
  table: string,
  what: K,
  before: Parts[K],
  after: Parts[K],
): AlterPart<K> {
  return { kind: "alter part", table, what, before, after };
}

/** What can differ of a table itself. */
export type TableFacts = Pick<Table, "note" | "options" | "grants">;

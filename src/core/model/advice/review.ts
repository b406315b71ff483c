import type { Dialect } from "../../dialect/shared/dialect.js";
import type { Table } from "../../schema/types.js";
import type { ColumnResolver } from "../read/column-resolver.js";
import { isStored } from "../read/resolving.js";
import type { EntityDescription, FieldDescription } from "../read/descriptions.js";
import type { Roles } from "../read/grants.js";
import type { Report } from "../read/findings.js";

/** How a property is declared in TypeScript. */
export interface Declaration {
  /** `weight?: number` */
  readonly optional: boolean;
  /** `weight: number | null` */
  readonly nullable: boolean;
  /** `id!: string`, where the type is that one word. */
  readonly word: "string" | "number" | undefined;
  /** `stage = "raw"` */
  readonly initial: boolean;
}

/** What advice is given on. */
export interface Review {
  readonly resolver: ColumnResolver;
  /** Those of the entities first, in their order, then those of pairs. */
  readonly tables: readonly Table[];
  readonly dialects: readonly Dialect[];
  readonly report: Report;
  readonly roles: Roles;
  /** How a property is declared; undefined where the source cannot be read. */
  readonly declared: (entity: EntityDescription, property: string) => Declaration | undefined;
}

/** Each entity with its table. */
export function entitiesWithTables({ resolver, tables }: Review): [EntityDescription, Table][] {
  return resolver.entities.flatMap((entity, at) => (tables[at] ? [[entity, tables[at]]] : []));
}

/** Fields that are references with columns of their own. */
export function referenceFields(entity: EntityDescription): FieldDescription[] {
  return entity.fields.filter(
    field => isStored(field) && field.facts.refersTo && !field.facts.refersTo.options.fields,
  );
}

/** `SQLite and MariaDB` */
export function listed(words: readonly string[]): string {
  return words.length < 2 ? words.join("") : `${words.slice(0, -1).join(", ")} and ${words.at(-1)!}`;
}

import type { Dialect } from "../../dialect/shared/dialect.js";
import { addressOf } from "../../schema/address.js";
import {
  addVerb,
  COLUMN_VERBS,
  granted,
  inheritedBy,
  rolesIn,
  seersOf,
  VERBS,
  type RoleNames,
  type Verbs,
} from "../../schema/grants.js";
import type { ObjectDefinition, Table } from "../../schema/types.js";
import { textFor } from "../../sql/placeholders.js";
import type { Grants, Verb } from "../../../modelling/facts.js";
import type { ColumnResolver } from "./column-resolver.js";
import type { EntityDescription, FieldDescription } from "./descriptions.js";
import type { Report } from "./findings.js";

/** What a config says of roles. */
export interface Roles {
  /** Those that may be spoken of. */
  readonly known: RoleNames;
  /** What they may do where an entity says nothing of them. */
  readonly usual: Grants;
}

export const NO_ROLES: Roles = { known: {}, usual: {} };

/** Who may do what with the tables of entities, as the entities, their fields and the config say. */
export class EntityGrants {
  constructor(
    private readonly resolver: ColumnResolver,
    private readonly roles: Roles,
    private readonly report: Report,
  ) {}

  /** The table with its grants, and those of its columns: what holds of all of them is the table's. */
  granted(table: Table, entity: EntityDescription): Table {
    const own = this.declared(entity);
    const fields = this.resolver.columnsOf(entity).map(({ field }) => field);
    const roles = new Set([...own.keys(), ...fields.flatMap(field => this.rolesOf(entity, field))]);
    const ofTable: Verbs = new Map();
    const ofColumns = fields.map((): Verbs => new Map());
    for (const role of roles) {
      const usual = own.get(role) ?? new Set<Verb>();
      const byField = fields.map(field => verbsOfField(field, role) ?? usual);
      for (const verb of VERBS) {
        const isColumnVerb = (COLUMN_VERBS as readonly Verb[]).includes(verb);
        if (isColumnVerb ? byField.every(verbs => verbs.has(verb)) : usual.has(verb))
          addVerb(ofTable, role, verb);
        else if (isColumnVerb)
          byField.forEach((verbs, at) => {
            if (verbs.has(verb)) addVerb(ofColumns[at]!, role, verb);
          });
      }
    }
    const columns = table.columns.map((column, at) => granted(column, ofColumns[at]));
    return granted({ ...table, columns }, ofTable);
  }

  /** What is said of rows, as policies: of each role that may do something with a table of which it is said of some. */
  policies(table: Table, entity: EntityDescription, dialects: readonly Dialect[]): ObjectDefinition[] {
    const said = Object.entries(entity.options.rows ?? {}).filter(([role]) =>
      this.isKnown(role, { entity: entity.name }),
    );
    const granted = rolesIn({ tables: [table] });
    const roles = [...new Set([...granted, ...said.map(([role]) => role)])].sort();
    for (const [role] of said)
      if (![role, ...inheritedBy(role, this.roles.known)].some(each => granted.includes(each)))
        this.report(
          "E238",
          { entity: entity.name },
          `${role} sees some rows, and may do nothing with them`,
          `grant it something: grants: { ${JSON.stringify(role)}: ["select"] }`,
        );
    if (said.length === 0) return [];
    const conditions = new Map(
      said.map(([role, sql]) => [role, this.resolver.placed(entity, undefined, sql)]),
    );
    const on = addressOf(table);
    const made = new Map<string, Record<string, string>>();
    for (const { name: dialect, roles: syntax } of dialects) {
      if (!syntax?.rows) continue;
      for (const role of seersOf(roles)) {
        const condition = role === undefined ? undefined : conditions.get(role);
        const text = condition === undefined ? "true" : textFor(condition, dialect);
        const { name, sql } = syntax.rows.sql({
          table: on,
          roles,
          condition: text ?? "true",
          ...(role !== undefined && { role }),
        });
        made.set(name, { ...made.get(name), [dialect]: sql });
      }
    }
    return [...made].map(([name, sql]) => ({ kind: "policy", name, on, sql }));
  }

  /** A pair table is granted as the entity that has it: it has no fields of its own. */
  grantedPair(table: Table, owner: EntityDescription): Table {
    return granted(table, this.declared(owner));
  }

  /** What roles may do with an entity as a whole. */
  private declared({ name, options: { grants = {} } }: EntityDescription): Verbs {
    const said = Object.entries({ ...this.roles.usual, ...grants });
    return new Map(
      said
        .filter(([role]) => this.isKnown(role, { entity: name }))
        .map(([role, verbs]) => [role, new Set(verbs)]),
    );
  }

  private rolesOf({ name: entity }: EntityDescription, field: FieldDescription): string[] {
    const { property } = field;
    return Object.keys(field.facts.field?.grants ?? {}).filter(role =>
      this.isKnown(role, { entity, property }),
    );
  }

  private isKnown(role: string, where: { readonly entity: string; readonly property?: string }): boolean {
    const known = Object.keys(this.roles.known);
    if (known.includes(role)) return true;
    this.report(
      "E238",
      where,
      `the config has no role ${role}`,
      known.length > 0
        ? `write one of ${known.join(", ")}, or add ${role} to \`roles\` in the config`
        : `add it to the config: roles: { ${JSON.stringify(role)}: [] }`,
    );
    return false;
  }
}

function verbsOfField({ facts }: FieldDescription, role: string): ReadonlySet<Verb> | undefined {
  const said = facts.field?.grants;
  if (!said || !Object.hasOwn(said, role)) return undefined;
  const verbs = said[role];
  return new Set(verbs === false ? [] : verbs);
}

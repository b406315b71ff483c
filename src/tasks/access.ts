import type { Dialect } from "../core/dialect/shared/dialect.js";
import { problems } from "../core/problems.js";
import { addressOf, tablesByAddress } from "../core/schema/address.js";
import { equal } from "../core/schema/canonical.js";
import { accessTo, type Access } from "../core/schema/grants.js";
import { withoutInternal } from "../core/schema/internal-tables.js";
import type { Schema, SqlText } from "../core/schema/types.js";
import { showSql } from "../core/change/words.js";
import { textFor } from "../core/sql/placeholders.js";
import { withDatabase } from "../database/open.js";
import type { LoadedModels } from "../project/load-models.js";
import { heldAddresses } from "../core/plan/plan.js";
import type { Verb } from "../modelling/facts.js";
import { dialectOf } from "../project/settings.js";
import { oneTarget } from "./databases.js";
import { openProject } from "./open-project.js";
import { namesIn, type TargetOptions, watched } from "./options.js";

export interface AccessOptions extends TargetOptions {
  /** A table, or several. @default all that the models have */
  readonly table?: string | readonly string[] | undefined;
}

export interface AccessResult {
  readonly target: string;
  readonly dialect: string;
  readonly place: string;
  readonly roles: readonly string[];
  /** Whether the target's engine knows roles; where it does not, nobody is held to what the models say. */
  readonly held: boolean;
  readonly tables: readonly TableAccess[];
}

export interface TableAccess {
  readonly table: string;
  /** Whether the database has no such table. */
  readonly missing?: true;
  readonly lines: readonly AccessLine[];
  /** Roles that see some of its rows alone. */
  readonly rows: readonly RowAccess[];
}

export interface RowAccess {
  readonly role: string;
  /** As the models say it, with `{field}` for a column. */
  readonly condition: string;
  /** Whether the database holds the role to it. */
  readonly held: boolean;
}

export interface AccessLine {
  /** A column; absent: whole rows. */
  readonly column?: string;
  /** By role: what the models say, and what the database lets, where that can be known and is another. */
  readonly roles: readonly {
    readonly role: string;
    readonly models: readonly Verb[];
    readonly actual?: readonly Verb[];
  }[];
}

/** Who may do what, as the models say it and as the database holds it. @throws Problem E104, E107, E203, E400 to E413 */
export async function describeAccess({ table, ...options }: AccessOptions): Promise<AccessResult> {
  const project = await openProject(options);
  const target = await oneTarget(project.settings, options.target, options);
  const models = await project.soundModels();
  const { schema } = models;
  const dialect = dialectOf(target);
  const held = dialect.roles !== undefined;
  const found = held
    ? await withDatabase(
        target,
        { mode: "read", ...watched(options, target) },
        async database => withoutInternal(await database.readCatalog()).schema,
      )
    : undefined;
  const known = schema.tables.map(addressOf);
  const named = namesIn(table)?.map(name => ({ name, plain: name.toLowerCase() }));
  const unknown = named?.find(({ plain }) => !known.some(each => each.toLowerCase() === plain));
  if (unknown) throw problems.unknownTable({ table: unknown.name, known });
  const there = found && tablesByAddress(found);
  const nameHere = heldAddresses(dialect, schema);
  const tables = schema.tables
    .filter(each => !named || named.some(({ plain }) => plain === addressOf(each).toLowerCase()))
    .map(each => {
      const actual = there?.get(nameHere(addressOf(each)));
      return {
        table: addressOf(each),
        ...(there && !actual && { missing: true as const }),
        lines: linesOf(accessTo(each, target.roles), actual && accessTo(actual, target.roles), target.roles),
        rows: rowsSaid(models, addressOf(each)).map(({ role, sql }) => ({
          role,
          condition: textFor(sql, dialect.name) ?? showSql(sql),
          held: holdsRows(found, nameHere(addressOf(each)), role, dialect),
        })),
      };
    });
  return {
    ...{ target: target.name, dialect: target.dialect, place: target.label },
    ...{ roles: Object.keys(target.roles), held, tables },
  };
}

/** What models say of the rows that roles see. */
export function rowsSaid(
  { entities, resolver }: Pick<LoadedModels, "entities" | "resolver">,
  address: string,
): { readonly role: string; readonly sql: SqlText }[] {
  const entity = entities.find(each => resolver.address(each) === address);
  return Object.entries(entity?.options.rows ?? {}).map(([role, sql]) => ({ role, sql }));
}

/** Whether a policy of ours is there for a role. */
function holdsRows(
  found: Schema | undefined,
  table: string,
  role: string,
  { roles }: Pick<Dialect, "roles">,
): boolean {
  const name = roles?.rows?.sql({ table, role, condition: "", roles: [role] }).name;
  return (found?.definitions ?? []).some(
    each => each.kind === "policy" && each.on === table && each.name === name,
  );
}

function linesOf(
  models: readonly Access[],
  actual: readonly Access[] | undefined,
  roles: Readonly<Record<string, unknown>>,
): AccessLine[] {
  return models.map(({ column, verbs }) => {
    const here = actual?.find(each => each.column === column);
    return {
      ...(column !== undefined && { column }),
      roles: Object.keys(roles).map((role, at) => ({
        role,
        models: verbs[at]!,
        ...(here && !equal(here.verbs[at], verbs[at]) && { actual: here.verbs[at]! }),
      })),
    };
  });
}

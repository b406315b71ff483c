import { problems } from "../core/problems.js";
import { addressOf, tablesByAddress } from "../core/schema/address.js";
import { equal } from "../core/schema/canonical.js";
import { accessTo, type Access } from "../core/schema/grants.js";
import { withoutInternal } from "../core/schema/internal-tables.js";
import { withDatabase } from "../database/open.js";
import { heldAddresses } from "../core/plan/plan.js";
import type { Verb } from "../modelling/facts.js";
import { dialectOf } from "../project/settings.js";
import { oneTarget } from "./databases.js";
import { openProject } from "./open-project.js";
import { type TargetOptions, watched } from "./options.js";

export interface AccessOptions extends TargetOptions {
  /** One table. @default all that the models have */
  readonly table?: string | undefined;
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
  const { schema } = await project.soundModels();
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
  if (table !== undefined && !known.some(each => each.toLowerCase() === table.toLowerCase()))
    throw problems.unknownTable({ table, known });
  const there = found && tablesByAddress(found);
  const nameHere = heldAddresses(dialect, schema);
  const tables = schema.tables
    .filter(each => table === undefined || addressOf(each).toLowerCase() === table.toLowerCase())
    .map(each => {
      const actual = there?.get(nameHere(addressOf(each)));
      return {
        table: addressOf(each),
        ...(there && !actual && { missing: true as const }),
        lines: linesOf(accessTo(each, target.roles), actual && accessTo(actual, target.roles), target.roles),
      };
    });
  return {
    ...{ target: target.name, dialect: target.dialect, place: target.label },
    ...{ roles: Object.keys(target.roles), held, tables },
  };
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

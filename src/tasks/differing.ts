import { problems, type Problem } from "../core/problems.js";
import { fingerprint } from "../core/schema/canonical.js";
import { withoutInternal } from "../core/schema/internal-tables.js";
import type { Schema } from "../core/schema/types.js";
import { withDatabase } from "../database/open.js";
import { loadSettings } from "../project/load-settings.js";
import { listNamed, oneTarget } from "./databases.js";
import { overMany } from "./many.js";
import { watched, type TargetOptions } from "./options.js";
import { differences } from "./rehearse-one.js";

export interface DifferingResult {
  readonly target: string;
  /** How many databases it is. */
  readonly databases: number;
  /** Those that hold the same as most do. */
  readonly alike: readonly string[];
  /** Those that do not, and what they hold otherwise, a line each. */
  readonly others: readonly { readonly target: string; readonly differences: readonly string[] }[];
  /** Those that could not be looked at. */
  readonly unread: readonly { readonly target: string; readonly code: string; readonly what: string }[];
}

/** Which databases of a target that is many hold other schemas than most of them do. @throws Problem E104, E128, E129 */
export async function describeDiffering(options: TargetOptions): Promise<DifferingResult> {
  const settings = await loadSettings(options.project ?? ".");
  const list = listNamed(settings, options.target);
  if (!list) {
    const { name } = await oneTarget(settings, options.target, options);
    throw problems.oneDatabase({ target: name });
  }
  const { databases } = await overMany(
    settings,
    list,
    { ...options, onEvent: undefined, goOn: true },
    target =>
      withDatabase(target, { mode: "read", ...watched(options, target) }, async database => {
        const { schema } = withoutInternal(await database.readCatalog());
        return { schema, print: fingerprint(schema) };
      }),
  );
  const read = databases.flatMap(each =>
    each.state === "done" ? [{ target: each.target, ...each.result }] : [],
  );
  const groups = grouped(read);
  const most = [...groups.values()].sort((a, b) => b.length - a.length)[0] ?? [];
  const usual: Schema = most[0]?.schema ?? { tables: [] };
  return {
    target: list.name,
    databases: databases.length,
    alike: most.map(({ target }) => target),
    others: read
      .filter(({ print }) => print !== most[0]?.print)
      .map(({ target, schema }) => ({ target, differences: differences(usual, schema) })),
    unread: databases.flatMap(each =>
      each.state === "failed" ? [{ target: each.target, ...saidOf(each.problem) }] : [],
    ),
  };
}

function saidOf({ code, words }: Problem): { readonly code: string; readonly what: string } {
  return { code, what: words.what };
}

function grouped<T extends { readonly print: string }>(all: readonly T[]): Map<string, T[]> {
  const groups = new Map<string, T[]>();
  for (const each of all) groups.set(each.print, [...(groups.get(each.print) ?? []), each]);
  return groups;
}

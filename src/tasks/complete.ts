import { addressOf } from "../core/schema/address.js";
import { showNumber } from "../history/migration.js";
import { openProject } from "./open-project.js";

/** What can be named in a project, for a shell to complete. */
export interface Nameable {
  readonly targets: readonly string[];
  /** `0001` */
  readonly migrations: readonly string[];
  readonly tables: readonly string[];
}

/** Nothing of what cannot be read: a shell that completes says nothing. The models are not loaded, since that takes longer than a key. */
export async function nameable(project = "."): Promise<Nameable> {
  const opened = await openProject({ project }).catch(() => undefined);
  if (!opened) return { targets: [], migrations: [], tables: [] };
  const targets = [...opened.settings.targets.keys()];
  try {
    const { migrations, schema } = opened.history();
    return {
      targets,
      migrations: migrations.map(({ number }) => showNumber(number)),
      tables: schema.tables.map(addressOf),
    };
  } catch {
    return { targets, migrations: [], tables: [] };
  }
}

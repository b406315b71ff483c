import { problems } from "../core/problems.js";
import { withDatabase } from "../database/open.js";
import { databasesAt, filesOfList } from "../project/target-lists.js";
import type { Settings, TargetList, TargetSettings } from "../project/settings.js";
import { watched, type TaskOptions } from "./options.js";

/**
 * The target named, or the home target: one database. One of many is called by its list's name and its own: `tenants/acme`.
 * @param any whether the first of many will do where many are named
 * @throws Problem E104, E127, E128
 */
export async function oneTarget(
  settings: Settings,
  name: string | undefined,
  options: TaskOptions,
  any = false,
): Promise<TargetSettings> {
  const wanted = name ?? settings.home;
  const target = settings.targets.get(wanted);
  if (target) return target;
  const list = settings.lists.get(wanted) ?? settings.lists.get(wanted.split("/")[0]!);
  if (!list) throw unknown(settings, wanted);
  const all = await databasesOf(settings, list, options);
  if (list.name === wanted) {
    if (any && all[0]) return all[0];
    throw problems.manyDatabases({ target: list.name, databases: all.map(each => each.name) });
  }
  const found = all.find(each => each.name === wanted);
  if (!found) throw problems.unknownTarget({ name: wanted, known: all.map(each => each.name) });
  return found;
}

/** The list named, or the home one; undefined: it is no list. */
export function listNamed(settings: Settings, name: string | undefined): TargetList | undefined {
  return settings.lists.get(name ?? settings.home);
}

function unknown({ targets, lists }: Settings, name: string) {
  return problems.unknownTarget({ name, known: [...targets.keys(), ...lists.keys()] });
}

/** Every database that the config has, those of lists among them. @throws Problem E128, and what asking for them may */
export async function everyTarget(settings: Settings, options: TaskOptions): Promise<TargetSettings[]> {
  const all = [...settings.targets.values()];
  for (const list of settings.lists.values()) all.push(...(await databasesOf(settings, list, options)));
  return all;
}

/** The databases of a list, the canary first. @throws Problem E128, and what asking for them may */
export async function databasesOf(
  settings: Settings,
  list: TargetList,
  options: TaskOptions,
): Promise<TargetSettings[]> {
  const all = databasesAt(settings, list, await addressesOf(settings, list, options));
  if (all.length === 0) throw problems.wrongList({ target: list.name, reason: "there are none" });
  const { canary } = list.target;
  const first = canary === undefined ? all[0] : all.find(({ name }) => name === `${list.name}/${canary}`);
  if (!first)
    throw problems.wrongList({
      target: list.name,
      reason: `there is no ${canary ?? ""}, which is to go first`,
    });
  return [first, ...all.filter(each => each !== first)];
}

async function addressesOf(
  settings: Settings,
  { name, target }: TargetList,
  options: TaskOptions,
): Promise<readonly string[]> {
  const given = "files" in target ? target.files : target.urls;
  if (!("query" in given)) return "files" in target ? filesOfList(settings, given) : given;
  const wrong = (reason: string) => problems.wrongList({ target: name, reason });
  const control = settings.targets.get(given.of);
  if (!control) throw wrong(`the config has no target ${given.of}, which its query is of`);
  const { query, url } = given;
  const rows = await withDatabase(control, { mode: "read", ...watched(options, control) }, ({ rows: ask }) =>
    ask(query),
  );
  return rows.map(row => {
    const [value, ...more] = Object.values(row);
    if (typeof value !== "string" || value === "" || more.length > 0)
      throw wrong("its query must give one column of texts");
    if ("files" in target || /^[a-z][a-z0-9+.-]*:\/\//i.test(value)) return value;
    if (!url?.includes("{name}"))
      throw wrong("its query gives names of databases, and it has no `url` with {name}");
    return url.replace("{name}", encodeURIComponent(value));
  });
}

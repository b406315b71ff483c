import { resolve } from "node:path";
import { filesLike } from "./files-like.js";
import { completeTarget } from "./load-settings.js";
import type { Settings, TargetList, TargetSettings } from "./settings.js";

/** The files that the patterns of a list find, in the order of their names. */
export function filesOfList(settings: Settings, patterns: readonly string[]): Promise<string[]> {
  return filesLike(patterns, settings.folder);
}

/**
 * The databases of a list, each as a target of its own, called by what its address tells it by: `tenants/acme`.
 * @param addresses paths, from the project's folder, or URLs; each is taken once
 */
export function databasesAt(
  settings: Settings,
  { name: list, target }: TargetList,
  addresses: readonly string[],
): TargetSettings[] {
  const isFile = "files" in target;
  const { folder } = settings;
  const whole = [...new Set(addresses.map(each => (isFile ? resolve(folder, each) : each)))];
  const short = whole.map(shortName);
  const isTwice = new Set(short.filter((name, at) => short.indexOf(name) !== at));
  return whole.map((address, at) => {
    const told = isTwice.has(short[at]!) ? longName(address, folder) : short[at]!;
    const where = isFile ? { file: address } : { url: address };
    const { dialect, guarded, foreignKeys, lockTimeout, batches } = target;
    const own = { ...where, dialect, ...(guarded !== undefined && { guarded }) };
    const rest = {
      ...(foreignKeys !== undefined && { foreignKeys }),
      ...(lockTimeout !== undefined && { lockTimeout }),
      ...(batches !== undefined && { batches }),
    };
    return { ...completeTarget(`${list}/${told}`, { ...own, ...rest } as never, settings), list };
  });
}

/** `/data/acme.db` → `acme`; `postgres://host/acme` → `acme` */
function shortName(address: string): string {
  const path = URL.canParse(address) ? new URL(address).pathname : address;
  const last = decodeURIComponent(path.split(/[/\\]/).at(-1) ?? "");
  return last.replace(/\.[^.]+$/, "") || last;
}

/** Where two are called alike. */
function longName(address: string, folder: string): string {
  if (!URL.canParse(address)) return address.startsWith(folder) ? address.slice(folder.length + 1) : address;
  const { host, pathname } = new URL(address);
  return `${host}${pathname}`;
}

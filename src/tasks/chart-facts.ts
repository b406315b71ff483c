import { dirname, relative, sep } from "node:path";
import type { ChartFacts } from "../core/chart/types.js";
import type { LoadedModels } from "../project/load-models.js";
import type { Settings } from "../project/settings.js";

/** What a chart takes from the models beyond their schema: classes, folders, and which columns belong together. */
export function chartFacts({ entities, resolver, fileOf }: LoadedModels, { folder }: Settings): ChartFacts {
  const places = entities.map(entity => ({
    entity,
    address: resolver.address(entity),
    file: fileOf(entity),
  }));
  const folders = places.map(({ file }) => (file === undefined ? "" : relative(folder, dirname(file))));
  const common = sharedStart(folders.map(each => each.split(sep)));
  const groups = new Map<string, string>();
  places.forEach(({ address }, at) => {
    const own = folders[at]!.split(sep).slice(common);
    if (own.length > 0) groups.set(address, own.join("/"));
  });
  return {
    entities: new Map(places.map(({ entity, address }) => [address, entity.name])),
    groups,
    parts: new Map(
      places.map(({ entity, address }) => [
        address,
        new Map(
          resolver
            .columnsOf(entity)
            .flatMap(({ field: { within }, column }) =>
              within[0] ? [[column.name, within[0].of] as const] : [],
            ),
        ),
      ]),
    ),
  };
}

/** How many folders all begin with. */
function sharedStart([first = [], ...others]: readonly (readonly string[])[]): number {
  const end = first.findIndex((name, at) => others.some(other => other[at] !== name));
  return end < 0 ? first.length : end;
}

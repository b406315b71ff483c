import type { Chart } from "./types.js";

/** How much of each table is drawn. */
export type Fields = "all" | "keys" | "none";

export interface Selection {
  /** Only these tables; a last `*` stands for any end. */
  readonly only?: readonly string[] | undefined;
  /** Only what is around this one… */
  readonly around?: string | undefined;
  /** …as many relations away. */
  readonly depth: number;
  readonly fields: Fields;
}

/** What of a chart is to be drawn. @returns `unknown`: a name that is no table's */
export function select(
  chart: Chart,
  { only, around, depth, fields }: Selection,
): Chart | { unknown: string } {
  const names = new Map(
    chart.tables.flatMap(
      ({ address, entity }) =>
        [
          [address.toLowerCase(), address],
          ...(entity === undefined ? [] : [[entity.toLowerCase(), address] as const]),
        ] as const,
    ),
  );
  let kept = new Set(chart.tables.map(({ address }) => address));
  if (only !== undefined) {
    kept = new Set();
    for (const name of only) {
      const found = name.endsWith("*")
        ? [...names]
            .filter(([each]) => each.startsWith(name.slice(0, -1).toLowerCase()))
            .map(([, address]) => address)
        : [names.get(name.toLowerCase())].flatMap(each => each ?? []);
      if (found.length === 0) return { unknown: name };
      found.forEach(each => kept.add(each));
    }
  }
  if (around !== undefined) {
    const middle = names.get(around.toLowerCase());
    if (middle === undefined) return { unknown: around };
    const near = within(chart, middle, depth);
    kept = new Set([...kept].filter(each => near.has(each)));
  }
  return {
    ...chart,
    tables: chart.tables
      .filter(({ address }) => kept.has(address))
      .map(table => ({
        ...table,
        ...(fields !== "all" && { rules: [] }),
        rows: table.rows.filter(isShown(fields)),
      })),
    links: chart.links.filter(({ from, to }) => kept.has(from) && kept.has(to)),
  };
}

function within(chart: Chart, middle: string, depth: number): Set<string> {
  const near = new Set([middle]);
  for (let step = 0; step < depth; step += 1) {
    const now = [...near];
    for (const { from, to } of chart.links) {
      if (now.includes(from)) near.add(to);
      if (now.includes(to)) near.add(from);
    }
  }
  return near;
}

const isShown =
  (fields: Fields) =>
  ({ mark, refers, state }: Chart["tables"][number]["rows"][number]) =>
    fields === "all" || (fields === "keys" && (mark === "key" || refers.length > 0 || state !== undefined));

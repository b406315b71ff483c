import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { instance } from "@viz-js/viz";
import { initWasm, Resvg } from "@resvg/resvg-wasm";
import fc from "fast-check";
import { beforeAll, expect, test } from "vitest";
import { chartOf } from "../../src/core/chart/chart.js";
import type { Chart } from "../../src/core/chart/types.js";
import { differenceOf } from "../../src/core/chart/difference.js";
import { drawSvg } from "../../src/core/chart/draw-svg.js";
import { writeGraphviz } from "../../src/core/chart/graphviz.js";
import { layOut, type LaidOut, type LayoutEngine } from "../../src/core/chart/layout.js";
import { LOOKS } from "../../src/core/chart/looks.js";
import { widthOf } from "../../src/core/chart/measure.js";
import { pointOn, type Curve } from "../../src/core/chart/lines.js";
import type { PlacedBox, PlacedGroup, Point } from "../../src/core/chart/placed.js";
import type { Table } from "../../src/core/schema/types.js";
import { madeUpSchema, type MadeUpTable } from "../../bench/made-up-schema.mjs";
import { table } from "../core/render-cases.js";
import { apply } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import { arbitrarySchema, hintsBetween } from "./arbitrary-schema.js";
import { RUNS, SEED } from "./runs.js";

let engine: LayoutEngine;
let read: (graph: string) => { readonly edges?: readonly unknown[]; readonly objects?: readonly unknown[] };

beforeAll(async () => {
  const graphviz = await instance();
  engine = (graph, how) => graphviz.renderJSON(graph, { engine: how }) as LaidOut;
  read = graph => graphviz.renderJSON(graph) as ReturnType<typeof read>;
  await initWasm(readFileSync(createRequire(import.meta.url).resolve("@resvg/resvg-wasm/index_bg.wasm")));
});

const schema = arbitrarySchema({ hostile: true });
/** A chart of one version, or of what differs between two. */
const charts: fc.Arbitrary<Chart> = fc.oneof(
  schema.map(each => chartOf(each)),
  fc.tuple(schema, schema, fc.nat(30)).map(([a, version, seed]) => {
    const changes = diff(a, version, hintsBetween(a, version, seed));
    return differenceOf(chartOf(a), chartOf(apply(a, changes)), changes);
  }),
);

test("of any schema, the drawing is sound, tables stand apart, every text has room, and it is the same again", () => {
  const told = { tables: 0, links: 0 };
  fc.assert(
    fc.property(charts, fc.constantFrom("light", "dark"), (chart, look) => {
      const layout = layOut(chart, engine);
      const svg = drawSvg(chart, layout, { look, title: "a chart" });
      expect(drawSvg(chart, layOut(chart, engine), { look, title: "a chart" })).toBe(svg);
      // Another program reads it: what is no XML is refused.
      const { width, height } = new Resvg(svg, { font: { loadSystemFonts: false } });
      expect([width, height]).toEqual([expect.any(Number), expect.any(Number)]);
      expect(layout.boxes.map(({ table }) => table.address).sort()).toEqual(
        chart.tables.map(({ address }) => address).sort(),
      );
      expect(layout.wires).toHaveLength(chart.links.length);
      layout.boxes.forEach((box, at) => {
        expect(layout.boxes.slice(at + 1).filter(other => overlap(box, other))).toEqual([]);
        expect(textsBeyond(box)).toEqual([]);
        expect(isWithin(box, { width, height }) && box.x >= 0 && box.y >= 0).toBe(true);
      });
      for (const { points } of layout.wires)
        for (const { x, y } of points) expect(x >= 0 && y >= 0 && x <= width && y <= height).toBe(true);
      told.tables += chart.tables.length;
      told.links += chart.links.length;
    }),
    { seed: SEED, numRuns: RUNS },
  );
  expect([told.tables > RUNS, told.links > RUNS / 4]).toEqual([true, true]);
});

function overlap(a: PlacedBox, b: PlacedBox): boolean {
  return a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
}

function isWithin({ x, y, width, height }: PlacedBox, whole: { width: number; height: number }): boolean {
  return x + width <= whole.width && y + height <= whole.height;
}

/** What is wider than its box, reckoned from the words alone. */
function textsBeyond({ table, width, rows, notes, rules, height }: PlacedBox): string[] {
  const lines = [
    { words: table.address, size: 16, weight: "bold" as const, y: 22 },
    ...[...notes, ...rules].map(({ text, y }) => ({ words: text, size: 12, weight: "regular" as const, y })),
    ...rows.map(({ row, refers, y }) => ({
      words: [row.name, row.unique ? "unique" : "", row.was ?? "", row.type, refers].join(" "),
      ...{ size: 12, weight: "regular" as const, y },
    })),
  ];
  return lines
    .filter(({ words, size, weight, y }) => widthOf(words, size, weight) > width || y > height)
    .map(({ words }) => words);
}

test.each([0, 6])(
  "of 120 tables, in %s groups, lines are led round the tables, and groups hold theirs alone",
  groups => {
    const schema = { tables: madeUpSchema(120).map(tableOf) };
    const facts = {
      entities: new Map<string, string>(),
      parts: new Map<string, Map<string, string>>(),
      groups: new Map(schema.tables.map(({ name }, at) => [name, `group ${at % groups}`] as const)),
    };
    const chart = chartOf(schema, groups > 0 ? facts : undefined);
    const layout = layOut(chart, engine);
    let crossed = 0;
    for (const { link, points } of layout.wires) {
      const others = layout.boxes.filter(
        ({ table: { address } }) => address !== link.from && address !== link.to,
      );
      const curves = Array.from(
        { length: (points.length - 1) / 3 },
        (_, at) => points.slice(at * 3, at * 3 + 4) as unknown as Curve,
      );
      const line = curves.flatMap(curve => Array.from({ length: 9 }, (_, at) => pointOn(curve, at / 8)));
      if (others.some(box => line.some(point => isInside(point, box, 1)))) crossed += 1;
    }
    expect(crossed).toBe(0);
    expect(layout.groups).toHaveLength(groups);
    for (const group of layout.groups)
      for (const box of layout.boxes)
        expect(isInside(box, group, 0), `${box.table.address} in ${group.name}`).toBe(
          box.table.group === group.name,
        );
    expect(layout.width / layout.height).toBeGreaterThan(0.7);
    expect(layout.width / layout.height).toBeLessThan(3);
  },
);

function tableOf({ name, columns, refers }: MadeUpTable, _: number, all: readonly MadeUpTable[]): Table {
  const references = refers.map((to, at) => ({ name: `${all[to]!.name}_${at}_id`, to: all[to]!.name }));
  return table(name, {
    columns: ["id", ...columns.map(([column]) => column), ...references.map(each => each.name)].map(
      column => ({
        ...{ name: column, type: { kind: "integer" as const }, nullable: false },
      }),
    ),
    foreignKeys: references.map(({ name: column, to }) => ({
      name: `fk_${name}_${column}`,
      columns: [column],
      references: { table: to, columns: ["id"] },
      ...{ onDelete: "restrict" as const, onUpdate: "no action" as const },
    })),
  });
}

function isInside({ x, y }: Point, box: Omit<PlacedGroup, "name">, edge: number): boolean {
  return (
    x > box.x + edge && x < box.x + box.width - edge && y > box.y + edge && y < box.y + box.height - edge
  );
}

test("a chart for Graphviz is a graph that it reads, with the same tables and relations", () => {
  fc.assert(
    fc.property(charts, chart => {
      const { edges = [], objects = [] } = read(writeGraphviz(chart));
      expect(edges).toHaveLength(chart.links.length);
      expect(objects.length).toBeGreaterThanOrEqual(new Set(chart.tables.map(({ address }) => address)).size);
    }),
    { seed: SEED, numRuns: Math.ceil(RUNS / 3) },
  );
});

test("each text stands out from what is behind it", () => {
  const light = (colour: string) => {
    const [red, green, blue] = [1, 3, 5].map(at => {
      const part = parseInt(colour.slice(at, at + 2), 16) / 255;
      return part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4;
    });
    return 0.2126 * red! + 0.7152 * green! + 0.0722 * blue!;
  };
  // https://www.w3.org/TR/WCAG22/#dfn-contrast-ratio
  const contrast = (a: string, b: string) => {
    const [high, low] = [light(a), light(b)].sort((x, y) => y - x);
    return (high! + 0.05) / (low! + 0.05);
  };
  for (const { ink, quiet, card, paper, group, onGlaze, glaze, state } of Object.values(LOOKS)) {
    const pairs = [
      ...[ink, quiet].flatMap(text => [card, paper, group].map(behind => [text, behind])),
      ...Object.values(glaze).map(behind => [onGlaze, behind]),
      ...Object.values(state).flatMap(text => [card, paper].map(behind => [text, behind])),
    ] as [string, string][];
    expect(pairs.filter(([text, behind]) => contrast(text, behind) < 4.5)).toEqual([]);
  }
});

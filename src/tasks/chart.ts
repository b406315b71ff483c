import { readFileSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import { basename, extname, resolve } from "node:path";
import { chartOf } from "../core/chart/chart.js";
import type { Chart } from "../core/chart/types.js";
import { differenceOf } from "../core/chart/difference.js";
import { drawSvg, FONT, type FontFaces } from "../core/chart/draw-svg.js";
import { writeGraphviz } from "../core/chart/graphviz.js";
import { layOut, type LaidOut } from "../core/chart/layout.js";
import type { Layout } from "../core/chart/placed.js";
import type { LookName } from "../core/chart/looks.js";
import { writeMermaid } from "../core/chart/mermaid.js";
import { select, type Fields } from "../core/chart/select.js";
import { problems } from "../core/problems.js";
import { asset } from "./assets.js";
import { chartFacts } from "./chart-facts.js";
import { writeChartPage, type Pictured } from "./chart-page.js";
import { openProject, type OpenProject } from "./open-project.js";
import type { TaskOptions } from "./options.js";
import { changesBetween, readPoint, type Point } from "./points.js";

export interface ChartOptions extends TaskOptions {
  /** The files to write, each as its ending says. @default ["chart.svg"] */
  readonly out?: readonly string[] | undefined;
  /** Which version: `models`, `history`, a number, `target:NAME`. @default "models" */
  readonly of?: string | undefined;
  /** The version to show what differs from. @default none */
  readonly from?: string | undefined;
  /** Only these tables, by name or class; a last `*` stands for any end. @default all */
  readonly only?: readonly string[] | undefined;
  /** Only what is around a table. @default all */
  readonly around?: string | undefined;
  /** How many relations away from that. @default 1 */
  readonly depth?: number | undefined;
  /** How much of each table is drawn. @default "all" */
  readonly fields?: Fields | undefined;
  /** @default "light" */
  readonly look?: LookName | undefined;
}

export interface ChartResult {
  readonly of: string;
  readonly from?: string;
  readonly files: readonly string[];
  readonly tables: number;
  readonly views: number;
  readonly relations: number;
}

/** What a chart is written as, by the ending of its file. */
const WRITERS = {
  ".svg": async drawing => drawSvg(drawing.chart, await drawing.layout(), { ...drawing, font: fontFaces() }),
  ".png": async drawing => drawPng(drawSvg(drawing.chart, await drawing.layout(), drawing)),
  ".html": async drawing => writeChartPage(drawing, await drawing.layout(), fontFaces()),
  ".mmd": async ({ chart }) => writeMermaid(chart),
  ".dot": async ({ chart }) => writeGraphviz(chart),
} as const satisfies Record<string, (drawing: Drawing) => Promise<string | Uint8Array>>;

export const CHART_ENDINGS = Object.keys(WRITERS) as (keyof typeof WRITERS)[];

interface Drawing extends Pictured {
  readonly layout: () => Promise<Layout>;
  readonly look: LookName;
}

/** Draws a version of the schema. @throws Problem E104, E106, E130 to E132, E203, E400 to E413 */
export async function chart(options: ChartOptions = {}): Promise<ChartResult> {
  const { out = ["chart.svg"], of = "models", from, look = "light" } = options;
  const writers = out.map(file => ({ file, write: writerOf(file) }));
  const project = await openProject(options);
  const point = await readPoint(project, of, options);
  const chosen = await chosenChart(project, options, point, from);
  let known: Promise<Layout> | undefined;
  const drawing: Drawing = {
    ...{ chart: chosen, look, project, point: inOwnWords(point) },
    title: `${basename(project.settings.folder)}: ${from === undefined ? of : `from ${from} to ${of}`}`,
    layout: () => (known ??= laidOut(chosen)),
  };
  for (const { file, write } of writers) writeFileSync(resolve(file), await write(drawing));
  return {
    of,
    ...(from !== undefined && { from }),
    files: out,
    tables: chosen.tables.filter(({ role }) => role !== "view").length,
    views: chosen.tables.filter(({ role }) => role === "view").length,
    relations: chosen.links.filter(({ reads }) => !reads).length,
  };
}

function writerOf(file: string): (drawing: Drawing) => Promise<string | Uint8Array> {
  const ending = CHART_ENDINGS.find(each => each === extname(file).toLowerCase());
  if (ending === undefined) throw problems.unknownChart({ file, endings: CHART_ENDINGS });
  return WRITERS[ending];
}

async function chosenChart(
  project: OpenProject,
  { only, around, depth = 1, fields = "all", ...options }: ChartOptions,
  point: Point,
  from: string | undefined,
): Promise<Chart> {
  const whole =
    from === undefined
      ? chartOfPoint(project, inOwnWords(point))
      : differenceBetween(project, await readPoint(project, from, options), point);
  if (whole.tables.length === 0) throw problems.emptyChart({ point: point.name });
  const chosen = select(whole, { only, around, depth, fields });
  if ("unknown" in chosen)
    throw problems.notInChart({ name: chosen.unknown, known: whole.tables.map(({ address }) => address) });
  return chosen;
}

function chartOfPoint({ settings }: OpenProject, { models, schema }: Point): Chart {
  return chartOf(schema, models && chartFacts(models, settings));
}

/** What a database holds as models would say it. */
function inOwnWords({ live, ...point }: Point): Point {
  return live
    ? { ...point, schema: live.dialect.types.raise(live.dialect.types.unspell(point.schema)) }
    : point;
}

function differenceBetween(project: OpenProject, before: Point, after: Point): Chart {
  const changes = changesBetween(project.history(), before, after);
  return differenceOf(chartOfPoint(project, before), chartOfPoint(project, after), changes);
}

async function laidOut(drawn: Chart): Promise<Layout> {
  const { instance } = await import("@viz-js/viz");
  const engine = await instance();
  // Without what it would draw, which takes it as long again to say.
  const said = (graph: string, how: string) => engine.renderString(graph, { format: "json0", engine: how });
  return layOut(drawn, (graph, how) => JSON.parse(said(graph, how)) as LaidOut);
}

function fontFaces(): FontFaces {
  const face = (name: string) => `data:font/woff2;base64,${asset(name).toString("base64")}`;
  return { regular: face("regular.woff2"), bold: face("bold.woff2") };
}

/** Twice the size of the drawing, unless that would be more than most programs show. */
const PNG = { scale: 2, pixels: 80_000_000 } as const;

async function drawPng(svg: string): Promise<Uint8Array> {
  const { initWasm, Resvg } = await import("@resvg/resvg-wasm");
  await initWasm(readFileSync(createRequire(import.meta.url).resolve("@resvg/resvg-wasm/index_bg.wasm")));
  const [, width = 1, height = 1] = (/width="(\d+)" height="(\d+)"/.exec(svg) ?? []).map(Number);
  const scale = Math.min(PNG.scale, Math.sqrt(PNG.pixels / (width * height)));
  const drawn = new Resvg(svg, {
    fitTo: { mode: "zoom", value: scale },
    font: {
      fontBuffers: [asset("regular.ttf"), asset("bold.ttf")],
      defaultFontFamily: FONT,
      loadSystemFonts: false,
    },
  });
  return drawn.render().asPng();
}

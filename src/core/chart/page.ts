import { drawContent, fontFaces, styleOf, type FontFaces } from "./draw-svg.js";
import type { Layout, PlacedArea } from "./placed.js";
import { LOOKS } from "./looks.js";
import { widthOf } from "./measure.js";
import type { PageData } from "./page-data.js";
import { escapeXml } from "./svg-text.js";

export interface PageParts {
  readonly layout: Layout;
  readonly data: PageData;
  readonly font: FontFaces;
  /** The page's own script and style, as they are built. */
  readonly script: string;
  readonly style: string;
  /** Of a text, SHA-256 in base 64. */
  readonly sumOf: (text: string) => string;
}

/**
 * A chart as one HTML file that needs nothing else. Only its own script may run, which its sum tells the browser
 * (https://www.w3.org/TR/CSP3/#grammardef-hash-source), whatever stands in names and notes.
 */
export function writePage({ layout, data, font, script, style, sumOf }: PageParts): string {
  const { width, height } = layout;
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'; font-src data:; script-src 'sha256-${sumOf(script)}'">
<title>${escapeXml(data.title)}</title>
<style>
${fontFaces(font)}${style}
.chart{${styleOf(LOOKS.light)}}
:root[data-look="dark"] .chart{${styleOf(LOOKS.dark)}}
</style>
</head>
<body>
<header>
<h1>${escapeXml(data.title)}</h1>
<p id="count">${sayCounts(layout)}</p>
<label class="search"><span>Find a table or a column</span><input id="search" type="search" placeholder="Find a table or a column" autocomplete="off"></label>
<label id="group-choice" hidden><span>Group</span><select id="group"></select></label>
<div class="buttons"><button id="smaller" type="button" aria-label="Smaller">−</button><button id="larger" type="button" aria-label="Larger">+</button><button id="fit" type="button">All</button><button id="look" type="button" aria-label="Light or dark">◐</button><button id="list-toggle" type="button" aria-expanded="true" aria-controls="side">List</button></div>
</header>
<main>
<noscript><style>#stage .waiting{display:block}</style></noscript>
<div id="stage" class="chart" tabindex="-1"><svg class="waiting" xmlns="http://www.w3.org/2000/svg" width="100%" height="100%" viewBox="0 0 ${width} ${height}" data-width="${width}" data-height="${height}" role="group" aria-label="The chart">
<g id="world">
${drawContent(layout).join("\n")}
${layout.areas.map(drawArea).join("\n")}
</g>
</svg></div>
<aside id="side" aria-label="Tables"></aside>
</main>
<footer id="history" hidden><button id="play" type="button">Play</button><label><span class="quiet">How it grew</span><input id="step" type="range" min="0" value="0"></label><output id="step-words" for="step"></output></footer>
<script id="data" type="application/json">${JSON.stringify(data).replaceAll("<", "\\u003c").replaceAll("\u2028", "\\u2028").replaceAll("\u2029", "\\u2029")}</script>
<script>${script}</script>
</body>
</html>
`;
}

/** `9 tables, 1 view, 12 relations` */
function sayCounts({ boxes, wires }: Layout): string {
  const views = boxes.filter(({ table }) => table.role === "view").length;
  const say = (count: number, word: string) => `${count} ${word}${count === 1 ? "" : "s"}`;
  return [
    say(boxes.length - views, "table"),
    ...(views > 0 ? [say(views, "view")] : []),
    say(wires.filter(({ link }) => !link.reads).length, "relation"),
  ].join(", ");
}

/** Over an area, to be read from afar. */
function drawArea({ name, x, y, width }: PlacedArea): string {
  const size = Math.min(190, (width * 0.9 * 100) / widthOf(name, 100, "bold"));
  return `<text class="area" x="${x}" y="${y}" style="font-size:${Math.round(size)}px">${escapeXml(name)}</text>`;
}

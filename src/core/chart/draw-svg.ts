import type { Chart, ChartLink, ChartRow, Role } from "./types.js";
import { SIZES, type Box, type RowLine } from "./boxes.js";
import type { Layout, PlacedBox, PlacedGroup, Point, Wire } from "./placed.js";
import { MARGIN } from "./layout.js";
import { LOOKS, type Look, type LookName } from "./looks.js";
import { widthOf, type Weight } from "./measure.js";
import { escapeXml } from "./svg-text.js";
import { STATES } from "./words.js";

export interface DrawOptions {
  readonly look: LookName;
  readonly title: string;
  /** The font as data: URLs, to stand in the file. @default none */
  readonly font?: FontFaces | undefined;
}

export type FontFaces = Readonly<Record<Weight, string>>;

export const FONT = "Alegreya Sans";

/** A chart as one SVG document; the same for the same chart, to the byte. */
export function drawSvg(chart: Chart, layout: Layout, { look, title, font }: DrawOptions): string {
  const legend = drawLegend(chart, layout);
  const width = Math.ceil(Math.max(layout.width, legend.width + 2 * MARGIN));
  const height = Math.ceil(layout.height + legend.height);
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" role="img">`,
    `<title>${escapeXml(title)}</title>`,
    `<style>${font ? fontFaces(font) : ""}${styleOf(LOOKS[look])}</style>`,
    `<rect class="paper" width="${width}" height="${height}"/>`,
    ...drawContent(layout),
    `<g class="legend" transform="translate(${MARGIN} ${layout.height - 6})">`,
    ...legend.lines,
    "</g>",
    "</svg>",
    "",
  ].join("\n");
}

/** Groups, lines and tables, from the back to the front. */
export function drawContent({ groups, wires, boxes }: Layout): string[] {
  return [...groups.map(drawGroup), ...wires.flatMap(drawWire), ...boxes.flatMap(drawBox)];
}

/** The rules of a style that bring the font. */
export function fontFaces(font: FontFaces): string {
  const face = (weight: Weight, number: number) =>
    `@font-face{font-family:"${FONT}";font-weight:${number};src:url(${font[weight]}) format("woff2")}\n`;
  return face("regular", 400) + face("bold", 700);
}

/** The rules of a style that a look comes to. */
export function styleOf(look: Look): string {
  const glazes = Object.entries(look.glaze).map(
    ([role, colour]) => `.${role} .glaze,.glaze.${role}{fill:${colour}}`,
  );
  const states = Object.entries(look.state).map(
    ([state, colour]) =>
      `.is-${state} .card{stroke:${colour};stroke-width:2}.is-${state} .wire,.is-${state} .end{stroke:${colour}}.tag-${state}{fill:${colour}}.row-${state}{fill:${colour};opacity:.13}`,
  );
  return [
    `text{font-family:"${FONT}",Carlito,Calibri,"Segoe UI",sans-serif;font-kerning:none;font-size:${SIZES.text}px;fill:${look.ink}}`,
    `.paper{fill:${look.paper}}.group{fill:${look.group};stroke:${look.edge}}.card{fill:${look.card};stroke:${look.edge}}`,
    `.name{font-weight:700;font-size:${SIZES.title}px;fill:${look.onGlaze}}.other{font-size:${SIZES.small}px;fill:${look.onGlaze}}`,
    `.key{font-weight:700}.small{font-size:${SIZES.small}px;fill:${look.quiet}}.title{font-weight:700;font-size:${SIZES.title}px;fill:${look.quiet}}`,
    `.wire,.end{fill:none;stroke:${look.wire};stroke-width:1.3}.ring{fill:${look.paper}}.mark{fill:${look.ink}}.hollow{fill:none;stroke:${look.ink};stroke-width:1.2}`,
    `.label{fill:${look.paper}}.bracket{fill:none;stroke:${look.quiet};stroke-width:1}`,
    ...glazes,
    ...states,
    ".is-gone .wire,.is-gone .card{stroke-dasharray:6 4}.reads .wire{stroke-dasharray:1.5 4;stroke-linecap:round;stroke-width:1.8}.is-new .wire{stroke-width:2.6}.struck{text-decoration:line-through}",
    `.tag{font-size:${SIZES.small}px;font-weight:700;fill:${look.paper}}.sign{font-weight:700}`,
    ...Object.entries(look.state).map(([state, colour]) => `.sign-${state}{fill:${colour}}`),
  ].join("\n");
}

function drawGroup({ name, x, y, width, height }: PlacedGroup): string {
  return `<g><rect class="group" x="${x}" y="${y}" width="${width}" height="${height}" rx="14"/><text class="title" x="${x + 16}" y="${y + 24}">${escapeXml(name)}</text></g>`;
}

const stateClass = (state: string | undefined) => (state === undefined ? "" : ` is-${state}`);

function drawBox(box: PlacedBox): string[] {
  const { table, x, y, width, height } = box;
  const { address, note, state, role } = table;
  const other = table.was === undefined ? table.entity : `was ${table.was}`;
  const otherX = width - SIZES.edge - widthOf(other ?? "", SIZES.small);
  return [
    `<g class="table ${role}${stateClass(state)}" data-table="${escapeXml(address)}" transform="translate(${x} ${y})">`,
    `<title>${escapeXml(note === undefined ? address : `${address}: ${note}`)}</title>`,
    role === "view"
      ? `<path class="card" d="${viewShape(width, height)}"/>`
      : `<rect class="card" width="${width}" height="${height}" rx="7"/>`,
    `<path class="glaze" d="${glazeOf(box)}"/>`,
    text(address, { x: SIZES.edge, y: 21.5, kind: `name${state === "gone" ? " struck" : ""}` }),
    ...(other === undefined ? [] : [text(other, { x: otherX, y: 21.5, kind: "other" })]),
    ...box.notes.map(line => text(line.text, { x: SIZES.edge, y: line.y, kind: "small" })),
    ...brackets(box),
    ...box.rows.flatMap(line => drawRow(line, width)),
    ...box.rules.map(line => text(line.text, { x: SIZES.edge, y: line.y, kind: "small" })),
    ...(state === undefined ? [] : tagOf(state, width)),
    "</g>",
  ];
}

/** A sign and a word over the upper right corner. */
function tagOf(state: keyof typeof STATES, width: number): string[] {
  const words = `${STATES[state].sign} ${STATES[state].word}`;
  const room = Math.ceil(widthOf(words, SIZES.small, "bold")) + 16;
  return [
    `<rect class="tag-${state}" x="${width - room + 8}" y="-12" width="${room}" height="18" rx="9"/>`,
    text(words, { x: width - room + 16, y: 1, kind: "tag" }),
  ];
}

/** The head of a table, glazed: its lower edge runs down a little, each in its own way. */
function glazeOf({ table, width, height, rows, notes, rules }: Box): string {
  if (table.role === "view") return viewShape(width, height);
  const bare = rows.length + notes.length + rules.length === 0;
  const top = `M0 7a7 7 0 0 1 7-7H${width - 7}a7 7 0 0 1 7 7`;
  if (bare) return `${top}V${height - 7}a7 7 0 0 1-7 7H7a7 7 0 0 1-7-7Z`;
  let seed = [...table.address].reduce((sum, letter) => (sum * 31 + letter.codePointAt(0)!) % 65521, 7);
  const random = () => (seed = (seed * 75 + 74) % 65537) / 65537;
  const line = SIZES.header;
  const count = Math.max(3, Math.round(width / 34));
  const step = width / count;
  const parts = [`${top}V${line + 1}`];
  let x = width;
  for (let at = 0; at < count; at += 1) {
    const deep = 1 + random() * (SIZES.drip - 1);
    const to = at === count - 1 ? 0 : x - step;
    const third = (x - to) / 3;
    parts.push(`C${n(x - third)} ${n(line + deep)} ${n(to + third)} ${n(line + deep)} ${n(to)} ${line + 1}`);
    x = to;
  }
  return `${parts.join("")}Z`;
}

/** A view is cut off at its corners: it holds nothing of its own. */
function viewShape(width: number, height: number): string {
  const cut = 9;
  return `M${cut} 0H${width - cut}L${width} ${cut}V${height - cut}L${width - cut} ${height}H${cut}L0 ${height - cut}V${cut}Z`;
}

const n = (number: number) => String(Math.round(number * 10) / 10);

/** What belongs together, in one property of a model, is held by a bracket. */
function brackets({ rows }: Box): string[] {
  const result: string[] = [];
  for (let at = 0; at < rows.length;) {
    const { part } = rows[at]!.row;
    let end = at + 1;
    while (part !== undefined && rows[end]?.row.part === part) end += 1;
    if (part !== undefined && end > at + 1)
      result.push(
        `<path class="bracket" d="M7 ${rows[at]!.middle}H4.5V${rows[end - 1]!.middle}H7"><title>${escapeXml(part)}</title></path>`,
      );
    at = end;
  }
  return result;
}

function drawRow({ row, refers, y, middle }: RowLine, width: number): string[] {
  const { name, mark, state, remarks, was } = row;
  const struck = state === "gone" ? " struck" : "";
  const weight: Weight = mark === "key" ? "bold" : "regular";
  const end = [was !== undefined && `was ${was}`, row.type, refers]
    .filter(each => typeof each === "string" && each !== "")
    .join("\u00a0 ");
  const endX = width - SIZES.edge - widthOf(end, SIZES.small);
  return [
    `<g class="row" data-column="${escapeXml(name)}">`,
    ...(remarks.length === 0 ? [] : [`<title>${escapeXml(remarks.join(" · "))}</title>`]),
    ...(state === undefined
      ? []
      : [
          `<rect class="row-${state}" x="1" y="${n(middle - SIZES.row / 2)}" width="${width - 2}" height="${SIZES.row}"/>`,
        ]),
    state === undefined
      ? markOf(mark, middle)
      : text(STATES[state].sign, { x: SIZES.sign - 4, y, kind: `sign sign-${state}` }),
    text(name, { x: SIZES.name, y, kind: `${mark === "key" ? "key" : "field"}${struck}` }),
    ...(row.unique
      ? [
          text("unique", {
            x: SIZES.name + widthOf(name, SIZES.text, weight) + SIZES.gap / 2,
            y,
            kind: "small",
          }),
        ]
      : []),
    text(end, { x: endX, y, kind: `small${struck}` }),
    "</g>",
  ];
}

function markOf(mark: ChartRow["mark"], y: number): string {
  const x = SIZES.sign;
  if (mark === "key")
    return `<path class="mark" d="M${x} ${n(y - 5)}L${x + 5} ${n(y)}L${x} ${n(y + 5)}L${x - 5} ${n(y)}Z"/>`;
  const kind = mark === "required" ? "mark" : "hollow";
  return `<circle class="${kind}" cx="${x}" cy="${n(y)}" r="${mark === "required" ? 3 : 2.8}"/>`;
}

interface TextPlace {
  readonly x: number;
  readonly y: number;
  readonly kind: string;
}

/** Letters that the font in the file has; others come from another font, and are given the room that was reckoned. */
const OWN_LETTERS = /^[\x20-\x7e\xa0-\xff\u2013\u2014\u2018-\u201d\u2022\u2026\u2212]*$/;

function text(words: string, { x, y, kind }: TextPlace): string {
  const [size, weight] = fontOf(kind);
  const room = OWN_LETTERS.test(words)
    ? ""
    : ` textLength="${n(widthOf(words, size, weight))}" lengthAdjust="spacingAndGlyphs"`;
  return `<text class="${kind}" x="${n(x)}" y="${n(y)}"${room}>${escapeXml(words)}</text>`;
}

function fontOf(kind: string): [number, Weight] {
  const [first] = kind.split(" ");
  if (first === "name" || first === "title") return [SIZES.title, "bold"];
  if (first === "key" || first === "sign") return [SIZES.text, "bold"];
  if (first === "tag") return [SIZES.small, "bold"];
  return first === "field" ? [SIZES.text, "regular"] : [SIZES.small, "regular"];
}

function drawWire({ link, points, turned, label }: Wire): string[] {
  const [first, ...rest] = points as [Point, ...Point[]];
  const curves = Array.from({ length: rest.length / 3 }, (_, at) =>
    rest
      .slice(at * 3, at * 3 + 3)
      .map(({ x, y }) => `${x} ${y}`)
      .join(" "),
  );
  const last = points.at(-1)!;
  const [referred, referring] = turned ? [last, first] : [first, last];
  const inward = (end: Point) => (end === first ? points[1]! : points.at(-2)!);
  const words = [
    link.reads
      ? `view ${link.from} reads ${link.to}`
      : link.pair === undefined
        ? `${link.from} (${link.columns.join(", ")}) → ${link.to}`
        : `${link.from} and ${link.to}, in pairs: ${link.pair}`,
    ...(link.any ? ["one of several that it may refer to"] : []),
    ...(link.onDelete === undefined ? [] : [`on delete ${link.onDelete}`]),
    ...(link.state === undefined ? [] : [STATES[link.state].word]),
  ].join(", ");
  const room = label && Math.ceil(widthOf(label.text, SIZES.small)) + 8;
  return [
    `<g class="link${link.reads ? " reads" : ""}${stateClass(link.state)}" data-link="${escapeXml(link.id)}" data-from="${escapeXml(link.from)}" data-to="${escapeXml(link.to)}" data-columns="${escapeXml(link.columns[0] ?? "")}"${link.pair === undefined ? "" : ` data-pair="${escapeXml(link.pair)}"`}>`,
    `<title>${escapeXml(words)}</title>`,
    `<path class="wire" d="M${first.x} ${first.y}${curves.map(each => `C${each}`).join("")}"/>`,
    ...(link.reads
      ? []
      : [
          drawEnd(link.toEnd, referred, inward(referred)),
          drawEnd(link.fromEnd, referring, inward(referring)),
        ]),
    ...(label
      ? [
          `<rect class="label" x="${n(label.x - room! / 2)}" y="${n(label.y - 8)}" width="${room!}" height="16" rx="4"/>`,
          text(label.text, { x: label.x - room! / 2 + 4, y: label.y + 4, kind: "small" }),
        ]
      : []),
    "</g>",
  ];
}

/** Three prongs: many · a bar: one · a ring: one or none. */
function drawEnd(end: ChartLink["toEnd"] | ChartLink["fromEnd"], at: Point, towards: Point): string {
  const angle = Math.round((Math.atan2(towards.y - at.y, towards.x - at.x) * 180) / Math.PI);
  const place = `transform="translate(${at.x} ${at.y})${angle === 0 ? "" : ` rotate(${angle})`}"`;
  switch (end) {
    case "many":
      return `<path class="end" ${place} d="M0-5.5L11 0L0 5.5"/>`;
    case "one":
      return `<path class="end" ${place} d="M8-5V5"/>`;
    case "maybe one":
      return `<circle class="end ring" ${place} cx="9" cy="0" r="3.6"/>`;
  }
}

const ROLE_WORDS: Readonly<Record<Role, string>> = {
  root: "refers to nothing",
  branch: "refers to others",
  between: "its key is of references",
  view: "a view",
};

interface Legend {
  readonly lines: readonly string[];
  readonly width: number;
  readonly height: number;
}

/** What the signs of a chart mean, of those that stand in it. */
function drawLegend(chart: Chart, { width }: Layout): Legend {
  const roles = (["root", "branch", "between", "view"] as const).filter(role =>
    chart.tables.some(table => table.role === role),
  );
  const marks = (["key", "required", "optional"] as const).filter(mark =>
    chart.tables.some(({ rows }) => rows.some(row => row.mark === mark)),
  );
  const ends = (["many", "one", "maybe one"] as const).filter(end =>
    chart.links.some(({ fromEnd, toEnd, reads }) => !reads && (fromEnd === end || toEnd === end)),
  );
  const states = (["new", "changed", "gone"] as const).filter(
    state => chart.isDifference && [...chart.tables, ...chart.links].some(each => each.state === state),
  );
  const entries: { readonly sign: string; readonly words: string }[] = [
    ...roles.map(role => ({
      sign: `<rect class="glaze ${role}" x="0" y="-9" width="16" height="11" rx="3"/>`,
      words: ROLE_WORDS[role],
    })),
    ...marks.map(mark => ({
      sign: `<g transform="translate(${8 - SIZES.sign} -4)">${markOf(mark, 0)}</g>`,
      words: mark,
    })),
    ...ends.map(end => ({
      sign: `<path class="wire" d="M0-4H18"/>${drawEnd(end, { x: 0, y: -4 }, { x: 9, y: -4 })}`,
      words: end === "maybe one" ? "one or none" : end,
    })),
    ...(chart.links.some(({ reads }) => reads)
      ? [{ sign: `<g class="reads"><path class="wire" d="M0-4H18"/></g>`, words: "reads" }]
      : []),
    ...(chart.tables.some(({ rows }) => rows.some(({ onDelete }) => onDelete !== undefined))
      ? [
          {
            sign: `<text class="small" x="0" y="0">→</text>`,
            words: "what is referred to stays, unless it says what happens when it is deleted",
          },
        ]
      : []),
    ...states.map(state => ({
      sign: `<text class="sign sign-${state}" x="4" y="0">${STATES[state].sign}</text>`,
      words: STATES[state].word,
    })),
  ];
  const room = Math.max(width - 2 * MARGIN, 560);
  let [x, y, widest] = [0, 0, 0];
  const lines = entries.map(({ sign, words }) => {
    const wide = 24 + widthOf(words, SIZES.small) + 22;
    if (x > 0 && x + wide > room) [x, y] = [0, y + 20];
    const drawn = `<g transform="translate(${n(x)} ${y})">${sign}${text(words, { x: 24, y: 0, kind: "small" })}</g>`;
    x += wide;
    widest = Math.max(widest, x);
    return drawn;
  });
  return { lines, width: widest, height: entries.length === 0 ? 0 : y + 26 };
}

import { groupBy } from "../lists.js";
import type { Chart, ChartLink, ChartRow, ChartTable } from "./types.js";
import { LOOKS } from "./looks.js";
import { escapeXml } from "./svg-text.js";
import { sayLink, STATES } from "./words.js";

/** A chart as a graph in the language of Graphviz: https://graphviz.org/doc/info/lang.html */
export function writeGraphviz({ tables, links }: Chart): string {
  const groups = [...groupBy(tables, ({ group }) => group)].filter(([name]) => name !== undefined);
  return [
    "digraph schema {",
    '  rankdir=LR; nodesep=0.36; ranksep=0.95; fontname="Alegreya Sans"; bgcolor="transparent";',
    '  node [shape=plain fontname="Alegreya Sans" fontsize=11]; edge [fontname="Alegreya Sans" fontsize=9 dir=both];',
    ...tables.map(table => `  ${quoted(table.address)} [label=<${cells(table)}>];`),
    ...(groups.length < 2
      ? []
      : groups.map(
          ([name, members], at) =>
            `  subgraph cluster_${at} { label=${quoted(name!)}; ${members.map(({ address }) => quoted(address)).join("; ")} }`,
        )),
    ...links.map(edge),
    "}",
    "",
  ].join("\n");
}

function cells({ address, entity, role, rows, state }: ChartTable): string {
  const { glaze, onGlaze, card, edge } = LOOKS.light;
  const title = [state && STATES[state].sign, address, entity !== undefined && `(${entity})`]
    .filter(Boolean)
    .join(" ");
  const head = `<TR><TD PORT="h" COLSPAN="2" ALIGN="LEFT" BGCOLOR="${glaze[role]}"><FONT COLOR="${onGlaze}"><B>${escapeXml(title)}</B></FONT></TD></TR>`;
  return `<TABLE BORDER="1" COLOR="${edge}" CELLBORDER="0" CELLSPACING="0" CELLPADDING="3" BGCOLOR="${card}">${head}${rows.map(cell).join("")}</TABLE>`;
}

function cell({ name, type, mark, unique, refers, state }: ChartRow, at: number): string {
  const sign = { key: "◆", required: "●", optional: "○" }[mark];
  const left = [state && STATES[state].sign, sign, name, unique && "unique"].filter(Boolean).join(" ");
  const right = [type, ...refers.map(each => `→ ${each}`)].join(" ");
  return `<TR><TD PORT="r${at}" ALIGN="LEFT">${escapeXml(left)}</TD><TD ALIGN="RIGHT">${escapeXml(right)}</TD></TR>`;
}

function edge(link: ChartLink): string {
  const { from, to, fromEnd, toEnd, pair, columns, state } = link;
  const end = { many: "crow", one: "tee", "maybe one": "odot" };
  if (link.reads)
    return `  ${quoted(to)} -> ${quoted(from)} [arrowtail=none arrowhead=none style=dotted tooltip=${quoted(`${from} reads ${to}`)}];`;
  const words = sayLink(link, pair ?? columns.join(", "));
  const style = state === "gone" ? " style=dashed" : state === "new" ? " penwidth=2" : "";
  return `  ${quoted(to)} -> ${quoted(from)} [arrowtail=${end[toEnd]} arrowhead=${end[fromEnd]} tooltip=${quoted(words)}${style}];`;
}

const quoted = (text: string) =>
  `"${text.replaceAll("\\", "\\\\").replaceAll('"', '\\"').replaceAll("\0", "")}"`;

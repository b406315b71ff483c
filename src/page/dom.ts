import type { PageData } from "../core/chart/page-data.js";

/** What the page knows of the chart. */
export const data = JSON.parse(find("data").textContent ?? "") as PageData;
export const svg = document.querySelector<SVGSVGElement>("#stage svg")!;
const world = document.querySelector<SVGGElement>("#world")!;
export const stage = find("stage");
export const side = find("side");
export const byAddress = new Map(data.tables.map(table => [table.address, table]));
export const boxes = new Map(
  [...world.querySelectorAll<SVGGElement>(".table")].map(each => [each.dataset["table"]!, each]),
);
export const links = [...world.querySelectorAll<SVGGElement>(".link")];
/** Of the whole drawing. */
export const whole = { width: Number(svg.dataset["width"]), height: Number(svg.dataset["height"]) };

/** A phone. */
export function isNarrow(): boolean {
  return matchMedia("(max-width: 700px)").matches;
}

/** The element of the page with an id. */
export function find(id: string): HTMLElement {
  return document.getElementById(id)!;
}

/** An element; what stands in it only ever becomes text. */
export function make(
  tag: string,
  attributes: Readonly<Record<string, string>>,
  ...children: (Node | string)[]
): HTMLElement {
  const element = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) element.setAttribute(name, value);
  element.append(...children);
  return element;
}

import type { Chart, ChartLink } from "./types.js";
import { groupBy } from "../lists.js";
import { areasOf, type Area } from "./areas.js";
import { boxOf, SIZES, type Box } from "./boxes.js";
import { pack } from "./pack.js";
import { sayLink } from "./words.js";
import type { Layout, PlacedBox, Point, Wire } from "./placed.js";
import {
  isLoop,
  LOOP,
  loopOf,
  rightOf,
  round,
  straightened,
  pointOn,
  type Curve,
  crossesAny,
  isNear,
  type Place,
} from "./lines.js";
import { widthOf } from "./measure.js";

/** What a layout engine makes of a graph: https://graphviz.org/docs/outputs/json/ */
export interface LaidOut {
  readonly bb: string;
  readonly objects?: readonly { readonly name: string; readonly pos?: string }[];
  readonly edges?: readonly { readonly id?: string; readonly pos: string; readonly lp?: string }[];
}

/**
 * Works on a graph in its own language (https://graphviz.org/doc/info/lang.html).
 * "dot": in layers · "nop1": nodes stay where they are, lines are led round them
 */
export type LayoutEngine = (graph: string, how: "dot" | "nop1") => LaidOut;

/** Space around a part that nothing leads out of, and around all of them. */
const BETWEEN = 46;
export const MARGIN = 28;

/**
 * Where everything of a chart stands. Tables that hang together are split into areas, each drawn in layers with what is referred
 * to on the left; then areas are put side by side, and relations between them are led round the tables.
 */
export function layOut(chart: Chart, engine: LayoutEngine): Layout {
  const boxes = new Map(chart.tables.map(table => [table.address, boxOf(table)]));
  const links = chart.links.filter(({ from, to }) => boxes.has(from) && boxes.has(to));
  const areas = allAreas(chart, links);
  const areaOf = new Map(areas.flatMap((area, at) => area.addresses.map(address => [address, at] as const)));
  const isInside = ({ from, to }: ChartLink) => areaOf.get(from) === areaOf.get(to);
  const inside = groupBy(links.filter(isInside), ({ from }) => areaOf.get(from)!);
  const between = links.filter(link => !isInside(link));
  const parts = areas.map((area, at) =>
    called(
      area,
      links,
      framed(
        layOutArea({ addresses: area.addresses, links: inside.get(at) ?? [] }, boxes, engine),
        area.name,
      ),
    ),
  );
  const placed = beside(parts, towardsEach(areas.length, between, areaOf));
  const whole = merged(placed);
  const drawn = { ...whole, wires: [...whole.wires, ...leadBetween(between, placed, areaOf, engine)] };
  // A line may be led outside of all tables.
  const points = drawn.wires.flatMap(wire => wire.points);
  const [left, top] = [Math.min(0, ...points.map(({ x }) => x)), Math.min(0, ...points.map(({ y }) => y))];
  const right = Math.max(drawn.width, ...points.map(({ x }) => x));
  const bottom = Math.max(drawn.height, ...points.map(({ y }) => y));
  return {
    ...shifted(drawn, MARGIN - left, MARGIN - top),
    width: Math.ceil(right - left) + 2 * MARGIN,
    height: Math.ceil(bottom - top) + 2 * MARGIN,
  };
}

/** Of named groups one each; of all other tables what hangs together, in areas. */
function allAreas({ tables }: Chart, links: readonly ChartLink[]): Area[] {
  const named = groupBy(tables, ({ group }) => group);
  // One group for all says nothing.
  const groups = named.size < 2 ? [] : [...named].filter(([name]) => name !== undefined);
  const grouped = new Set(groups.flatMap(([, members]) => members));
  const free = tables.filter(table => !grouped.has(table)).map(({ address }) => address);
  return [
    ...groups.map(([name, members]): Area => ({
      name: name!,
      addresses: members.map(({ address }) => address),
    })),
    ...connected(free, links).flatMap(part => areasOf(part, links)),
  ];
}

/** Tables that relations hold together. */
function connected(addresses: readonly string[], links: readonly ChartLink[]): string[][] {
  const leader = new Map(addresses.map(address => [address, address]));
  const lead = (address: string): string => {
    const next = leader.get(address)!;
    if (next === address) return address;
    const top = lead(next);
    leader.set(address, top);
    return top;
  };
  for (const { from, to } of links) if (leader.has(from) && leader.has(to)) leader.set(lead(from), lead(to));
  return [...groupBy(addresses, lead).values()];
}

interface Part {
  readonly addresses: readonly string[];
  readonly links: readonly ChartLink[];
}

function layOutArea(area: Part, all: ReadonlyMap<string, Box>, engine: LayoutEngine): Layout {
  const parts = connected(area.addresses, area.links).map(addresses => {
    const own = new Set(addresses);
    return layOutPart({ addresses, links: area.links.filter(({ from }) => own.has(from)) }, all, engine);
  });
  return parts.length === 1 ? parts[0]! : merged(beside(parts));
}

/** One that is connected. */
function layOutPart(part: Part, all: ReadonlyMap<string, Box>, engine: LayoutEngine): Layout {
  const boxes = part.addresses.map(address => all.get(address)!);
  const lines = part.links.filter(link => !isLoop(link));
  const turned = turnedLinks(part);
  const labelled = boxes.every(({ rows }) => rows.length === 0);
  const out: LaidOut =
    lines.length === 0
      ? {
          bb: `0,0,${boxes[0]!.width},${boxes[0]!.height}`,
          objects: [{ name: "t0", pos: `${boxes[0]!.width / 2},${boxes[0]!.height / 2}` }],
        }
      : engine(graphOf(part, boxes, { turned, labelled, heads: all.size <= FEW }), "dot");
  const [, , width = 0, height = 0] = out.bb.split(",").map(Number);
  const flip = flipped(height);
  const places = new Map(out.objects?.map(({ name, pos }) => [name, pos]));
  const placed = new Map(
    boxes.map((box, at): [string, PlacedBox] => {
      const { x, y } = flip(places.get(`t${at}`) ?? "0,0");
      return [box.table.address, { ...box, x: round(x - box.width / 2), y: round(y - box.height / 2) }];
    }),
  );
  const loops = part.links.filter(isLoop);
  const wires = wiresFrom(out, part.links, flip, labelled).map(wire => ({
    ...wire,
    turned: turned.has(wire.link),
  }));
  return {
    width: Math.ceil(Math.max(width, ...loops.map(({ from }) => rightOf(placed.get(from)!) + LOOP))),
    height: Math.ceil(height),
    boxes: [...placed.values()],
    wires: [
      ...wires.map(wire => (all.size <= FEW ? straightened(wire, [...placed.values()]) : wire)),
      ...loops.map(link => loopOf(link, placed.get(link.from)!)),
    ],
    groups: [],
    areas: [],
  };
}

function wiresFrom(
  { edges = [] }: LaidOut,
  links: readonly ChartLink[],
  flip: (text: string) => Point,
  labelled: boolean,
): Wire[] {
  return edges.map(({ id = "", pos, lp }): Wire => {
    const link = links[Number(id)]!;
    const text = sayLink(link, link.pair);
    return {
      link,
      turned: false,
      points: pos.split(" ").map(flip),
      ...(labelled && lp !== undefined && text !== "" && { label: { ...flip(lp), text } }),
    };
  });
}

/** Its heights go upwards. */
const flipped =
  (height: number) =>
  (text: string): Point => {
    const [x = 0, y = 0] = text.split(",").map(Number);
    return { x: round(x), y: round(height - y) };
  };

/** An area of some tables is called what its group is, or its table that is most referred to. */
function called({ name, addresses }: Area, links: readonly ChartLink[], part: Layout): Layout {
  if (addresses.length < 4) return part;
  const counts = new Map(addresses.map(address => [address, 0]));
  for (const { to } of links) if (counts.has(to)) counts.set(to, counts.get(to)! + 1);
  const [hub] = [...counts].sort((a, b) => b[1] - a[1])[0]!;
  const { width, height } = part;
  return { ...part, areas: [{ name: name ?? hub, x: width / 2, y: height / 2, width }] };
}

/** A named area has a frame, with its name in it. */
function framed(part: Layout, name: string | undefined): Layout {
  if (name === undefined) return part;
  const width = Math.max(part.width, Math.ceil(widthOf(name, SIZES.title, "bold")) + 8) + 2 * FRAME;
  const height = part.height + FRAME + FRAME_HEAD;
  const moved = shifted(part, FRAME, FRAME_HEAD);
  return { ...moved, width, height, groups: [{ name, x: 0, y: 0, width, height }] };
}

const FRAME = 22;
const FRAME_HEAD = 48;

/** For each area, how many relations lead to each of the others. */
function towardsEach(
  count: number,
  between: readonly ChartLink[],
  areaOf: ReadonlyMap<string, number>,
): ReadonlyMap<number, number>[] {
  const towards = Array.from({ length: count }, () => new Map<number, number>());
  const add = (from: number, to: number) => towards[from]!.set(to, (towards[from]!.get(to) ?? 0) + 1);
  for (const { from, to } of between) {
    add(areaOf.get(from)!, areaOf.get(to)!);
    add(areaOf.get(to)!, areaOf.get(from)!);
  }
  return towards;
}

/** Relations between areas: the tables stand, and lines are led round them, and round other areas as a whole. */
function leadBetween(
  links: readonly ChartLink[],
  parts: readonly PlacedPart[],
  areaOf: ReadonlyMap<string, number>,
  engine: LayoutEngine,
): Wire[] {
  const { height: bottom, boxes: all } = merged(parts);
  const labelled = all.every(({ rows }) => rows.length === 0);
  const ends = ({ from, to }: ChartLink) => [areaOf.get(from)!, areaOf.get(to)!].sort((a, b) => a - b);
  return [...groupBy(links, link => ends(link).join()).values()].flatMap(own => {
    const inside = ends(own[0]!);
    const boxes = inside.flatMap(at => parts[at]!.boxes);
    const others = parts.filter((_, at) => !inside.includes(at));
    const boxOfEnd = new Map(boxes.map(box => [box.table.address, box]));
    const led = (some: readonly ChartLink[], round: readonly Place[]) =>
      wiresFrom(engine(routeGraph(some, boxOfEnd, round, bottom), "nop1"), some, flipped(bottom), false).map(
        wire => (labelled ? withLabel(wire) : wire),
      );
    // What is far away is rarely in the way, and looking round it takes long.
    const there = [...boxes, ...others];
    const near = there.filter(each =>
      own.some(({ from, to }) => isNear(each, boxOfEnd.get(from)!, boxOfEnd.get(to)!)),
    );
    return led(own, near).flatMap(wire => {
      const { from, to } = wire.link;
      const rest = there.filter(each => each !== boxOfEnd.get(from) && each !== boxOfEnd.get(to));
      return crossesAny(wire, rest) ? led([wire.link], there) : [wire];
    });
  });
}

/** What a line says, in its middle. */
function withLabel(wire: Wire): Wire {
  const text = sayLink(wire.link, wire.link.pair);
  const first = Math.floor((wire.points.length - 1) / 6) * 3;
  const middle = pointOn(wire.points.slice(first, first + 4) as unknown as Curve, 0.5);
  return text === "" ? wire : { ...wire, label: { x: round(middle.x), y: round(middle.y), text } };
}

/** Lines between tables, round all that stands there. */
function routeGraph(
  links: readonly ChartLink[],
  boxOfEnd: ReadonlyMap<string, Place>,
  round: readonly Place[],
  bottom: number,
): string {
  const places = [
    ...new Set([...links.flatMap(({ from, to }) => [boxOfEnd.get(from)!, boxOfEnd.get(to)!]), ...round]),
  ];
  const at = new Map(places.map((place, index) => [place, index]));
  const nodes = places.map(
    ({ x, y, width, height }, index) =>
      `t${index} [pos="${x + width / 2},${bottom - y - height / 2}" width=${width / 72} height=${height / 72}];`,
  );
  const nodeOf = (address: string) => `t${at.get(boxOfEnd.get(address)!)!}`;
  const edges = links.map(({ from, to }, id) => `${nodeOf(to)} -> ${nodeOf(from)} [id="${id}"];`);
  return `digraph { splines=true; notranslate=true; esep="+7"; node [shape=box fixedsize=true label=""]; edge [arrowhead=none];
${nodes.join("\n")}
${edges.join("\n")}
}`;
}

/** Relations that would close a circle stand the other way round, so that no line has to lead back. */
function turnedLinks({ links }: Part): Set<ChartLink> {
  const after = new Map<string, Set<string>>();
  const reaches = (from: string, to: string, seen = new Set<string>()): boolean => {
    if (from === to) return true;
    seen.add(from);
    return [...(after.get(from) ?? [])].some(next => !seen.has(next) && reaches(next, to, seen));
  };
  const turned = new Set<ChartLink>();
  for (const link of links) {
    if (link.from === link.to) continue;
    const closes = reaches(link.from, link.to);
    if (closes) turned.add(link);
    const [first, second] = closes ? [link.from, link.to] : [link.to, link.from];
    after.set(first, (after.get(first) ?? new Set()).add(second));
  }
  return turned;
}

interface GraphOptions {
  readonly turned: ReadonlySet<ChartLink>;
  /** Lines have words on them. */
  readonly labelled: boolean;
  /** Lines begin at the heads of tables. */
  readonly heads: boolean;
}

/** Tables are cells of fixed size, with a port for each row. */
function graphOf(
  { addresses, links }: Part,
  boxes: readonly Box[],
  { turned, labelled, heads }: GraphOptions,
): string {
  const at = new Map(addresses.map((address, index) => [address, index]));

  const nodes = boxes.map((box, index) => `t${index} [label=<${cellsOf(box)}>];`);
  const edges = links.flatMap((link, id) => {
    if (isLoop(link)) return [];
    const referring = `t${at.get(link.from)!}${portOf(boxes[at.get(link.from)!]!, link)}:${turned.has(link) ? "e" : "w"}`;
    const out = turned.has(link) ? "w" : "e";
    const referred = `t${at.get(link.to)!}${heads ? `:${HEADS[link.toEnd]}:${out}` : ""}`;
    const [tail, head] = turned.has(link) ? [referring, referred] : [referred, referring];
    const text = labelled ? sayLink(link, link.pair) : "";
    const label =
      text === ""
        ? ""
        : ` label=<<TABLE BORDER="0"><TR><TD FIXEDSIZE="TRUE" WIDTH="${Math.ceil(widthOf(text, SIZES.small)) + 8}" HEIGHT="16"></TD></TR></TABLE>>`;

    return `${tail} -> ${head} [id="${id}"${label}];`;
  });
  return `digraph { rankdir=LR; nodesep=0.36; ranksep=0.95; node [shape=plain margin=0]; edge [arrowhead=none];
${nodes.join("\n")}
${edges.join("\n")}
}`;
}

/** In a chart of more tables, lines that all leave from one place hide each other, and lead further. */
const FEW = 40;

/** Those that refer to exactly one come to the upper half of a head, all others to the lower, so that their signs stand apart. */
const HEADS = { one: "h", "maybe one": "m", many: "m" } as const satisfies Record<ChartLink["toEnd"], string>;

function cellsOf({ width, height, rows }: Box): string {
  const cell = (port: string, tall: number) =>
    `<TR><TD${port === "" ? "" : ` PORT="${port}"`} FIXEDSIZE="TRUE" WIDTH="${width}" HEIGHT="${tall}"></TD></TR>`;
  const first = rows[0];
  const top = first ? first.middle - SIZES.row / 2 : height;
  const end = height - top - rows.length * SIZES.row;
  return `<TABLE BORDER="0" CELLBORDER="0" CELLSPACING="0" CELLPADDING="0">${cell("h", SIZES.header / 2)}${cell("m", SIZES.header / 2)}${
    top > SIZES.header ? cell("", top - SIZES.header) : ""
  }${rows.map((_, at) => cell(`r${at}`, SIZES.row)).join("")}${first && end > 0 ? cell("", end) : ""}</TABLE>`;
}

/** The row that a relation stands in, or the head of the box. */
function portOf({ rows }: Box, { columns: [column] }: ChartLink): string {
  const at = rows.findIndex(({ row }) => row.name === column);
  return at < 0 ? ":m" : `:r${at}`;
}

/** A part of a chart that stands somewhere in the whole. */
interface PlacedPart extends Layout {
  readonly x: number;
  readonly y: number;
}

/** Parts side by side, those near that relations bind. */
function beside(parts: readonly Layout[], towards?: readonly ReadonlyMap<number, number>[]): PlacedPart[] {
  const pieces = parts.map(({ width, height }, at) => ({
    width,
    height,
    towards: towards?.[at] ?? new Map<number, number>(),
  }));
  const places = pack(pieces, BETWEEN);
  const [left, top] = [Math.min(...places.map(({ x }) => x)), Math.min(...places.map(({ y }) => y))];
  return parts.map((part, at) => {
    const [x, y] = [places[at]!.x - left, places[at]!.y - top];
    return { ...shifted(part, x, y), x, y };
  });
}

function merged(parts: readonly PlacedPart[]): Layout {
  return {
    width: Math.max(...parts.map(({ x, width }) => x + width)),
    height: Math.max(...parts.map(({ y, height }) => y + height)),
    boxes: parts.flatMap(({ boxes }) => boxes),
    wires: parts.flatMap(({ wires }) => wires),
    groups: parts.flatMap(({ groups }) => groups),
    areas: parts.flatMap(({ areas }) => areas),
  };
}

function shifted(part: Layout, dx: number, dy: number): Layout {
  const by = <T extends Point>(point: T): T => ({ ...point, x: round(point.x + dx), y: round(point.y + dy) });
  return {
    ...part,
    boxes: part.boxes.map(by),
    groups: part.groups.map(by),
    areas: part.areas.map(by),
    wires: part.wires.map(wire => ({
      ...wire,
      points: wire.points.map(by),
      ...(wire.label && { label: by(wire.label) }),
    })),
  };
}

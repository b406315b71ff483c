import type { ChartLink } from "./types.js";
import { SIZES } from "./boxes.js";
import type { PlacedBox, Point, Wire } from "./placed.js";

/** A line from side to side in one sweep, where no table stands in its way. */
export function straightened(wire: Wire, boxes: readonly PlacedBox[]): Wire {
  const [first, last] = [wire.points[0]!, wire.points.at(-1)!];
  const reach = Math.max(36, (last.x - first.x) / 2);
  const points: Curve = [
    first,
    { x: round(first.x + reach), y: first.y },
    { x: round(last.x - reach), y: last.y },
    last,
  ];
  const isFree = Array.from({ length: 23 }, (_, at) => pointOn(points, (at + 1) / 24)).every(
    ({ x, y }) =>
      !boxes.some(
        box =>
          x > box.x - 8 &&
          x < box.x + box.width + 8 &&
          y > box.y - 8 &&
          y < box.y + box.height + 8 &&
          x > first.x + 9 &&
          x < last.x - 9,
      ),
  );
  return isFree ? { ...wire, points } : wire;
}

/** Where something stands. */
export interface Place extends Point {
  readonly width: number;
  readonly height: number;
}

/** Pixels round two ends within which a line between them mostly stays. */
const NEAR = 240;

/** Whether something is where a line from one place to another is likely to be led. */
export function isNear(place: Place, from: Place, to: Place): boolean {
  const [left, top] = [Math.min(from.x, to.x) - NEAR, Math.min(from.y, to.y) - NEAR];
  const right = Math.max(from.x + from.width, to.x + to.width) + NEAR;
  const bottom = Math.max(from.y + from.height, to.y + to.height) + NEAR;
  return place.x < right && place.x + place.width > left && place.y < bottom && place.y + place.height > top;
}

/** Whether a line leads over one of some places. */
export function crossesAny({ points }: Wire, places: readonly Place[]): boolean {
  for (let at = 0; at + 3 < points.length; at += 3) {
    const curve = points.slice(at, at + 4) as unknown as Curve;
    for (let step = 0; step <= 12; step += 1) {
      const { x, y } = pointOn(curve, step / 12);
      if (
        places.some(each => x > each.x && x < each.x + each.width && y > each.y && y < each.y + each.height)
      )
        return true;
    }
  }
  return false;
}

export type Curve = readonly [Point, Point, Point, Point];

/** https://en.wikipedia.org/wiki/B%C3%A9zier_curve#Cubic_B%C3%A9zier_curves */
export function pointOn([a, b, c, d]: Curve, t: number): Point {
  const u = 1 - t;
  const mix = (of: "x" | "y") =>
    u ** 3 * a[of] + 3 * u * u * t * b[of] + 3 * u * t * t * c[of] + t ** 3 * d[of];
  return { x: mix("x"), y: mix("y") };
}

export const isLoop = ({ from, to }: ChartLink) => from === to;

/** A table that refers to itself: from its head round to the row. */
export function loopOf(link: ChartLink, { x, y, width, height, rows }: PlacedBox): Wire {
  const right = round(x + width);
  const start = round(y + SIZES.header * (link.toEnd === "one" ? 0.25 : 0.75));
  const row = rows.find(each => each.row.name === link.columns[0]);
  const end = row ? round(y + row.middle) : round(y + height - 8);
  const out = round(right + LOOP);
  return {
    link,
    turned: false,
    points: [
      { x: right, y: start },
      { x: out, y: start },
      { x: out, y: end },
      { x: right, y: end },
    ],
  };
}

export const LOOP = 44;

export const rightOf = ({ x, width }: PlacedBox) => x + width;

export const round = (number: number) => Math.round(number * 10) / 10;

import { groupBy } from "../lists.js";
import type { ChartLink } from "./types.js";

/** Tables that are drawn near each other. */
export interface Area {
  /** Of a group that the models or the database name. */
  readonly name?: string;
  readonly addresses: readonly string[];
}

/** No part of a chart is better read whole than in areas of fewer tables than this. */
const WHOLE = 26;

/** More than these stand apart badly. */
const LARGEST = 34;

/**
 * Splits tables that hang together into areas with few relations between them: each table goes, again and again, where most
 * of its relations lead (label propagation, Raghavan and others 2007, in a fixed order).
 */
export function areasOf(addresses: readonly string[], links: readonly ChartLink[]): Area[] {
  if (addresses.length <= WHOLE) return [{ addresses }];
  const near = new Map(addresses.map(address => [address, new Map<string, number>()]));
  const strengthen = (from: string, to: string, by: number) =>
    near.get(from)?.set(to, (near.get(from)?.get(to) ?? 0) + by);
  for (const { from, to } of links) {
    if (from === to) continue;
    strengthen(from, to, 1);
    strengthen(to, from, 1);
  }
  const area = new Map(addresses.map(address => [address, address]));
  const sizes = new Map(addresses.map(address => [address, 1]));
  // Those with few relations first: what much refers to belongs to none of them alone.
  const order = [...addresses].sort((a, b) => near.get(a)!.size - near.get(b)!.size);
  for (let round = 0; round < 12; round += 1) {
    let moved = false;
    for (const address of order) {
      const own = area.get(address)!;
      const weights = new Map<string, number>();
      // Of two that are near, the one with fewer relations counts for more.
      for (const [other, weight] of near.get(address)!) {
        const label = area.get(other)!;
        weights.set(label, (weights.get(label) ?? 0) + weight / Math.sqrt(near.get(other)!.size));
      }
      let [best, most] = [own, weights.get(own) ?? 0];
      for (const [label, weight] of weights)
        if (weight > most + 1e-9 && sizes.get(label)! < LARGEST) [best, most] = [label, weight];
      if (best === own) continue;
      sizes.set(own, sizes.get(own)! - 1);
      sizes.set(best, sizes.get(best)! + 1);
      area.set(address, best);
      moved = true;
    }
    if (!moved) break;
  }
  return joined([...groupBy(addresses, address => area.get(address)!).values()], links).map(each => ({
    addresses: each,
  }));
}

/** Areas of a few tables join the one that most of their relations lead to, as long as that does not grow too large. */
function joined(areas: string[][], links: readonly ChartLink[]): string[][] {
  const result = areas.map(each => [...each]);
  for (;;) {
    const at = new Map(result.flatMap((each, index) => each.map(address => [address, index] as const)));
    const small = result
      .map((each, index) => ({ index, size: each.length }))
      .filter(({ size }) => size < 6)
      .sort((a, b) => a.size - b.size || a.index - b.index);
    const intoBest = ({ index, size }: { readonly index: number; readonly size: number }) => {
      const counts = new Map<number, number>();
      for (const { from, to } of links) {
        const ends = [at.get(from), at.get(to)];
        const other = ends[0] === index ? ends[1] : ends[1] === index ? ends[0] : undefined;
        if (other !== undefined && other !== index && result[other]!.length + size <= LARGEST)
          counts.set(other, (counts.get(other) ?? 0) + 1);
      }
      const [best] = [...counts].sort((a, b) => b[1] - a[1] || a[0] - b[0]);
      return best && { index, into: best[0] };
    };
    // Each is looked at until one can join: to look at all of them each time takes most of the time.
    let join: ReturnType<typeof intoBest>;
    for (const each of small) if ((join = intoBest(each))) break;
    if (!join) return result;
    result[join.into]!.push(...result[join.index]!);
    result.splice(join.index, 1);
  }
}

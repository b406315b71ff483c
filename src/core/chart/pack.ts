/** Something with a size that is to be put somewhere. */
export interface Piece {
  readonly width: number;
  readonly height: number;
  /** How many lines lead to each of the others, by its place in the list. */
  readonly towards: ReadonlyMap<number, number>;
}

interface Placed {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** How much wider than tall the whole is to be. */
const SHAPE = 1.5;

/**
 * Puts pieces beside each other without overlapping: the largest first, then what is most bound to those that stand, each
 * where its lines are short and the whole stays compact.
 * @returns where the upper left corner of each is, in the order given
 */
export function pack(pieces: readonly Piece[], gap: number): { readonly x: number; readonly y: number }[] {
  const placed = new Map<number, Placed>();
  const left = new Set(pieces.keys());
  while (left.size > 0) {
    const next = mostBound(pieces, left, placed);
    left.delete(next);
    placed.set(next, {
      ...bestPlace(pieces[next]!, placed, gap),
      width: pieces[next]!.width,
      height: pieces[next]!.height,
    });
  }
  return pieces.map((_, at) => {
    const { x, y } = placed.get(at)!;
    return { x, y };
  });
}

function mostBound(
  pieces: readonly Piece[],
  left: ReadonlySet<number>,
  placed: ReadonlyMap<number, Placed>,
): number {
  let [best, most, largest] = [-1, -1, -1];
  for (const at of left) {
    const { width, height, towards } = pieces[at]!;
    const bound = [...towards].reduce((sum, [other, lines]) => sum + (placed.has(other) ? lines : 0), 0);
    const area = width * height;
    if (bound > most || (bound === most && area > largest)) [best, most, largest] = [at, bound, area];
  }
  return best;
}

function bestPlace(piece: Piece, placed: ReadonlyMap<number, Placed>, gap: number): { x: number; y: number } {
  if (placed.size === 0) return { x: 0, y: 0 };
  const all = [...placed.values()];
  const { width, height } = piece;
  const xs = new Set(
    all.flatMap(each => [
      each.x,
      each.x + each.width + gap,
      each.x - width - gap,
      each.x + each.width - width,
    ]),
  );
  const ys = new Set(
    all.flatMap(each => [
      each.y,
      each.y + each.height + gap,
      each.y - height - gap,
      each.y + each.height - height,
    ]),
  );
  const [minX, minY] = [Math.min(...all.map(({ x }) => x)), Math.min(...all.map(({ y }) => y))];
  const [maxX, maxY] = [
    Math.max(...all.map(each => each.x + each.width)),
    Math.max(...all.map(each => each.y + each.height)),
  ];
  let best = { x: maxX + gap, y: minY };
  let least = Infinity;
  for (const x of xs)
    for (const y of ys) {
      const isFree = all.every(
        each =>
          x >= each.x + each.width + gap ||
          x + width + gap <= each.x ||
          y >= each.y + each.height + gap ||
          y + height + gap <= each.y,
      );
      if (!isFree) continue;
      const wide = Math.max(maxX, x + width) - Math.min(minX, x);
      const tall = Math.max(maxY, y + height) - Math.min(minY, y);
      let cost = 6 * Math.max(wide, tall * SHAPE) + (wide + tall);
      for (const [other, lines] of piece.towards) {
        const to = placed.get(other);
        if (!to) continue;
        const [dx, dy] = [x + width / 2 - to.x - to.width / 2, y + height / 2 - to.y - to.height / 2];
        cost += Math.min(lines, 6) * Math.hypot(dx, dy) * 0.5;
      }
      if (cost < least) [best, least] = [{ x, y }, cost];
    }
  return best;
}

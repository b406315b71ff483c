// Who imports whom, read from the sources: folder by folder, file by file. Run by itself, draws docs/rooms.svg.
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join, relative, resolve } from "node:path";
import { fileURLToPath } from "node:url";

const SRC = join(import.meta.dirname, "..", "src");

/** Each source file with the files it imports, types among them; paths from src/. */
export function readImports() {
  const files = readdirSync(SRC, { recursive: true, encoding: "utf8" })
    .filter(name => name.endsWith(".ts"))
    .map(name => name.replaceAll("\\", "/"));
  return new Map(files.map(file => [file, importsOf(file).filter(other => files.includes(other))]));
}

function importsOf(file) {
  const text = readFileSync(join(SRC, file), "utf8");
  const found = text.matchAll(
    /^(?:import|export|\} from)\b[^;]*?from "(\.[^"]+)";|\bimport\("(\.[^"]+)"\)/gm,
  );
  return [...found].map(([, stated, asked]) =>
    relative(SRC, resolve(SRC, dirname(file), stated ?? asked))
      .replaceAll("\\", "/")
      .replace(/\.js$/, ".ts"),
  );
}

/** The same of folders: what lies deeper than `depth` counts as its folder at that depth. */
export function importsOfFolders(imports, folderOf = file => dirname(file)) {
  const folders = new Map();
  for (const [file, others] of imports) {
    const from = folderOf(file);
    const to = folders.get(from) ?? new Set();
    folders.set(from, to);
    for (const other of others) if (folderOf(other) !== from) to.add(folderOf(other));
  }
  return folders;
}

/** A way from something back to itself, if there is one. */
export function circleIn(imports) {
  const state = new Map();
  const path = [];
  const visit = node => {
    state.set(node, "open");
    path.push(node);
    for (const next of imports.get(node) ?? []) {
      if (state.get(next) === "open") return [...path.slice(path.indexOf(next)), next];
      const found = state.has(next) ? undefined : visit(next);
      if (found) return found;
    }
    path.pop();
    state.set(node, "done");
    return undefined;
  };
  for (const node of imports.keys()) {
    const found = state.has(node) ? undefined : visit(node);
    if (found) return found;
  }
  return undefined;
}

/** The room a file is in: a layer, or a folder of the core. */
export function roomOf(file) {
  const [layer, folder, ...rest] = file.split("/");
  if (layer !== "core") return folder === undefined ? "program" : layer;
  return rest.length === 0 ? "core" : `core/${folder}`;
}

const [WIDTH, FLOOR, BOX, TALL, GAP] = [900, 74, 150, 40, 50];

/** Rooms on floors, each below all that import it; an arrow only where no longer way leads there. @returns SVG */
export function drawRooms(imports) {
  const rooms = importsOfFolders(imports, roomOf);
  const arrows = shortestArrows(rooms);
  const floors = new Map();
  const floorOf = room => {
    if (!floors.has(room)) floors.set(room, Math.max(-1, ...[...rooms.get(room)].map(floorOf)) + 1);
    return floors.get(room);
  };
  const top = Math.max(...[...rooms.keys()].map(floorOf));
  // An arrow over several floors has a point of its own on each between, so that it passes beside the rooms there.
  const ways = arrows.map(([from, to]) => {
    const between = Array.from({ length: floorOf(from) - floorOf(to) - 1 }, (_, at) => ({
      key: `${from} ${to} ${at}`,
      floor: floorOf(from) - 1 - at,
    }));
    return [{ key: from, floor: floorOf(from) }, ...between, { key: to, floor: floorOf(to) }];
  });
  const points = positionsOf(ways, [...rooms.keys()], floors);
  const counts = new Map();
  for (const file of imports.keys()) counts.set(roomOf(file), (counts.get(roomOf(file)) ?? 0) + 1);
  const lines = ways.map(way => {
    const through = way.map(({ key }, at) => {
      const { x, y } = points.get(key);
      return `${x},${at === 0 ? y + TALL / 2 : at === way.length - 1 ? y - TALL / 2 - 5 : y}`;
    });
    return `<polyline points="${through.join(" ")}" marker-end="url(#tip)"/>`;
  });
  const boxes = [...rooms.keys()].map(room => {
    const { x, y } = points.get(room);
    return `<g transform="translate(${x - BOX / 2} ${y - TALL / 2})">
<rect width="${BOX}" height="${TALL}" rx="6" class="${room.startsWith("core") ? "core" : "layer"}"/>
<text x="${BOX / 2}" y="18">${room}</text><text x="${BOX / 2}" y="32" class="small">${counts.get(room)} files</text></g>`;
  });
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${WIDTH} ${top * FLOOR + TALL + 60}" width="${WIDTH}" role="img" aria-label="The rooms of the source, each above all that it imports">
<style>text{font:600 13px sans-serif;text-anchor:middle;fill:#2b2118}.small{font-weight:400;font-size:11px;fill:#6b5a48}rect{stroke:#8a6d4f;stroke-width:1.2}.core{fill:#f6e7d3}.layer{fill:#e3ecdf}polyline{fill:none;stroke:#8a6d4f;stroke-width:1.1;stroke-linejoin:round}</style>
<defs><marker id="tip" markerWidth="7" markerHeight="7" refX="5" refY="3" orient="auto"><path d="M0 0L6 3L0 6z" fill="#8a6d4f"/></marker></defs>
<rect width="100%" height="100%" fill="#fffdf9" style="stroke:none"/>
${lines.join("\n")}
${boxes.join("\n")}
</svg>
`;
}

/** Where rooms and the bends of arrows stand: each floor in the order of what its things are linked to. */
function positionsOf(ways, rooms, floors) {
  const top = Math.max(...floors.values());
  const linked = new Map();
  const link = (a, b) => linked.set(a, [...(linked.get(a) ?? []), b]);
  for (const way of ways)
    for (const [at, { key }] of way.slice(1).entries()) {
      link(key, way[at].key);
      link(way[at].key, key);
    }
  const bends = ways.flatMap(way => way.slice(1, -1).map(bend => ({ ...bend, wide: 10 })));
  const things = [...rooms.map(key => ({ key, floor: floors.get(key), wide: BOX })), ...bends];
  const points = new Map();
  // What is linked pulls from above only at first, then from both sides.
  for (let turn = 0; turn < 9; turn += 1)
    for (let floor = top; floor >= 0; floor -= 1) {
      const wish = ({ key }) =>
        mean((linked.get(key) ?? []).flatMap(other => (points.has(other) ? [points.get(other).x] : [])));
      const here = things.filter(each => each.floor === floor).map(each => ({ ...each, wish: wish(each) }));
      here.sort((a, b) => a.wish - b.wish || (a.key < b.key ? -1 : 1));
      let x = (WIDTH - here.reduce((sum, { wide }) => sum + wide + GAP, -GAP)) / 2;
      for (const { key, wide } of here) {
        points.set(key, { x: Math.round(x + wide / 2), y: 30 + (top - floor) * FLOOR + TALL / 2 });
        x += wide + GAP;
      }
    }
  return points;
}

/** Who imports whom, but for what follows from the rest. */
function shortestArrows(rooms) {
  const reaches = (from, to) => [...rooms.get(from)].some(next => next === to || reaches(next, to));
  return [...rooms].flatMap(([from, others]) =>
    [...others]
      .filter(to => ![...others].some(next => next !== to && reaches(next, to)))
      .map(to => [from, to]),
  );
}

function mean(numbers) {
  return numbers.length === 0 ? WIDTH / 2 : numbers.reduce((sum, each) => sum + each, 0) / numbers.length;
}

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const file = join(import.meta.dirname, "..", "docs", "rooms.svg");
  writeFileSync(file, drawRooms(readImports()));
  console.log(relative(process.cwd(), file));
}

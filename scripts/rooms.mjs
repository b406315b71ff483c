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

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const file = join(import.meta.dirname, "..", "docs", "rooms.svg");
  writeFileSync(file, draw(importsOfFolders(readImports(), roomOf)));
  console.log(relative(process.cwd(), file));
}

/** Rooms on floors, each below all that import it; an arrow only where no longer way leads there. */
function draw(rooms) {
  const floors = new Map();
  const floorOf = room => {
    if (!floors.has(room)) floors.set(room, Math.max(-1, ...[...(rooms.get(room) ?? [])].map(floorOf)) + 1);
    return floors.get(room);
  };
  const counts = new Map();
  for (const file of readImports().keys()) counts.set(roomOf(file), (counts.get(roomOf(file)) ?? 0) + 1);
  for (const room of rooms.keys()) floorOf(room);
  const height = Math.max(...floors.values()) + 1;
  const [WIDTH, FLOOR, BOX, TALL] = [900, 74, 150, 40];
  const place = new Map();
  for (let floor = 0; floor < height; floor += 1) {
    const here = [...rooms.keys()].filter(room => floors.get(room) === floor);
    for (const [at, room] of here.entries())
      place.set(room, {
        x: (WIDTH * (at + 1)) / (here.length + 1),
        y: 30 + (height - 1 - floor) * FLOOR + TALL / 2,
      });
  }
  const reaches = (from, to) => [...(rooms.get(from) ?? [])].some(next => next === to || reaches(next, to));
  const arrows = [...rooms].flatMap(([from, others]) =>
    [...others]
      .filter(to => ![...others].some(next => next !== to && reaches(next, to)))
      .map(to => {
        const [a, b] = [place.get(from), place.get(to)];
        return `<line x1="${a.x.toFixed(0)}" y1="${(a.y + TALL / 2).toFixed(0)}" x2="${b.x.toFixed(0)}" y2="${(b.y - TALL / 2 - 5).toFixed(0)}" marker-end="url(#tip)"/>`;
      }),
  );
  const boxes = [...place].map(
    ([room, { x, y }]) => `<g transform="translate(${(x - BOX / 2).toFixed(0)} ${(y - TALL / 2).toFixed(0)})">
<rect width="${BOX}" height="${TALL}" rx="6" class="${room.startsWith("core") ? "core" : "layer"}"/>
<text x="${BOX / 2}" y="18">${room}</text><text x="${BOX / 2}" y="32" class="small">${counts.get(room)} file${counts.get(room) === 1 ? "" : "s"}</text></g>`,
  );
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${WIDTH} ${height * FLOOR + 30}" width="${WIDTH}" role="img" aria-label="The rooms of the source, each above all that it imports">
<style>text{font:600 13px sans-serif;text-anchor:middle;fill:#2b2118}.small{font-weight:400;font-size:11px;fill:#6b5a48}rect{stroke:#8a6d4f;stroke-width:1.2}.core{fill:#f6e7d3}.layer{fill:#e3ecdf}line{stroke:#8a6d4f;stroke-width:1.1}</style>
<defs><marker id="tip" markerWidth="7" markerHeight="7" refX="5" refY="3" orient="auto"><path d="M0 0L6 3L0 6z" fill="#8a6d4f"/></marker></defs>
<rect width="100%" height="100%" fill="#fffdf9" style="stroke:none"/>
${arrows.join("\n")}
${boxes.join("\n")}
</svg>
`;
}

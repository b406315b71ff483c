// What seeing and trying cost: a chart of 300 tables against Graphviz, sample rows against the engine's own client, a query
// on the models against Node's own start.
import { execFileSync, spawnSync } from "node:child_process";
import { copyFileSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { madeUpSchema, sqlOf } from "./made-up-schema.mjs";

/** The ratios of all that. */
export function seeingRatios(tools) {
  return [...chartRatios(tools), fillRatio(tools), tryRatio(tools)];
}

/** `dot` is not there everywhere. */
function chartRatios({ scratch, program, node, compareCommands }) {
  if (spawnSync("dot", ["-V"]).status !== 0) return [];
  const cwd = join(scratch, "chart");
  mkdirSync(cwd);
  writeFileSync(
    join(cwd, "emberset.config.ts"),
    `export default { home: "local", targets: { local: { dialect: "sqlite", file: "a.db" } } };\n`,
  );
  spawnSync("sqlite3", ["a.db"], { cwd, input: sqlOf(madeUpSchema(300)) });
  const chart = out => [node, program, "chart", "--of", "target:local", "--out", out];
  execFileSync(chart("a.dot")[0], chart("a.dot").slice(1), { cwd });
  const time = compareCommands(
    "chart of 300 tables to .svg, whole : `dot -Tsvg` of the same as .dot",
    1,
    chart("a.svg"),
    ["dot", "-Tsvg", "a.dot", "-o", "b.svg"],
    { cwd, runs: 7 },
  );
  // The same boxes to the pixel, in layers from left to right, as Graphviz lays them out by itself.
  const boxes = [
    ...readFileSync(join(cwd, "a.svg"), "utf8").matchAll(
      /data-table="([^"]+)"[^]*?<rect class="card" width="(\d+)" height="(\d+)"/g,
    ),
  ];
  const links = [
    ...readFileSync(join(cwd, "a.svg"), "utf8").matchAll(/data-from="([^"]+)" data-to="([^"]+)"/g),
  ];
  const graph = [
    'digraph { rankdir=LR; nodesep=0.36; ranksep=0.95; node [shape=box fixedsize=true label=""]; edge [arrowhead=none];',
    ...boxes.map(([, name, width, height]) => `"${name}" [width=${width / 72} height=${height / 72}];`),
    ...links.map(([, from, to]) => `"${to}" -> "${from}";`),
    "}",
  ].join("\n");
  const bare = spawnSync("dot", ["-Tsvg"], { input: graph, encoding: "utf8", maxBuffer: 2 ** 28 }).stdout;
  const ours = linesOf(readFileSync(join(cwd, "a.svg"), "utf8"), /<path class="wire" d="M([^"]+)"/g);
  const theirs = linesOf(bare, /<g id="edge[^>]*>[^]*?<path [^>]*d="M([^"]+)"/g);
  const ratio = (name, a, b, unit) => ({
    name,
    limit: 1,
    ratio: a / b,
    a: `${Math.round(a)}${unit}`,
    b: `${Math.round(b)}${unit}`,
  });
  return [
    time,
    ratio("crossings in that chart : in `dot`'s, the same boxes", crossings(ours), crossings(theirs), ""),
    ratio("length of all lines in that chart : in `dot`'s", lengthOf(ours), lengthOf(theirs), " px"),
    ...pageRatio(cwd, chart("a.html")),
  ];
}

/** The same as a page, until it is drawn, against a second; Chromium is not everywhere, either. */
function pageRatio(cwd, [command, ...args]) {
  execFileSync(command, args, { cwd });
  const opening = spawnSync(command, [join(import.meta.dirname, "open-page.mjs"), join(cwd, "a.html"), "9"]);
  if (opening.status !== 0) return [];
  const took = Number(opening.stdout);
  return [
    {
      name: "opening the page of 300 tables in Chromium : 1 s",
      limit: 1,
      ratio: took / 1000,
      a: `${Math.round(took)} ms`,
      b: "1000 ms",
    },
  ];
}

/** Curves as points, nine for each. */
function linesOf(svg, pattern) {
  return [...svg.matchAll(pattern)].map(([, text]) => {
    const numbers = text
      .split(/[ ,C]+/)
      .filter(Boolean)
      .map(Number);
    const points = Array.from({ length: numbers.length / 2 }, (_, at) => ({
      x: numbers[2 * at],
      y: numbers[2 * at + 1],
    }));
    const result = [points[0]];
    for (let at = 0; at + 3 < points.length; at += 3)
      for (let step = 1; step <= 8; step += 1) {
        const [t, u] = [step / 8, 1 - step / 8];
        const mix = of =>
          u ** 3 * points[at][of] +
          3 * u * u * t * points[at + 1][of] +
          3 * u * t * t * points[at + 2][of] +
          t ** 3 * points[at + 3][of];
        result.push({ x: mix("x"), y: mix("y") });
      }
    return result;
  });
}

function crossings(lines) {
  const pieces = lines.flatMap((line, of) => line.slice(1).map((b, at) => ({ a: line[at], b, of })));
  const side = (a, b, c) => (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
  let count = 0;
  pieces.forEach(({ a, b, of }, at) => {
    for (const { a: c, b: d, of: other } of pieces.slice(at + 1)) {
      if (of === other || Math.max(a.x, b.x) < Math.min(c.x, d.x) || Math.max(c.x, d.x) < Math.min(a.x, b.x))
        continue;
      if (side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0) count += 1;
    }
  });
  return count;
}

function lengthOf(lines) {
  return lines.reduce(
    (sum, line) =>
      sum + line.slice(1).reduce((own, to, at) => own + Math.hypot(to.x - line[at].x, to.y - line[at].y), 0),
    0,
  );
}

const MODELS = `import { IsEmail, IsIn, IsInt, IsOptional, IsString, MaxLength, Min } from "class-validator";
import { Field, RefersTo, Stamp, Stored } from "emberset";
@Stored() export class Potter { @IsString() @MaxLength(80) name!: string; @IsOptional() @IsEmail() @MaxLength(120) email?: string; @Field({ type: "date" }) joinedOn!: Date; }
@Stored() export class Piece { @IsString() @MaxLength(120) title!: string; @IsInt() @Min(1) weight!: number; @IsIn(["greenware", "bisque", "glazed"]) stage!: string; @RefersTo(() => Potter) potter!: Potter; @Stamp("created") createdAt!: Date; }
@Stored() export class Remark { @RefersTo(() => Piece) piece!: Piece; @IsString() @Field({ type: "text" }) text!: string; }
`;

/** 100,000 made-up rows in three tables, against the same rows out of a file. */
function fillRatio({ scratch, program, node, compareCommands }) {
  const cwd = join(scratch, "fill");
  mkdirSync(join(cwd, "models"), { recursive: true });
  writeFileSync(
    join(cwd, "emberset.config.ts"),
    `export default { home: "local", targets: { local: { dialect: "sqlite", file: "a.db" } } };\n`,
  );
  writeFileSync(join(cwd, "models", "all.ts"), MODELS);
  const run = (...args) => execFileSync(node, [program, ...args], { cwd });
  run("draft", "first");
  run("forward");
  copyFileSync(join(cwd, "a.db"), join(cwd, "empty.db"));
  const fill = ["fill", "--rows", "20000", "--rows", "pieces=40000", "--rows", "remarks=40000"];
  run(...fill);
  const tables = ["potters", "pieces", "remarks"];
  for (const table of tables)
    writeFileSync(
      join(cwd, `${table}.csv`),
      execFileSync("sqlite3", ["-csv", "a.db", `SELECT * FROM ${table}`], { cwd, maxBuffer: 2 ** 28 }),
    );
  const load = [
    "PRAGMA foreign_keys = ON",
    ".mode csv",
    "BEGIN",
    ...tables.map(table => `.import ${table}.csv ${table}`),
    "COMMIT",
  ];
  const fresh = () => {
    rmSync(join(cwd, "a.db"));
    copyFileSync(join(cwd, "empty.db"), join(cwd, "a.db"));
  };
  return compareCommands(
    "`emberset fill`, 100,000 rows in three tables on SQLite : `sqlite3`, the same rows from CSV files",
    2.5,
    [node, program, ...fill],
    ["sqlite3", "a.db", ...load],
    { cwd, runs: 7, prepare: fresh },
  );
}

/** A query on the models of the demo. */
function tryRatio({ scratch, program, node, compareCommands }) {
  const cwd = join(scratch, "try");
  mkdirSync(cwd);
  const demo = join(import.meta.dirname, "..", "examples", "kiln-house");
  copyFileSync(join(demo, "emberset.config.ts"), join(cwd, "emberset.config.ts"));
  execFileSync("cp", ["-r", join(demo, "v2", "models"), cwd]);
  return compareCommands(
    "`emberset try` of a query on the demo, SQLite : `node -e 0`",
    3,
    [node, program, "try", "SELECT stage, count(*) FROM pieces GROUP BY stage"],
    [node, "-e", "0"],
    { cwd },
  );
}

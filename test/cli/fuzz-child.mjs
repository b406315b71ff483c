// Runs inputs that are harmed at random on the program's own entry, in a process of its own, and prints what must not be.
// node fuzz-child.mjs DIST PROJECT SEED ROUNDS [URL TEMPLATE]: with a URL, a database on that server is harmed instead
import {
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from "node:fs";
import { createRequire } from "node:module";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileStore, serverStore } from "./fuzz-stores.mjs";

const [dist, project, seed, rounds, url, template] = process.argv.slice(2);
const file = readdirSync(dist).find(name => /^program-.*\.cjs$/.test(name));
const { main } = createRequire(import.meta.url)(join(dist, file));

/** https://en.wikipedia.org/wiki/Xorshift */
let state = Number(seed) | 1;
function random(below) {
  state ^= state << 13;
  state ^= state >>> 17;
  state ^= state << 5;
  return Math.abs(state) % below;
}
const pick = list => list[random(list.length)];

/** What programs trip over. */
const HOSTILE = [
  "",
  " ",
  "\0",
  "\u001b[2J",
  "'",
  '"',
  "`",
  "\\",
  "--",
  "/*",
  "*/",
  ";",
  "$1",
  "${x}",
  "{x}",
  "%s",
  "\n",
  "\r\n",
  "\u2028",
  "__proto__",
  "constructor",
  "toString",
  "null",
  "NaN",
  "-1",
  "0",
  "1e999",
  "9007199254740993",
  "true",
  "[]",
  "{}",
  "🏺",
  "ünï",
  "a".repeat(5000),
  "select",
  "order",
  "../x",
  "/proc/self/mem",
  "sqlite_master",
  "emberset_ledger",
  "DROP TABLE kilns;",
  "E900",
  "\ud800",
];
const VALUES = [
  null,
  true,
  false,
  0,
  -1,
  1.5,
  1e308,
  2 ** 53,
  "",
  [],
  {},
  [null],
  { a: {} },
  [[[]]],
  ...HOSTILE,
  { kind: "drop table" },
  { kind: "add column", table: "kilns", column: {} },
  { kind: 1 },
  { length: 3 },
];

/** A text with something of it gone, doubled, or replaced. */
function harmed(text) {
  let result = text;
  for (let times = 1 + random(3); times > 0; times -= 1) {
    const words = [...result.matchAll(/[A-Za-z_]\w*|\d+|"[^"\n]*"|'[^'\n]*'|[^\s\w]/g)];
    const at = words.length > 0 ? pick(words) : { index: 0, 0: "" };
    const [from, to] = [at.index, at.index + at[0].length];
    const put = pick([
      () => "",
      () => at[0] + at[0],
      () => pick(HOSTILE),
      () => JSON.stringify(pick(HOSTILE)),
      () => (words.length > 0 ? pick(words)[0] : ""),
    ])();
    result = result.slice(0, from) + put + result.slice(to);
  }
  return result;
}

/** Data with one of its places gone or replaced. */
function harmedData(data) {
  const places = [];
  const walk = (value, path) => {
    places.push(path);
    if (typeof value === "object" && value !== null)
      for (const key of Object.keys(value)) walk(value[key], [...path, key]);
  };
  walk(data, []);
  const path = pick(places);
  if (path.length === 0) return pick(VALUES);
  const owner = path.slice(0, -1).reduce((value, key) => value[key], data);
  const key = path.at(-1);
  if (random(4) === 0) Reflect.deleteProperty(owner, key);
  else owner[key] = random(3) === 0 ? harmed(String(owner[key])) : pick(VALUES);
  return data;
}

const COMMANDS = [
  ["status"],
  ["status", "--json"],
  ["check"],
  ["compare"],
  ["compare", "--from", "target:local", "--to", "models"],
  ["forward", "--yes"],
  ["forward", "--show"],
  ["back", "--yes"],
  ["back", "--to", "0", "--yes"],
  ["describe"],
  ["describe", "--json"],
  ["attic"],
  ["rehearse", "--rows", "2"],
  ["amend", "--yes"],
  ["draft", "more"],
  ["discard"],
  ["restack"],
  ["condense", "--to", "2"],
  ["status", "--recover"],
  ["match", "--yes"],
  ["rebuild", "--yes"],
  ["export", "--as", "row-types"],
  ["export", "--as", "sql"],
  ["export", "--as", "markdown"],
  ["export", "--as", "csv"],
  ["export", "--as", "json-schema"],
  ["export", "--as", "openapi", "--from", "history"],
  ["chart", "--out", "a.svg", "--out", "a.html", "--out", "a.dot", "--out", "a.mmd"],
  ["chart", "--of", "target:local", "--out", "a.svg"],
  ["chart", "--from", "0001", "--out", "a.html"],
  ["fill", "--rows", "2"],
  ["fill", "--rows", "2", "--more"],
  ["try", "SELECT * FROM kilns", "--rows", "2"],
  ["describe", "--rows", "1"],
  ["completion", "words", "--", "forward", "--target", ""],
  ["adopt", "--drift"],
];
const WORDS = [
  "--to",
  "--target",
  "--json",
  "--yes",
  "--fill",
  "--rename",
  "--rows",
  "--from",
  "--project",
  "--count",
  "--as",
  "--out",
  "--title",
  "local",
  "models",
  "0001",
  "kilns",
];

function edit(name, change) {
  const path = join(folder, name);
  if (existsSync(path)) writeFileSync(path, change(readFileSync(path, "utf8")));
}
const store = url ? await serverStore(url, template) : fileStore(() => join(folder, "studio.db"));
/** Not every harm can be done. */
const sql = (text, ...values) => store.run(text, ...values).catch(() => undefined);
const migration = () => pick(readdirSync(join(folder, "migrations")));
const KINDS = {
  config: () => edit("emberset.config.ts", harmed),
  models: () => edit(`models/${pick(readdirSync(join(folder, "models")))}`, harmed),
  "migration.json": () =>
    edit(`migrations/${migration()}/migration.json`, text =>
      random(4) === 0 ? harmed(text) : JSON.stringify(harmedData(JSON.parse(text))),
    ),
  scripts: () => edit(`migrations/${migration()}/${pick(["forward", "back"])}.sqlite.sql`, harmed),
  outline: () => edit("outline.csv", harmed),
  ledger: () => {
    const column = pick([
      "number",
      "name",
      "forward_sum",
      "back_sum",
      "ran_at",
      "took_ms",
      "program",
      "spellings",
    ]);
    sql(`UPDATE emberset_ledger SET ${column} = ? WHERE number = ${1 + random(2)}`, pick(HOSTILE));
  },
  kept: () => sql(`UPDATE emberset_ledger_kept SET ${pick(["number", "files"])} = ?`, pick(HOSTILE)),
  journal: () =>
    sql(
      `UPDATE emberset_journal SET ${pick(["number", "name", "direction", "statements", "done", "done_sum", "doubt", "doubt_sum", "began_at", "run_by", "script"])} = ?`,
      pick(HOSTILE),
    ),
  "own tables": () =>
    sql(
      pick([
        "DROP TABLE emberset_ledger",
        "DROP TABLE emberset_ledger_kept",
        "DELETE FROM emberset_ledger WHERE number = 1",
        "ALTER TABLE emberset_ledger DROP COLUMN spellings",
        "CREATE TABLE emberset_attic_0001_kilns (a)",
      ]),
    ),
  catalog: async () => {
    for (const text of store.hostile(pick, HOSTILE)) await sql(text);
  },
  env: () => writeFileSync(join(folder, ".env"), harmed('STUDIO_URL="postgres://ada@localhost/pots"\nX=1\n')),
  folders: () => {
    const name = join(
      folder,
      pick(["migrations", "models", `migrations/${migration()}`, "studio.db", "emberset.config.ts"]),
    );
    pick([
      () => rmSync(name, { recursive: true }),
      () =>
        mkdirSync(
          join(folder, "migrations", pick(["0003-x", "x", "0001-first", "0002-other", ".draft-1-x"])),
          { recursive: true },
        ),
      () => {
        rmSync(name, { recursive: true });
        writeFileSync(name, pick(HOSTILE));
      },
      () => {
        rmSync(name, { recursive: true });
        mkdirSync(name);
      },
      () => {
        rmSync(name, { recursive: true });
        symlinkSync(name, name);
      },
    ])();
  },
  "command lines": () => undefined,
};

/** What is in a database, whatever kind it is. */
const HELD = ["ledger", "kept", ...(url?.startsWith("maria") ? ["journal"] : []), "own tables", "catalog"];

function commandsFor(kind) {
  if (kind === "outline") return [["sketch", "--outline", "outline.csv"], ["check"]];
  if (kind !== "command lines") return [["status", "--json"], pick(COMMANDS), pick(COMMANDS), pick(COMMANDS)];
  const words = Array.from({ length: random(5) }, () =>
    random(3) === 0 ? pick(HOSTILE).replaceAll("\0", "") : pick(WORDS),
  );
  const phrase = [
    "sketch",
    "Pot",
    harmed("title varchar(80) unique default 'x' check (title <> '') references Kiln on delete cascade"),
  ];
  return [[...pick(COMMANDS), ...words], random(2) === 0 ? phrase : [pick(HOSTILE), ...words]];
}

let folder = "";
const counts = {};
for (let round = 0; round < Number(rounds); round += 1) {
  folder = mkdtempSync(join(tmpdir(), "emberset-fuzz-"));
  try {
    cpSync(project, folder, { recursive: true });
    process.chdir(folder);
    await store.fresh(pick);
    const kind = pick(url ? HELD : Object.keys(KINDS).filter(name => name !== "journal"));
    await KINDS[kind]();
    for (const args of commandsFor(kind)) {
      const { status, out } = await captured(args);
      counts[kind] = (counts[kind] ?? 0) + 1;
      const isJson = args.includes("--json") && !args.includes("--help");
      const wrong = [
        ...([0, 1, 2, 3, 4].includes(status) ? [] : [`status ${status}`]),
        ...(/^\s+at .*[:(]\d+:\d+\)?$/m.test(out) ? ["a stack trace"] : []),
        ...(isJson && status !== undefined && !readsAsJson(out) ? ["no JSON document"] : []),
      ];
      if (wrong.length > 0) {
        report({ kind, round, args, wrong, out: out.slice(0, 1500) });
      }
    }
  } finally {
    process.chdir("/");
    rmSync(folder, { recursive: true, force: true });
  }
}
await store.close();
process.stdout.write(`${JSON.stringify({ counts })}\n`);
process.exit(0);

function report(found) {
  process.stdout.write(`${JSON.stringify({ found })}\n`);
}

function readsAsJson(out) {
  try {
    JSON.parse(out);
    return true;
  } catch {
    return false;
  }
}

/** What a command prints, and how it ends. With --json only what stands on stdout is looked at. */
async function captured(args) {
  const texts = [];
  const [write, error] = [process.stdout.write, process.stderr.write];
  const isJson = args.includes("--json");
  process.stdout.write = text => (texts.push(String(text)), true);
  process.stderr.write = text => (isJson || texts.push(String(text)), true);
  try {
    return { status: await main(args), out: texts.join("") };
  } catch (thrown) {
    return { status: `thrown: ${thrown?.stack ?? thrown}`, out: texts.join("") };
  } finally {
    process.stdout.write = write;
    process.stderr.write = error;
  }
}

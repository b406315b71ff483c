// The co-operative's story, told by the real program in a fresh folder: models, a comparison, a migration, a look at
// the database, rows, a change of mind, and the way back. `npm run demo` builds the program and runs this.
import { spawnSync } from "node:child_process";
import { cpSync, existsSync, mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import LibSql from "libsql";

const here = dirname(fileURLToPath(import.meta.url));
const program = join(here, "..", "..", "dist", "emberset.cjs");
const studio = mkdtempSync(join(tmpdir(), "kiln-house-"));

say(`The project is in ${studio}`);
cpSync(join(here, "emberset.config.ts"), join(studio, "emberset.config.ts"));
useModels("v1");
say("Version 1 of the models: potters, clays, pieces, kilns.");
emberset("check");
say("A query, before there is any table: on a scratch database, with made-up rows.");
emberset(
  "try",
  "SELECT stage, count(*) AS pieces, round(avg(weight)) AS grams FROM pieces GROUP BY stage",
  "--rows",
  "60",
);
emberset("compare");
emberset("draft", "first tables");
emberset("forward", "--show");
emberset("forward");
emberset("describe", "pieces");
addRows("rows-v1.sql");

useModels("v2");
say(
  "Version 2: glazes, firings and shelves arrive, and a view of where pieces stand; pieces get a price; a potter may not use a title twice.",
);
emberset("check");
emberset("compare");
emberset("draft", "glazes, firings and shelves");
emberset("forward");
addRows("rows-v2.sql");
emberset("describe", "pieces");

useModels("v3");
say(
  "Version 3: shelves are called racks, the weight is in grams and required, glazes lose their notes, a glaze on a piece " +
    "counts its layers, and pieces, glazes and firings get remarks.",
);
emberset("check");
emberset("compare");
emberset("draft", "racks and weights");
emberset("rehearse");
emberset("forward");
emberset("status");
emberset("describe", "pieces", "--rows", "3");
say("Who may do what with pieces; a server would hold them to it:");
emberset("describe", "pieces", "--access");
say(`A picture of it all, and a page to click through: ${join(studio, "schema.html")}`);
emberset("chart", "--out", "schema.png", "--out", "schema.html");
say("The notes of the glazes are gone from the tables, and kept in the attic:");
emberset("attic");
say(
  "Back to where version 2 was. The layers that were counted meanwhile would go, so nothing happens without --yes:",
);
emberset("back", { status: 3 });
emberset("back", "--yes");
emberset("status");
say("The notes are where they were, and the attic is empty again:");
emberset("describe", "glazes");
emberset("attic");

/** Runs a command as a person would type it, and shows it with its output. */
function emberset(...parts) {
  const args = parts.filter(part => typeof part === "string");
  const expected = parts.find(part => typeof part === "object")?.status ?? 0;
  const shown = args.map(arg => (/\s/.test(arg) ? JSON.stringify(arg) : arg)).join(" ");
  console.log(`\n\u001b[1m$ emberset ${shown}\u001b[0m`);
  const colour = process.stdout.isTTY ? { FORCE_COLOR: "1" } : {};
  const { status } = spawnSync(process.execPath, [program, ...args], {
    cwd: studio,
    stdio: ["ignore", "inherit", "inherit"],
    env: { ...process.env, ...colour },
  });
  if (status !== expected) throw new Error(`emberset ${shown} ended with ${status}, not ${expected}`);
}

function useModels(version) {
  for (const folder of ["models", "objects"]) {
    rmSync(join(studio, folder), { recursive: true, force: true });
    const from = join(here, version, folder);
    if (existsSync(from)) cpSync(from, join(studio, folder), { recursive: true });
  }
}

function addRows(file) {
  const database = new LibSql(join(studio, "kiln-house.db"));
  database.exec(readFileSync(join(here, file), "utf8"));
  database.close();
  say(`Rows were added: ${file}`);
}

function say(text) {
  console.log(`\n# ${text}`);
}

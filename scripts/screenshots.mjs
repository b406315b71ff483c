// Draws docs/screenshots/ from the demo: each picture is a real terminal window with a real command in it.
// Needs Debian's xvfb, xterm, imagemagick, fonts-dejavu-core and chromium.
import { execFileSync, spawn, spawnSync } from "node:child_process";
import { cpSync, existsSync, mkdirSync, mkdtempSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { setTimeout as wait } from "node:timers/promises";
import { pathToFileURL } from "node:url";
import LibSql from "libsql";
import { chromium } from "playwright-core";
import { readFileSync } from "node:fs";

const root = join(import.meta.dirname, "..");
const demo = join(root, "examples", "kiln-house");
const program = join(root, "dist", "emberset.cjs");
const pictures = join(root, "docs", "screenshots");
const studio = join(mkdtempSync(join(tmpdir(), "emberset-shots-")), "kiln-house");
const display = `:${90 + (process.pid % 9)}`;

const missing = ["Xvfb", "xterm", "import", "chromium"].filter(
  name => spawnSync("which", [name]).status !== 0,
);
if (missing.length > 0)
  throw new Error(
    `missing: ${missing.join(", ")} (apt-get install xvfb xterm imagemagick fonts-dejavu-core chromium)`,
  );

/** A model as one writes it in a hurry. */
const HASTY_MODEL = `import { IsIn, IsInt, IsNumber, IsOptional } from "class-validator";
import { Field, RefersTo, Stored } from "emberset";
import { Piece } from "./piece.js";

@Stored<Order>({ table: "order", indexes: [["piece"], ["piece", "state"]] })
export class Order {
  @RefersTo(() => Piece) piece!: Piece;
  @IsInt() potterId!: number;
  @IsNumber() price!: number;
  @IsIn(["open", "paid"]) @Field({ default: "new" }) state!: string;
  @IsOptional() @IsInt() rating!: number;
}
`;

const inTurn = (...commands) =>
  commands.map(args => `FORCE_COLOR=1 ${process.execPath} ${program} ${args} < /dev/null`).join("; echo; ");

mkdirSync(studio, { recursive: true });
mkdirSync(pictures, { recursive: true });
cpSync(join(demo, "emberset.config.ts"), join(studio, "emberset.config.ts"));
const server = spawn("Xvfb", [display, "-screen", "0", "1280x800x24"], { stdio: "ignore" });
await wait(1000);
try {
  useModels("v1");
  quiet("draft", "first tables");
  quiet("forward");
  addRows("rows-v1.sql");
  useModels("v2");
  await shoot("sketch", [
    "sketch",
    "Workshop",
    "title varchar(80) unique",
    "seats smallint check (seats between 1 and 12)",
    "fee decimal(18,2) default 25",
    "teacher references Potter on delete cascade",
  ]);
  writeFileSync(join(studio, "models", "order.ts"), HASTY_MODEL);
  await shoot("check", ["check"]);
  useModels("v2");
  await shoot("compare", ["compare"]);
  await shoot("draft", ["draft", "glazes, firings and shelves"]);
  await shoot("forward-show", ["forward", "--show"], "| head -40");
  await shoot("forward", ["forward"]);
  addRows("rows-v2.sql");
  await shoot("describe", ["describe", "pieces"]);
  await shoot("try", [
    "try",
    "SELECT p.name, count(*) AS pieces, round(avg(weight)) AS grams FROM pieces JOIN potters AS p ON p.id = potter_id WHERE price > 50 GROUP BY p.name ORDER BY 2 DESC LIMIT 8",
    "--rows",
    "200",
    "--plan",
  ]);
  useModels("v3");
  quiet("draft", "racks and weights");
  await shoot("rehearse", ["rehearse"]);
  quiet("forward");
  quiet("chart", "--out", "chart.png", "--out", "chart.html");
  execFileSync("convert", [join(studio, "chart.png"), "-resize", "1280x", join(pictures, "chart.png")]);
  await shootPage("chart-page", join(studio, "chart.html"));
  await shoot("attic", ["attic"]);
  await shoot("refusal", ["back"]);
  quiet("back", "--yes");
  await shoot("status", ["status"]);
  fork();
  await shoot("fork", ["status"]);
  await shoot("restack", ["restack"]);
  scratchPad();
  await shoot("match", ["match"]);
  manySheds();
  await shootText("many", "emberset forward --go-on; emberset status", inTurn("forward --go-on", "status"));
  adoptShop();
  await shoot("adopt", ["adopt", "--target", "shop"]);
} finally {
  server.kill();
  rmSync(join(studio, ".."), { recursive: true, force: true });
}

/** A page in a browser, with a table chosen. */
async function shootPage(name, file) {
  const browser = await chromium.launch({
    executablePath: "/usr/bin/chromium",
    args: ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--no-first-run"],
  });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(pathToFileURL(file).href);
  await page.locator('[data-table="pieces"]').click();
  await wait(400);
  await page.screenshot({ path: join(pictures, `${name}.png`) });
  await browser.close();
}

/** The pieces as somebody tries them out: what a database of the version before has, and the models no longer do. */
function scratchPad() {
  for (const name of ["migrations", "kiln-house.db"])
    rmSync(join(studio, name), { recursive: true, force: true });
  useModels("v1");
  quiet("match");
  addRows("rows-v1.sql");
  useModels("v2");
}

/** Sheds of the co-operative, each with a database; in one, somebody has made a table by hand. */
function manySheds() {
  const place = `{ dialect: "sqlite", files: ["sheds/*.db"], canary: "ashfield" }`;
  writeFileSync(
    join(studio, "emberset.config.ts"),
    `export default { home: "sheds", targets: { sheds: ${place} } };\n`,
  );
  mkdirSync(join(studio, "sheds"));
  const names =
    "ashfield bramley claypit dunmore elmhurst fernhill garth hollin inglewood juniper kilnsea larkfield";
  for (const name of names.split(" ")) {
    const database = new LibSql(join(studio, "sheds", `${name}.db`));
    database.exec(`PRAGMA user_version = 1;${name === "garth" ? "CREATE TABLE kilns (id integer);" : ""}`);
    database.close();
  }
  useModels("v1");
  quiet("draft", "first tables");
  useModels("v2");
  quiet("draft", "glazes, firings and shelves");
}

/** A project of its own for the shop's database, which was there before. */
function adoptShop() {
  for (const name of ["models", "migrations"]) rmSync(join(studio, name), { recursive: true, force: true });
  const database = new LibSql(join(studio, "shop.db"));
  database.exec(readFileSync(join(demo, "shop.sql"), "utf8"));
  database.close();
  const place = `{ dialect: "sqlite", file: "shop.db" }`;
  writeFileSync(join(studio, "emberset.config.ts"), `export default { targets: { shop: ${place} } };\n`);
}

/** Somebody else has drafted from the same migration, and run it here. */
function fork() {
  rmSync(join(studio, "migrations", "0003-racks-and-weights"), { recursive: true });
  const [mine, aside] = ["migrations/0003-glaze-recipes", "glaze-recipes"].map(name => join(studio, name));
  const add = (file, before, field) => {
    useModels("v2");
    const path = join(studio, "models", file);
    const text = readFileSync(path, "utf8");
    writeFileSync(
      path,
      text.replace(before, line => `${field}\n${line}`),
    );
  };
  add(
    "glaze.ts",
    /^.*@ReferredBy|^}/m,
    '  @IsOptional() @IsString() @MaxLength(500) recipe?: string;\n  @Field({ type: "date", index: true }) mixedOn?: Date;',
  );
  quiet("draft", "glaze recipes");
  renameSync(mine, aside);
  add("potter.ts", /^.*joinedOn/m, "  @IsOptional() @IsString() @MaxLength(20) nickname?: string;");
  quiet("draft", "nicknames");
  quiet("forward");
  renameSync(aside, mine);
}

function useModels(version) {
  for (const folder of ["models", "objects"]) {
    rmSync(join(studio, folder), { recursive: true, force: true });
    const from = join(demo, version, folder);
    if (existsSync(from)) cpSync(from, join(studio, folder), { recursive: true });
  }
}

function addRows(file) {
  const database = new LibSql(join(studio, "kiln-house.db"));
  database.exec(readFileSync(join(demo, file), "utf8"));
  database.close();
}

function quiet(...args) {
  execFileSync(process.execPath, [program, ...args], { cwd: studio, stdio: "ignore" });
}

/** One command of Emberset's in a terminal window of 1280 by 800. */
async function shoot(name, args, rest = "") {
  const typed = args.map(arg => (/\s/.test(arg) ? JSON.stringify(arg) : arg)).join(" ");
  const color = rest ? "" : "FORCE_COLOR=1";
  await shootText(
    name,
    `emberset ${typed}`,
    `${color} ${process.execPath} ${program} ${typed} < /dev/null ${rest}`,
  );
}

/** What a command of the shell prints; `typed` is what is shown as typed. */
async function shootText(name, typed, command = typed) {
  const done = join(studio, "..", `${name}.done`);
  const script = join(studio, "..", `${name}.sh`);
  writeFileSync(
    script,
    `cd ${studio}\nprintf '\\033[1m$ %s\\033[0m\\n' '${typed}'\n${command}\ntouch ${done}\nsleep 60\n`,
  );
  const terminal = spawn(
    "xterm",
    [
      "-fa",
      "DejaVu Sans Mono",
      "-fs",
      "10",
      "-bg",
      "#221f1c",
      "-fg",
      "#ece4d8",
      "-geometry",
      "158x48+0+0",
      "-b",
      "12",
      "-xrm",
      "XTerm*color2: #9fbf6a",
      "-xrm",
      "XTerm*color3: #e0b050",
      "-xrm",
      "XTerm*color1: #e0705a",
      "-xrm",
      "XTerm*color8: #8d8377",
      "-e",
      "bash",
      script,
    ],
    { env: { ...process.env, DISPLAY: display, LANG: "C.UTF-8" }, stdio: "ignore" },
  );
  for (let tries = 0; spawnSync("test", ["-e", done]).status !== 0; tries += 1) {
    if (tries > 100) throw new Error(`${name}: the command did not end`);
    await wait(100);
  }
  await wait(500);
  const picture = join(pictures, `${name}.png`);
  execFileSync("import", ["-display", display, "-window", "root", picture]);
  // Filled by what it shows: the empty rest of the window says nothing.
  execFileSync("convert", [
    picture,
    "-shave",
    "2x2",
    "-trim",
    "+repage",
    "-bordercolor",
    "#221f1c",
    "-border",
    "14",
    picture,
  ]);
  terminal.kill();
  await wait(200);
}

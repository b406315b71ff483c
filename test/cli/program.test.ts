import { spawn } from "node:child_process";
import { once } from "node:events";
import { mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { createServer } from "node:http";
import { join } from "node:path";
import { afterAll, describe, expect, inject, onTestFinished, test } from "vitest";
import { forward, Problem, status, type TaskEvent } from "../../src/tasks/index.js";
import type { Engine } from "../engines/engine.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { drafted, smallStudio } from "./studio.js";

const PAGE = readFileSync(join(import.meta.dirname, "..", "..", "docs", "program.md"), "utf8");
const EXAMPLES = new Map(
  [...PAGE.matchAll(/```js file=(\S+)\n([^]*?)```/g)].map(([, file, text]) => [file!, text!]),
);

/** Runs an example of the page in a project of the installed program. */
async function example(
  file: string,
  files: Readonly<Record<string, string>>,
  env: Readonly<Record<string, string>> = {},
): Promise<{ readonly status: number | null; readonly out: string }> {
  const folder = join(inject("installed"), `program-${file}`);
  onTestFinished(() => rmSync(folder, { recursive: true, force: true }));
  for (const [name, text] of Object.entries({ ...files, [file]: EXAMPLES.get(file)! })) {
    mkdirSync(join(folder, name, ".."), { recursive: true });
    writeFileSync(join(folder, name), text);
  }
  const child = spawn(process.execPath, [file, "--once"], { cwd: folder, env: { ...process.env, ...env } });
  let out = "";
  for (const stream of [child.stdout, child.stderr]) stream.on("data", text => (out += String(text)));
  const [code] = (await once(child, "close")) as [number | null];
  return { status: code, out };
}

/** The files of a project, with what the program wrote into it. */
function filesOf(studio: ReturnType<typeof drafted>, names: readonly string[]): Record<string, string> {
  return Object.fromEntries(names.map(name => [name, studio.read(name)]));
}

const KILN = `import { IsString } from "class-validator"; import { Stored } from "emberset"; @Stored() export class Kiln { @IsString() name!: string; }\n`;
const NAMES = ["migration.json", "forward.sqlite.sql", "back.sqlite.sql"].map(
  name => `migrations/0001-first/${name}`,
);

test("the page's application starts on the schema it knows, and on no other", async () => {
  const studio = smallStudio(KILN);
  studio.ok("draft", "first");
  const files = filesOf(studio, ["emberset.config.ts", "models/all.ts", ...NAMES]);
  const early = await example("start.mjs", files);
  expect([early.status, early.out]).toEqual([1, "local is not there yet\n"]);
  studio.ok("forward");
  const config = files["emberset.config.ts"]!.replace("kiln-house.db", studio.path("kiln-house.db"));
  const there = { ...files, "emberset.config.ts": config };
  expect(await example("start.mjs", there)).toEqual({ status: 0, out: "the studio is open\n" });
  studio.sql("ALTER TABLE kilns ADD COLUMN sly text");
  expect((await example("start.mjs", there)).out).toContain(
    "differs from its migrations: add column kilns.sly",
  );
});

test("the page's build step posts what is undrafted and what is proven, or the error", async () => {
  const posted: unknown[] = [];
  const server = createServer((request, response) => {
    let body = "";
    request.on("data", text => (body += String(text)));
    request.on("end", () => {
      posted.push(JSON.parse(body));
      response.end();
    });
  }).listen(0);
  onTestFinished(() => void server.close());
  const { port } = server.address() as { port: number };
  const env = { REPORT_URL: `http://127.0.0.1:${port}/` };
  const studio = smallStudio(KILN);
  studio.ok("draft", "first");
  const files = filesOf(studio, ["emberset.config.ts", "models/all.ts", ...NAMES]);
  expect(await example("report.mjs", files, env)).toEqual({
    status: 0,
    out: "",
  });
  const more = KILN.replace("name!", "fuel!: string; @IsString() name!");
  expect((await example("report.mjs", { ...files, "models/all.ts": more }, env)).status).toBe(1);
  expect(
    (await example("report.mjs", { ...files, "models/all.ts": "export const none = 1;" }, env)).status,
  ).toBe(2);
  expect(posted).toMatchObject([
    { undrafted: [], proven: true, exceptions: [], migrations: [{ name: "0001-first" }] },
    { undrafted: [{ words: "add column kilns.fuel", risk: "rows may refuse" }], proven: true },
    { error: { code: "E200" } },
  ]);
});

test("a task on a file tells what happens, and ends before the next statement when it is asked to", async () => {
  const { folder } = drafted();
  const events: TaskEvent[] = [];
  const abort = new AbortController();
  const asked = forward({
    project: folder,
    signal: abort.signal,
    statements: true,
    onEvent: event => {
      events.push(event);
      if (event.kind === "statement" && /create table "glazes"/i.test(event.sql)) abort.abort();
    },
  });
  await expect(asked).rejects.toMatchObject({ code: "E126" });
  const kinds = new Set(events.map(({ kind }) => kind));
  expect([...kinds].sort()).toEqual(["migration begins", "opening", "statement"]);
  const [{ migrations, drift } = {}] = (await status({ project: folder })).targets;
  expect([migrations?.map(({ state }) => state), drift]).toEqual([["run", "pending"], []]);
  const done = await forward({ project: folder, onEvent: event => void events.push(event) });
  expect(done.ran.map(({ name }) => name)).toEqual(["0002-glazes"]);
  expect(events.at(-1)).toMatchObject({ kind: "migration done", target: "local", run: done.ran[0] });
});

const engines: [string, Engine | undefined][] = [
  ["PostgreSQL", await postgresEngine()],
  ["MariaDB", await mariadbEngine()],
];

describe.each(engines)("on %s", (_, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine)("what the server is at is cancelled, and the next run does what is left", async () => {
    await engine!.empty();
    const { name } = engine!.dialect;
    const studio = smallStudio(
      KILN,
      `export default { targets: { local: { dialect: "${name}", url: "${engine!.url}" } } };\n`,
    );
    studio.ok("draft", "first");
    studio.ok("draft", "--blank", "slow");
    const script = `migrations/0002-slow/forward.${name}.sql`;
    const sleep = name === "postgres" ? "SELECT pg_sleep(60)" : "SELECT SLEEP(60)";
    const text = studio.read(script);
    studio.write(script, `${text}INSERT INTO kilns (name) VALUES ('One');\n${sleep};\n`);
    const abort = new AbortController();
    const start = performance.now();
    const asked = forward({
      project: studio.folder,
      signal: abort.signal,
      onEvent: ({ kind, ...event }) => {
        if (kind === "migration begins" && "name" in event && event.name === "0002-slow")
          setTimeout(() => abort.abort(), 500);
      },
    });
    await expect(asked).rejects.toSatisfy(error => error instanceof Problem && error.code === "E126");
    expect(performance.now() - start).toBeLessThan(30_000);
    studio.write(script, `${text}INSERT INTO kilns (name) VALUES ('One');\n${sleep.replace("60", "0")};\n`);
    studio.ok("forward");
    expect(await engine!.rows("SELECT name FROM kilns")).toEqual([{ name: "One" }]);
    expect(studio.ok("status", "--strict")).toContain("2 run · 0 pending · no drift");
  });
});

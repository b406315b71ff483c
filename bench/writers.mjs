// A client that writes 200 rows a second while a migration of a table of a million rows runs: its longest wait, in milliseconds,
// online and not. Prints a table; --write puts it into docs/performance.md.
import { spawn } from "node:child_process";
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { FIELDS, models, Place, program } from "./place.mjs";
import { at, NAMES, SERVERS } from "./servers.mjs";

const only = process.argv.find(each => each.startsWith("--only="))?.slice(7);

/** What changes, of what can be done while others write. */
const KINDS = {
  "required column with a constant default": { grade: "@IsInt() @Field({ default: 1 }) grade!: number;" },
  "optional → required, filled": { makerId: "@IsInt() @Field({ fill: 7 }) makerId!: number;" },
  check: { weight: "@IsOptional() @IsInt() @Min(0) weight?: number;" },
  unique: { title: "@IsString() @MaxLength(80) @Field({ unique: true }) title!: string;" },
  index: { weight: "@IsOptional() @IsInt() @Field({ index: true }) weight?: number;" },
  reference: {
    makerId: '@IsOptional() @RefersTo(() => Potter, { column: "maker_id" }) maker?: Potter;',
  },
  "other delete rule": {
    potter: '@RefersTo(() => Potter, { onDelete: "cascade" }) potter!: Potter;',
  },
  "int → bigint, of what is written": {
    price: '@IsInt() @Min(0) @Field({ type: "bigint", index: true }) price!: number;',
  },
  "column dropped and kept": { notes: "" },
};

/** A process of its own, so that what runs here keeps it from nothing. */
const CLIENT = `
const [dialect, url] = process.argv.slice(1);
const open = async () => {
  if (dialect === "postgres") {
    const client = new (require("pg").Client)({ connectionString: url });
    await client.connect();
    return { run: async sql => (await client.query(sql)).rows, end: () => client.end() };
  }
  const connection = await require("mysql2/promise").createConnection(url);
  return { run: async sql => (await connection.query(sql))[0], end: () => connection.end() };
};
(async () => {
  const client = await open();
  const [waits, refused] = [[], []];
  const written = new Map();
  let isOver = false;
  process.stdin.once("data", () => (isOver = true));
  process.stdout.write("ready\\n");
  for (let turn = 1; !isOver; turn += 1) {
    const start = performance.now();
    const id = 1 + ((turn * 7919) % 100000);
    try {
      await client.run("UPDATE pieces SET price = " + (turn % 90000) + " WHERE id = " + id);
      written.set(id, turn % 90000);
    } catch (error) {
      refused.push(String(error.message));
    }
    const took = performance.now() - start;
    waits.push(took);
    if (took < 5) await new Promise(resolve => setTimeout(resolve, 5 - took));
  }
  let lost = 0;
  for (const [id, price] of written) {
    const [row] = await client.run("SELECT price FROM pieces WHERE id = " + id);
    if (Number(row.price) !== price) lost += 1;
  }
  await client.end();
  process.stdout.write(JSON.stringify({ longest: Math.max(...waits), writes: waits.length, lost, refused }) + "\\n");
})();
`;

async function whileWriting(place, ...args) {
  const client = spawn(process.execPath, ["-e", CLIENT, place.dialect, at(place.url, place.name)], {
    cwd: join(import.meta.dirname, ".."),
    stdio: ["pipe", "pipe", "inherit"],
  });
  let said = "";
  client.stdout.on("data", text => (said += text));
  while (!said.includes("ready")) await sleep(20);
  const start = performance.now();
  const run = spawn(process.execPath, [program, ...args], {
    cwd: place.folder,
    stdio: ["ignore", "ignore", "pipe"],
  });
  let problem = "";
  run.stderr.on("data", text => (problem += text));
  const status = await new Promise(resolve => run.once("close", resolve));
  const took = performance.now() - start;
  client.stdin.end("stop\n");
  await new Promise(resolve => client.once("close", resolve));
  if (status !== 0) throw new Error(problem);
  return { took, ...JSON.parse(said.split("\n").at(-2)) };
}

async function measure(dialect, scratch) {
  const place = new Place(dialect, scratch);
  if (place.missing) return undefined;
  const found = {};
  try {
    place.start();
    place.client("UPDATE pieces SET maker_id = NULL WHERE id % 10 = 0;");
    for (const [kind, fields] of Object.entries(KINDS)) {
      found[kind] = {};
      for (const how of ["--online", "--no-online"]) {
        execFileSync("sh", ["-c", "rm -rf migrations/0002-*"], { cwd: place.folder });
        place.write(models({ fields: { ...FIELDS, ...fields } }));
        try {
          place.emberset("draft", "change", how, ...(kind.endsWith("kept") ? [] : ["--lose"]));
        } catch (error) {
          if (!String(error).includes("E140")) throw error;
          found[kind][how] = "refused";
          continue;
        }
        const told = await whileWriting(place, "forward", "--yes");
        found[kind][how] =
          `${told.longest.toFixed(0)} of ${told.took.toFixed(0)}${told.lost + told.refused.length > 0 ? `, ${told.lost} lost, ${told.refused.length} refused` : ""}`;
        console.error(
          `${dialect} · ${kind} ${how}: ${found[kind][how]} ms, ${told.writes} writes ${told.refused[0] ?? ""}`,
        );
        place.emberset("back", "--yes");
        if (kind.includes("filled")) place.client("UPDATE pieces SET maker_id = NULL WHERE id % 10 = 0;");
      }
    }
    return found;
  } finally {
    place.end();
  }
}

const scratch = mkdtempSync(join(tmpdir(), "emberset-writers-"));
try {
  const engines = ["postgres", "mariadb"].filter(
    each => SERVERS[each] && (only === undefined || each === only),
  );
  const all = {};
  for (const each of engines) all[each] = await measure(each, scratch);
  const table = [
    `| what changes | ${engines.map(each => `${NAMES[each]}, online | not`).join(" | ")} |`,
    `| --- |${engines.map(() => " --- | --- |").join("")}`,
    ...Object.keys(KINDS).map(
      kind =>
        `| ${kind} | ${engines.map(each => `${all[each]?.[kind]["--online"] ?? "—"} | ${all[each]?.[kind]["--no-online"] ?? "—"}`).join(" | ")} |`,
    ),
  ].join("\n");
  console.log(table);
  if (process.argv.includes("--write")) {
    const file = join(import.meta.dirname, "..", "docs", "performance.md");
    const text = readFileSync(file, "utf8");
    writeFileSync(
      file,
      text.replace(/(<!-- writers -->\n)[^]*?(<!-- end of writers -->)/, `$1\n${table}\n\n$2`),
    );
  }
} finally {
  rmSync(scratch, { recursive: true, force: true });
}

// What looking before a run costs, and what a run costs beside its scripts: probes of a million rows, the journal, a
// forward with nothing to do, and many databases.
import { execFileSync, spawnSync } from "node:child_process";
import { copyFileSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { admin, at, NAMES, SERVERS } from "./servers.mjs";

const ROWS = 1_000_000;
const RUNS = 3;

/** The ratios of all that. */
export function upkeepRatios({ scratch, program, median, node }) {
  const tools = { scratch, program, median, node };
  return [
    ...["sqlite", "postgres", "mariadb"].flatMap(dialect => probeRatios(dialect, tools) ?? []),
    ...(journalRatio(tools) ?? []),
    nothingRatio(tools),
    manyFilesRatio(tools),
    ...(manyServersRatio(tools) ?? []),
  ];
}

function result(name, limit, pairs, median) {
  if (process.env["BENCH_TELL"]) console.error(name, pairs);
  return {
    name,
    limit,
    ratio: median(pairs.map(([x, y]) => x / y)),
    a: `${median(pairs.map(([x]) => x)).toFixed(0)} ms`,
    b: `${median(pairs.map(([, y]) => y)).toFixed(0)} ms`,
  };
}

function timed(work) {
  const start = performance.now();
  work();
  return performance.now() - start;
}

/** A project, and the program to run on it. */
function project(folder, targets, { program, node }) {
  mkdirSync(join(folder, "models"), { recursive: true });
  writeFileSync(
    join(folder, "emberset.config.ts"),
    `export default { home: "local", targets: { local: { ${targets} } } };\n`,
  );
  return {
    folder,
    run: (...args) => {
      const done = spawnSync(node, [program, ...args], { cwd: folder, encoding: "utf8", maxBuffer: 2 ** 28 });
      if (done.status !== 0) throw new Error(`${args.join(" ")}: ${done.stdout}${done.stderr}`);
      return done;
    },
    model: text =>
      writeFileSync(
        join(folder, "models", "all.ts"),
        `import { IsInt, IsOptional, IsString, MaxLength, Min } from "class-validator";\nimport { Field, RefersTo, Stored } from "emberset";\n${text}\n`,
      ),
  };
}

const traced = (text, about) =>
  [...text.matchAll(/^ *([\d.]+) ms {2}(.*)$/gm)]
    .filter(([, , sql]) => about(sql))
    .reduce((sum, [, ms]) => sum + Number(ms), 0);

/** Six rules that come over a million rows: counted by `compare`, and by hand in the engine's own client. */
function probeRatios(dialect, tools) {
  const name = `emberset_bench_${process.pid}_probes`;
  const url = SERVERS[dialect];
  if (url && admin(dialect, url, `CREATE DATABASE ${name}`).status !== 0) return undefined;
  const folder = join(tools.scratch, `probes-${dialect}`);
  const place = url ? `url: "${at(url, name)}"` : `file: "a.db"`;
  const { run, model } = project(folder, `dialect: "${dialect}", ${place}`, tools);
  const client = sql => {
    const done = url
      ? admin(dialect, at(url, name), sql)
      : spawnSync("sqlite3", ["a.db"], { cwd: folder, input: sql });
    if (done.status !== 0) throw new Error(String(done.stderr));
  };
  const piece = (title, weight, price, potter) =>
    `@Stored() export class Potter { @IsString() @MaxLength(80) name!: string; }
@Stored() export class Piece { @IsString() ${title} title!: string; ${weight} weight${weight.includes("Optional") ? "?" : "!"}: number; ${price} price!: number; ${potter} }`;
  try {
    model(piece("@MaxLength(80)", "@IsOptional() @IsInt()", "@IsInt()", "@IsInt() potterId!: number;"));
    run("draft", "loose");
    run("forward");
    const numbers = {
      sqlite: `(WITH RECURSIVE c(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM c WHERE n < ${ROWS}) SELECT n FROM c) AS s`,
      postgres: `generate_series(1, ${ROWS}) AS s(n)`,
      mariadb: `(SELECT seq AS n FROM seq_1_to_${ROWS}) AS s`,
    }[dialect];
    const title = dialect === "mariadb" ? "concat('Piece ', n)" : "'Piece ' || n";
    client(
      `INSERT INTO potters (name) VALUES ('Ada');\nINSERT INTO pieces (title, weight, price, potter_id) SELECT ${title}, n % 5000, 1 + n % 300, 1 FROM ${numbers};\n${dialect === "postgres" ? "VACUUM ANALYZE;" : ""}`,
    );
    model(
      piece(
        "@MaxLength(40) @Field({ unique: true })",
        "@IsInt()",
        "@IsInt() @Min(1)",
        "@RefersTo(() => Potter) potter!: Potter;",
      ),
    );
    const byHand = [
      "SELECT count(*) FROM pieces WHERE weight IS NULL",
      "SELECT count(*) FROM pieces WHERE char_length(title) > 40".replace(
        "char_length",
        dialect === "sqlite" ? "length" : "char_length",
      ),
      "SELECT count(*) FROM pieces WHERE NOT (price >= 1)",
      "SELECT coalesce(sum(n), 0) FROM (SELECT count(*) AS n FROM pieces GROUP BY title HAVING count(*) > 1) AS d",
      "SELECT count(*) FROM pieces AS p WHERE NOT EXISTS (SELECT 1 FROM potters AS o WHERE o.id = p.potter_id)",
    ];
    const pair = () => {
      const { stderr } = run("compare", "--json", "--trace");
      const ours = traced(
        stderr,
        sql =>
          /^(?:SELECT|WITH)\b/.test(sql) &&
          /pieces/.test(sql) &&
          // How fast the server reads is measured for what the change costs, not for what is in its way.
          !/emberset_ledger|information_schema|pg_class|sqlite_schema|sum\(.*LIMIT \d+\) AS t$/.test(sql),
      );
      const start = timed(() => client("SELECT 1;"));
      return [ours, timed(() => client(`${byHand.join(";\n")};`)) - start];
    };
    pair();
    const clean = Array.from({ length: RUNS }, pair);
    client(
      "UPDATE pieces SET weight = NULL WHERE id % 250000 = 7; UPDATE pieces SET price = 0 WHERE id % 250000 = 8; UPDATE pieces SET title = 'Piece 1' WHERE id % 250000 = 9; UPDATE pieces SET potter_id = 77 WHERE id % 250000 = 10;",
    );
    const dirty = Array.from({ length: RUNS }, pair);
    const what = `counting rows in the way of five rules, 1,000,000 rows`;
    return [
      result(`${what} : by hand, on ${NAMES[dialect]}`, 1.1, clean, tools.median),
      result(`${what}, with examples : by hand without, on ${NAMES[dialect]}`, 1.3, dirty, tools.median),
    ];
  } finally {
    if (url) admin(dialect, url, `DROP DATABASE ${name}`);
  }
}

/** A hundred migrations of a column each on MariaDB: the journal's own statements, of all that the run takes. */
function journalRatio({ scratch, ...tools }) {
  const name = `emberset_bench_${process.pid}_journal`;
  const url = SERVERS["mariadb"];
  if (admin("mariadb", url, `CREATE DATABASE ${name}`).status !== 0) return undefined;
  const { run, model } = project(
    join(scratch, "journal"),
    `dialect: "mariadb", url: "${at(url, name)}"`,
    tools,
  );
  try {
    for (let number = 0; number <= 100; number += 1) {
      const columns = Array.from(
        { length: number },
        (_, each) => `@IsOptional() @IsInt() c${each}?: number;`,
      );
      model(`@Stored() export class Kiln { @IsString() @MaxLength(40) name!: string; ${columns.join(" ")} }`);
      run("draft", `m ${number}`);
    }
    const pairs = Array.from({ length: 3 }, () => {
      admin("mariadb", url, `DROP DATABASE ${name}; CREATE DATABASE ${name}`);
      let text = "";
      const whole = timed(() => (text = run("forward", "--trace").stderr));
      const own = traced(text, sql => /emberset_journal|^SHOW CREATE TABLE/.test(sql));
      return [whole, whole - own];
    });
    return [
      result(
        "100 migrations on MariaDB : the same without the journal's own statements",
        1.05,
        pairs,
        tools.median,
      ),
    ];
  } finally {
    admin("mariadb", url, `DROP DATABASE ${name}`);
  }
}

/** A forward with nothing to do, against `status`. */
function nothingRatio({ scratch, ...tools }) {
  const { run, model } = project(join(scratch, "nothing"), `dialect: "sqlite", file: "a.db"`, tools);
  model("@Stored() export class Kiln { @IsString() @MaxLength(40) name!: string; }");
  run("draft", "first");
  run("forward");
  run("status");
  const pairs = Array.from({ length: 15 }, () => [timed(() => run("forward")), timed(() => run("status"))]);
  return result("`emberset forward` with nothing to do : `emberset status`", 1.3, pairs, tools.median);
}

/** Two migrations that make and change the tables of the demo. */
function demo(folder, tools, targets) {
  const { run } = project(folder, targets, tools);
  const kilnHouse = join(import.meta.dirname, "..", "examples", "kiln-house");
  for (const version of ["v1", "v2"]) {
    rmSync(join(folder, "models"), { recursive: true });
    execFileSync("cp", ["-r", join(kilnHouse, version, "models"), folder]);
    run("draft", version);
  }
  return run;
}

function scriptOf(folder, dialect) {
  const migrations = join(folder, "migrations");
  const scripts = readdirSync(migrations).map(name =>
    readFileSync(join(migrations, name, `forward.${dialect}.sql`), "utf8"),
  );
  return scripts.map(text => `BEGIN;\n${text}\nCOMMIT;\n`).join("");
}

/** 500 files: the same scripts by the engine's client, one file after the other. */
function manyFilesRatio({ scratch, ...tools }) {
  const folder = join(scratch, "many");
  mkdirSync(folder);
  const run = demo(folder, tools, `dialect: "sqlite", files: ["tenants/*.db"]`);
  writeFileSync(join(folder, "all.sql"), scriptOf(folder, "sqlite"));
  execFileSync("sqlite3", ["empty.db", "PRAGMA user_version = 1; VACUUM"], { cwd: folder });
  const fresh = () => {
    rmSync(join(folder, "tenants"), { recursive: true, force: true });
    mkdirSync(join(folder, "tenants"));
    for (let number = 0; number < 500; number += 1)
      copyFileSync(join(folder, "empty.db"), join(folder, "tenants", `t${number}.db`));
  };
  const pairs = Array.from({ length: 3 }, () => {
    fresh();
    const ours = timed(() => run("forward"));
    fresh();
    const loop = "for f in tenants/*.db; do sqlite3 $f < all.sql; done";
    return [ours, timed(() => execFileSync("sh", ["-c", loop], { cwd: folder }))];
  });
  return result(
    "2 migrations on 500 SQLite files : `sqlite3` in a loop, the same scripts",
    1.3,
    pairs,
    tools.median,
  );
}

/** 50 databases, four at once. */
function manyServersRatio({ scratch, ...tools }) {
  const url = SERVERS["postgres"];
  const names = Array.from({ length: 50 }, (_, number) => `emberset_bench_${process.pid}_${number}`);
  if (admin("postgres", url, `CREATE DATABASE ${names[0]}`).status !== 0) return undefined;
  const folder = join(scratch, "many-servers");
  mkdirSync(folder);
  const drop = () => names.forEach(name => admin("postgres", url, `DROP DATABASE IF EXISTS ${name}`));
  const fresh = () => {
    drop();
    for (const name of names) admin("postgres", url, `CREATE DATABASE ${name}`);
  };
  try {
    const urls = JSON.stringify(names.map(name => at(url, name)));
    const run = demo(folder, tools, `dialect: "postgres", parallel: 4, urls: ${urls}`);
    writeFileSync(join(folder, "all.sql"), scriptOf(folder, "postgres"));
    writeFileSync(join(folder, "urls"), `${names.map(name => at(url, name)).join("\n")}\n`);
    const pairs = Array.from({ length: 3 }, () => {
      fresh();
      const ours = timed(() => run("forward"));
      fresh();
      const loop = "xargs -P 4 -I{} psql -qX -d {} -f all.sql < urls";
      return [ours, timed(() => execFileSync("sh", ["-c", loop], { cwd: folder, stdio: "ignore" }))];
    });
    return [
      result(
        "2 migrations on 50 PostgreSQL databases, 4 at once : `psql`, 4 at once",
        1.3,
        pairs,
        tools.median,
      ),
    ];
  } finally {
    drop();
  }
}

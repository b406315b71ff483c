// What migrations of a table of a million rows take: a rebuild on SQLite, and keeping what is dropped on each engine.
import { copyFileSync, mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { execFileSync, spawnSync } from "node:child_process";
import { admin, at, NAMES, SERVERS } from "./servers.mjs";

const ROWS = 1_000_000;
const RUNS = 3;

/** The ratios of running such migrations to the same done with the engine's own client. */
export function rowRatios({ scratch, program, compareCommands, median }) {
  const tools = { scratch, program, compareCommands, median };
  return ["sqlite", "postgres", "mariadb"].flatMap(dialect => measure(dialect, tools) ?? []);
}

function models(kind) {
  const notes = kind === "before" ? "@IsOptional() @IsString() notes?: string;" : "";
  const weight = kind === "loose" ? "@IsOptional() @IsInt() weight?: number;" : "@IsInt() weight!: number;";
  const firing = kind === "no firings" ? "" : "@Stored() export class Firing { @IsInt() cone!: number; }";
  return `import { IsInt, IsOptional, IsString, MaxLength } from "class-validator";
import { Field, RefersTo, Stored } from "emberset";
@Stored() export class Potter { @IsString() @MaxLength(80) name!: string; }
${firing}
@Stored() export class Piece {
  @IsString() @MaxLength(80) title!: string;
  ${weight}
  @IsInt() @Field({ index: true }) price!: number;
  @IsString() @MaxLength(40) stage!: string;
  ${kind === "loose" || kind === "no firings" ? "@IsOptional() @IsString() notes?: string;" : notes}
  @RefersTo(() => Potter) potter!: Potter;
}
`;
}

/** Rows for the tables, as each engine makes numbers from 1. */
function rowsText(dialect) {
  const numbers = count =>
    ({
      sqlite: `(WITH RECURSIVE c(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM c WHERE n < ${count}) SELECT n FROM c) AS s`,
      postgres: `generate_series(1, ${count}) AS s(n)`,
      mariadb: `(SELECT seq AS n FROM seq_1_to_${count}) AS s`,
    })[dialect];
  const text = (words, n) => (dialect === "mariadb" ? `concat('${words} ', ${n})` : `'${words} ' || ${n}`);
  return `INSERT INTO potters (name) SELECT ${text("Potter", "n")} FROM ${numbers(1000)};
INSERT INTO pieces (title, weight, price, stage, notes, potter_id)
  SELECT ${text("Piece number", "n")}, n % 5000, n % 300, 'greenware', ${text("notes on glaze", "n")}, 1 + n % 1000 FROM ${numbers(ROWS)};
INSERT INTO firings (cone) SELECT n % 12 FROM ${numbers(ROWS)};
`;
}

function measure(dialect, { scratch, program, compareCommands, median }) {
  const folder = join(scratch, `rows-${dialect}`);
  mkdirSync(join(folder, "models"), { recursive: true });
  const name = `emberset_bench_${process.pid}_rows`;
  const url = SERVERS[dialect];
  const place = url === undefined ? `file: "a.db"` : `url: "${at(url, name)}"`;
  if (url && admin(dialect, url, `CREATE DATABASE ${name}`).status !== 0) return undefined;
  writeFileSync(
    join(folder, "emberset.config.ts"),
    `export default { targets: { local: { dialect: "${dialect}", ${place} } } };\n`,
  );
  const emberset = (...args) =>
    execFileSync(process.execPath, [program, ...args], { cwd: folder, encoding: "utf8" });
  const client = sql => {
    const { status, stderr } = url
      ? admin(dialect, at(url, name), sql)
      : spawnSync("sqlite3", ["a.db"], { cwd: folder, input: sql });
    if (status !== 0) throw new Error(String(stderr));
  };
  const draft = kind => {
    writeFileSync(join(folder, "models", "all.ts"), models(kind));
    emberset("draft", kind);
  };
  /** The milliseconds that statements about the attic took, of those that `forward` ran. */
  const keeping = () => {
    const { stderr } = spawnSync(process.execPath, [program, "forward", "--trace"], {
      cwd: folder,
      encoding: "utf8",
    });
    const times = [...stderr.matchAll(/^ *([\d.]+) ms +(.*emberset_attic.*)$/gm)];
    return times.filter(([, , sql]) => !/^SELECT/.test(sql)).reduce((sum, [, ms]) => sum + Number(ms), 0);
  };
  const timed = work => {
    const start = performance.now();
    work();
    return performance.now() - start;
  };
  const result = (what, limit, pairs) => ({
    name: `${what}, on ${NAMES[dialect]}`,
    limit,
    ratio: median(pairs.map(([x, y]) => x / y)),
    a: `${median(pairs.map(([x]) => x)).toFixed(0)} ms`,
    b: `${median(pairs.map(([, y]) => y)).toFixed(0)} ms`,
  });
  try {
    draft("before");
    emberset("forward");
    client(dialect === "sqlite" ? `BEGIN;\n${rowsText(dialect)}COMMIT;\n` : rowsText(dialect));
    if (dialect === "postgres") client("VACUUM ANALYZE;");
    const rebuild = dialect === "sqlite" ? [rebuildRatio(folder, draft, { program, compareCommands })] : [];
    if (dialect === "sqlite") resetDrafts(folder);
    draft("after");
    const kept = Array.from({ length: RUNS }, () => {
      const ours = keeping();
      emberset("back", "--yes");
      const plain = timed(() => client("CREATE TABLE plain AS SELECT id, notes FROM pieces;"));
      client("DROP TABLE plain;");
      return [ours, plain];
    });
    resetDrafts(folder);
    draft("no firings");
    const whole = Array.from({ length: RUNS }, () => {
      const ours = timed(() => emberset("forward"));
      emberset("back", "--yes");
      return [ours, timed(() => emberset("status"))];
    });
    return [
      ...rebuild,
      result("keeping a dropped column of 1,000,000 rows : `create table … as select` of it", 1.2, kept),
      result(
        "`emberset forward` that drops and keeps a table of 1,000,000 rows : `emberset status`",
        2,
        whole,
      ),
    ];
  } finally {
    if (url) admin(dialect, url, `DROP DATABASE ${name}`);
  }
}

/** Away with the migrations behind the first. */
function resetDrafts(folder) {
  execFileSync("sh", ["-c", "rm -rf migrations/0002-*"], { cwd: folder });
}

function rebuildRatio(folder, draft, { program, compareCommands }) {
  draft("loose");
  copyFileSync(join(folder, "a.db"), join(folder, "base.db"));
  writeFileSync(
    join(folder, "all.sql"),
    execFileSync(
      "sh",
      ["-c", "echo 'BEGIN IMMEDIATE;'; cat migrations/0002-*/forward.sqlite.sql; echo 'COMMIT;'"],
      { cwd: folder },
    ),
  );
  const prepare = which =>
    copyFileSync(join(folder, "base.db"), join(folder, which === "a" ? "a.db" : "b.db"));
  const ratio = compareCommands(
    "`emberset forward`, rebuilding 1,000,000 rows on SQLite : `sqlite3`, same SQL",
    1.1,
    [process.execPath, program, "forward"],
    ["sqlite3", "b.db", ".read all.sql"],
    { cwd: folder, prepare, runs: 7 },
  );
  prepare("a");
  return ratio;
}

// A database with tables of many rows, the models it comes from, and copies of it to begin from.
import { execFileSync, spawnSync } from "node:child_process";
import { copyFileSync, mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { admin, at, SERVERS } from "./servers.mjs";

export const ROWS = Number(process.env["BENCH_ROWS"] ?? 1_000_000);
export const program = join(import.meta.dirname, "..", "dist", "emberset.cjs");
export const median = numbers => numbers.toSorted((x, y) => x - y)[Math.floor(numbers.length / 2)];

export const FIELDS = {
  title: "@IsString() @MaxLength(80) title!: string;",
  weight: "@IsOptional() @IsInt() weight?: number;",
  price: "@IsInt() @Min(0) @Field({ index: true }) price!: number;",
  stage: '@IsIn(["raw", "glazed", "lost"]) @Field({ default: "raw" }) stage!: string;',
  notes: "@IsOptional() @IsString() notes?: string;",
  makerId: "@IsOptional() @IsInt() makerId?: number;",
  potter: "@RefersTo(() => Potter) potter!: Potter;",
};
export const STORED = '@Stored<Piece>({ checks: { sane: "{price} < 100000" } })';

/** The models with some fields otherwise. */
export function models({ fields = {}, stored = STORED, firing = true }) {
  const all = Object.entries({ ...FIELDS, ...fields }).flatMap(([, text]) => (text ? [`  ${text}`] : []));
  return `import { IsIn, IsInt, IsOptional, IsString, Max, MaxLength, Min } from "class-validator";
import { Field, RefersTo, sql, Stamp, Stored } from "emberset";
@Stored() export class Potter { @IsString() @MaxLength(80) name!: string; }
${firing ? "@Stored() export class Firing { @IsInt() cone!: number; }" : ""}
${stored} export class Piece {
${all.join("\n")}
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
INSERT INTO pieces (title, weight, price, stage, notes, maker_id, potter_id)
  SELECT ${text("Piece number", "n")}, n % 5000, n % 300, CASE WHEN n % 2 = 0 THEN 'raw' ELSE 'glazed' END, ${text("notes on glaze", "n")}, 1 + n % 999, 1 + n % 1000 FROM ${numbers(ROWS)};
INSERT INTO firings (cone) SELECT n % 12 FROM ${numbers(ROWS)};
`;
}

/** A database of one engine with the tables, of which copies are made. */
export class Place {
  constructor(dialect, scratch) {
    this.dialect = dialect;
    this.folder = join(scratch, dialect);
    this.name = `emberset_bench_${process.pid}`;
    this.url = SERVERS[dialect];
    mkdirSync(join(this.folder, "models"), { recursive: true });
    const place = this.url === undefined ? `file: "a.db"` : `url: "${at(this.url, this.name)}"`;
    writeFileSync(
      join(this.folder, "emberset.config.ts"),
      `export default { targets: { local: { dialect: "${dialect}", ${place} } } };\n`,
    );
    if (this.url && admin(dialect, this.url, `CREATE DATABASE ${this.name}`).status !== 0)
      this.missing = true;
  }

  emberset(...args) {
    const { status, stdout, stderr } = spawnSync(process.execPath, [program, ...args], {
      cwd: this.folder,
      encoding: "utf8",
    });
    if (status !== 0) throw new Error(`${this.dialect}: emberset ${args.join(" ")}: ${stdout}${stderr}`);
    return stdout;
  }

  client(sql) {
    const { status, stderr } = this.url
      ? admin(this.dialect, at(this.url, this.name), sql)
      : spawnSync("sqlite3", ["a.db"], { cwd: this.folder, input: sql });
    if (status !== 0) throw new Error(`${sql}: ${stderr}`);
  }

  /** The tables with their rows, and a copy to begin from. */
  start() {
    this.write(models({}));
    this.emberset("draft", "start");
    this.emberset("forward");
    this.client(
      this.dialect === "sqlite" ? `BEGIN;\n${rowsText("sqlite")}COMMIT;\n` : rowsText(this.dialect),
    );
    if (this.dialect === "postgres") this.client("VACUUM ANALYZE;");
    if (this.dialect === "sqlite") copyFileSync(join(this.folder, "a.db"), join(this.folder, "base.db"));
    if (this.dialect === "postgres")
      admin("postgres", this.url, `CREATE DATABASE ${this.name}_base TEMPLATE ${this.name}`);
    if (this.dialect === "mariadb") this.copy(this.name, `${this.name}_base`);
  }

  copy(from, to) {
    const dump = join(this.folder, "dump.sql");
    if (from === this.name) {
      const { hostname, port } = new URL(this.url);
      execFileSync("sh", ["-c", `mariadb-dump -h ${hostname} -P ${port || 3306} -u root ${from} > ${dump}`]);
      return;
    }
    admin("mariadb", this.url, `DROP DATABASE ${to}; CREATE DATABASE ${to};`);
    const { hostname, port } = new URL(this.url);
    execFileSync("sh", ["-c", `mariadb -h ${hostname} -P ${port || 3306} -u root ${to} < ${dump}`]);
  }

  /** All as it was. @param undo whether what was done last can be undone by the program */
  again(undo) {
    if (this.dialect === "sqlite") copyFileSync(join(this.folder, "base.db"), join(this.folder, "a.db"));
    if (this.dialect === "postgres")
      admin(
        "postgres",
        this.url,
        `DROP DATABASE ${this.name}; CREATE DATABASE ${this.name} TEMPLATE ${this.name}_base`,
      );
    if (this.dialect === "mariadb") {
      if (undo) this.emberset("back", "--yes");
      else this.copy(`${this.name}_base`, this.name);
    }
  }

  write(text) {
    writeFileSync(join(this.folder, "models", "all.ts"), text);
  }

  end() {
    for (const name of [this.name, `${this.name}_base`])
      if (this.url) admin(this.dialect, this.url, `DROP DATABASE IF EXISTS ${name}`);
  }
}

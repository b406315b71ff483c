// Kinds of change on tables of a million rows: `emberset forward` against the least statement that an expert writes by hand in
// the engine's own client. Of both the start of the program is taken off. Prints a table; --write puts it into docs/performance.md.
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { FIELDS, median, models, Place, STORED } from "./place.mjs";
import { NAMES } from "./servers.mjs";

const RUNS = Number(process.env["BENCH_RUNS"] ?? 3);
const only = process.argv.find(each => each.startsWith("--only="))?.slice(7);
const timed = work => {
  const start = performance.now();
  work();
  return performance.now() - start;
};

const alter = text => dialect =>
  `ALTER TABLE pieces ${text.replaceAll('"', dialect === "mariadb" ? "`" : '"')};`;
const each = (postgres, mariadb, sqlite) => ({ postgres, mariadb, sqlite });
const REBUILD = "rebuild";
const POTTER = "FOREIGN KEY (potter_id) REFERENCES potters (id)";

/** What changes, and what an expert writes; `rebuild`: the table anew, as SQLite's manual says. */
const KINDS = {
  "nullable column": [
    { fields: { glaze: "@IsOptional() @IsString() @MaxLength(40) glaze?: string;" } },
    each(
      "ALTER TABLE pieces ADD COLUMN glaze varchar(40);",
      "ALTER TABLE pieces ADD COLUMN glaze varchar(40);",
      "ALTER TABLE pieces ADD COLUMN glaze varchar(40) CHECK (length(glaze) <= 40);",
    ),
  ],
  "required column with a constant default": [
    { fields: { grade: "@IsInt() @Field({ default: 1 }) grade!: number;" } },
    alter("ADD COLUMN grade int NOT NULL DEFAULT 1"),
  ],
  "wider varchar": [
    { fields: { title: FIELDS.title.replace("80", "120") } },
    each(
      "ALTER TABLE pieces ALTER COLUMN title TYPE varchar(120);",
      "ALTER TABLE pieces MODIFY title varchar(120) NOT NULL;",
      REBUILD,
    ),
  ],
  "narrower varchar": [
    { fields: { title: FIELDS.title.replace("80", "60") } },
    each(
      "ALTER TABLE pieces ALTER COLUMN title TYPE varchar(60);",
      "ALTER TABLE pieces MODIFY title varchar(60) NOT NULL;",
      REBUILD,
    ),
  ],
  "int → bigint": [
    { fields: { weight: '@IsOptional() @IsInt() @Field({ type: "bigint" }) weight?: number;' } },
    each(
      "ALTER TABLE pieces ALTER COLUMN weight TYPE bigint;",
      "ALTER TABLE pieces MODIFY weight bigint;",
      REBUILD,
    ),
  ],
  "optional → required": [
    { fields: { weight: "@IsInt() weight!: number;" } },
    each(
      "ALTER TABLE pieces ALTER COLUMN weight SET NOT NULL;",
      "ALTER TABLE pieces MODIFY weight int NOT NULL;",
      REBUILD,
    ),
  ],
  "required → optional": [
    { fields: { price: "@IsOptional() @IsInt() @Min(0) @Field({ index: true }) price?: number;" } },
    each(
      "ALTER TABLE pieces ALTER COLUMN price DROP NOT NULL;",
      "ALTER TABLE pieces MODIFY price int;",
      REBUILD,
    ),
  ],
  default: [
    { fields: { price: "@IsInt() @Min(0) @Field({ index: true, default: 5 }) price!: number;" } },
    each(
      "ALTER TABLE pieces ALTER COLUMN price SET DEFAULT 5;",
      "ALTER TABLE pieces ALTER COLUMN price SET DEFAULT 5;",
      REBUILD,
    ),
  ],
  "check added": [
    { fields: { weight: "@IsOptional() @IsInt() @Min(0) weight?: number;" } },
    each(
      "ALTER TABLE pieces ADD CONSTRAINT c CHECK (weight >= 0);",
      "ALTER TABLE pieces ADD CONSTRAINT c CHECK (weight >= 0);",
      REBUILD,
    ),
  ],
  "check dropped": [
    { stored: "@Stored<Piece>()" },
    each(
      "ALTER TABLE pieces DROP CONSTRAINT ck_pieces_sane;",
      "ALTER TABLE pieces DROP CONSTRAINT ck_pieces_sane;",
      REBUILD,
    ),
  ],
  unique: [
    { fields: { title: "@IsString() @MaxLength(80) @Field({ unique: true }) title!: string;" } },
    each(
      "ALTER TABLE pieces ADD CONSTRAINT u UNIQUE (title);",
      "ALTER TABLE pieces ADD CONSTRAINT u UNIQUE (title);",
      "CREATE UNIQUE INDEX u ON pieces (title);",
    ),
  ],
  index: [
    { fields: { weight: "@IsOptional() @IsInt() @Field({ index: true }) weight?: number;" } },
    () => "CREATE INDEX w ON pieces (weight);",
  ],
  "reference added": [
    { fields: { makerId: '@IsOptional() @RefersTo(() => Potter, { column: "maker_id" }) maker?: Potter;' } },
    each(
      "CREATE INDEX m ON pieces (maker_id); ALTER TABLE pieces ADD CONSTRAINT f FOREIGN KEY (maker_id) REFERENCES potters (id);",
      "ALTER TABLE pieces ADD INDEX m (maker_id), ADD CONSTRAINT f FOREIGN KEY (maker_id) REFERENCES potters (id);",
      REBUILD,
    ),
  ],
  "reference dropped": [
    { fields: { potter: '@IsInt() @Field({ column: "potter_id" }) potterId!: number;' } },
    each(
      "ALTER TABLE pieces DROP CONSTRAINT fk_pieces_potter_id; DROP INDEX ix_pieces_potter_id;",
      "ALTER TABLE pieces DROP FOREIGN KEY fk_pieces_potter_id, DROP INDEX ix_pieces_potter_id;",
      REBUILD,
    ),
  ],
  "other delete rule": [
    { fields: { potter: '@RefersTo(() => Potter, { onDelete: "cascade" }) potter!: Potter;' } },
    each(
      `ALTER TABLE pieces DROP CONSTRAINT fk_pieces_potter_id, ADD CONSTRAINT f ${POTTER} ON DELETE CASCADE;`,
      `ALTER TABLE pieces DROP FOREIGN KEY fk_pieces_potter_id, ADD CONSTRAINT f ${POTTER} ON DELETE CASCADE;`,
      REBUILD,
    ),
  ],
  "rename of a column": [
    { fields: { weight: '@IsOptional() @IsInt() @Field({ was: "weight" }) weightGrams?: number;' } },
    () => "ALTER TABLE pieces RENAME COLUMN weight TO weight_grams;",
  ],
  "rename of a table": [
    { stored: STORED.replace("({", '({ table: "pots", was: "pieces",') },
    () => "ALTER TABLE pieces RENAME TO pots;",
  ],
  "rename of a constraint": [
    { stored: STORED.replace("sane", "sane_price") },
    each(
      "ALTER TABLE pieces RENAME CONSTRAINT ck_pieces_sane TO sane_price;",
      "ALTER TABLE pieces DROP CONSTRAINT ck_pieces_sane, ADD CONSTRAINT sane_price CHECK (price < 100000);",
      REBUILD,
    ),
  ],
  note: [
    { stored: STORED.replace("({", '({ note: "A pot",') },
    each("COMMENT ON TABLE pieces IS 'A pot';", "ALTER TABLE pieces COMMENT = 'A pot';", "SELECT 1;"),
  ],
  "column dropped and kept": [
    { fields: { notes: "" } },
    () => "CREATE TABLE kept AS SELECT id, notes FROM pieces; ALTER TABLE pieces DROP COLUMN notes;",
  ],
  "table dropped and kept": [{ firing: false }, () => "ALTER TABLE firings RENAME TO kept;"],
  "enum value added": [
    { fields: { stage: FIELDS.stage.replace('"lost"', '"lost", "sold"') } },
    each(
      "ALTER TABLE pieces DROP CONSTRAINT ck_pieces_stage, ADD CONSTRAINT s CHECK (stage IN ('raw', 'glazed', 'lost', 'sold'));",
      "ALTER TABLE pieces DROP CONSTRAINT ck_pieces_stage, ADD CONSTRAINT s CHECK (stage IN ('raw', 'glazed', 'lost', 'sold'));",
      REBUILD,
    ),
  ],
  "enum value removed": [
    { fields: { stage: FIELDS.stage.replace(', "lost"', "") } },
    each(
      "ALTER TABLE pieces DROP CONSTRAINT ck_pieces_stage, ADD CONSTRAINT s CHECK (stage IN ('raw', 'glazed'));",
      "ALTER TABLE pieces DROP CONSTRAINT ck_pieces_stage, ADD CONSTRAINT s CHECK (stage IN ('raw', 'glazed'));",
      REBUILD,
    ),
  ],
  "stamp added": [
    { fields: { created: '@Stamp("created") createdAt!: Date;' } },
    each(
      "ALTER TABLE pieces ADD COLUMN created_at timestamptz NOT NULL DEFAULT now();",
      "ALTER TABLE pieces ADD COLUMN created_at timestamp(6) NOT NULL DEFAULT current_timestamp(6);",
      REBUILD,
    ),
  ],
  "computed column": [
    { fields: { twice: '@IsInt() @Field({ computed: "{price} * 2" }) twice!: number;' } },
    each(
      "ALTER TABLE pieces ADD COLUMN twice int GENERATED ALWAYS AS (price * 2) STORED;",
      "ALTER TABLE pieces ADD COLUMN twice int GENERATED ALWAYS AS (price * 2) STORED;",
      REBUILD,
    ),
  ],
  reorder: [
    { fields: { title: "", weight: FIELDS.weight, title2: FIELDS.title } },
    each("SELECT 1;", "ALTER TABLE pieces MODIFY title varchar(80) NOT NULL AFTER maker_id;", REBUILD),
  ],
};

/** SQLite's table anew, as its manual says (https://sqlite.org/lang_altertable.html#otheralter), to what it is in a database that has it. */
function rebuildText(folder) {
  const ask = sql =>
    execFileSync("sqlite3", ["-readonly", "-separator", "\u001f", "-newline", "\u001e", "a.db", sql], {
      cwd: folder,
      encoding: "utf8",
    })
      .split("\u001e")
      .filter(Boolean);
  const [made] = ask("SELECT sql FROM sqlite_schema WHERE type = 'table' AND name = 'pieces'");
  const indexes = ask(
    "SELECT sql FROM sqlite_schema WHERE tbl_name = 'pieces' AND type <> 'table' AND sql IS NOT NULL",
  );
  const columns = ask("SELECT name FROM pragma_table_info('pieces')");
  return old => {
    const both = columns.filter(name => old.includes(name)).join(", ");
    const anew = made.replace(/^CREATE TABLE "?pieces"?/, 'CREATE TABLE "anew"');
    return `PRAGMA foreign_keys = OFF; BEGIN; ${anew}; INSERT INTO anew (${both}) SELECT ${both} FROM pieces; DROP TABLE pieces; ALTER TABLE anew RENAME TO pieces; ${indexes.map(text => `${text};`).join(" ")} PRAGMA foreign_key_check; COMMIT;`;
  };
}

function measure(dialect, scratch) {
  const place = new Place(dialect, scratch);
  if (place.missing) return undefined;
  const found = {};
  try {
    place.start();
    const old =
      dialect === "sqlite"
        ? execFileSync("sqlite3", ["a.db", "SELECT name FROM pragma_table_info('pieces')"], {
            cwd: place.folder,
            encoding: "utf8",
          })
            .trim()
            .split("\n")
        : [];
    for (const [kind, [change, expert]] of Object.entries(KINDS)) {
      execFileSync("sh", ["-c", "rm -rf migrations/0002-*"], { cwd: place.folder });
      place.write(models(change));
      place.emberset("draft", "change");
      const script = join(place.folder, "migrations", "0002-change", `forward.${dialect}.sql`);
      const isNothing = (() => {
        try {
          return /nothing to do/.test(readFileSync(script, "utf8"));
        } catch {
          return true;
        }
      })();
      const text = typeof expert === "function" ? expert(dialect) : expert[dialect];
      const pairs = [];
      for (let run = 0; run < RUNS; run += 1) {
        const told =
          JSON.parse(place.emberset("forward", "--show", "--json")).scripts?.[0]?.costs.statements ?? [];
        const estimate = told.reduce(
          (sum, { seconds }) => (seconds ? sum + (seconds.from + seconds.to) / 2 : sum),
          0,
        );
        const ours = timed(() => place.emberset("forward", "--yes")) - timed(() => place.emberset("forward"));
        const sql =
          text === REBUILD && dialect === "sqlite"
            ? isNothing
              ? "SELECT 1;"
              : rebuildText(place.folder)(old)
            : text;
        place.again(!isNothing);
        const theirs = timed(() => place.client(sql)) - timed(() => place.client("SELECT 1;"));
        place.again(false);
        pairs.push([Math.max(ours, 1), Math.max(theirs, 1), estimate * 1000]);
      }
      found[kind] = {
        ratio: median(pairs.map(([x, y]) => x / y)),
        ours: median(pairs.map(([x]) => x)),
        theirs: median(pairs.map(([, y]) => y)),
        estimate: median(pairs.map(([, , z]) => z)),
      };
      console.error(
        `${dialect} · ${kind}: ${found[kind].ratio.toFixed(2)} (${found[kind].ours.toFixed(0)} : ${found[kind].theirs.toFixed(0)} ms, told ${found[kind].estimate.toFixed(0)})`,
      );
    }
    return found;
  } finally {
    place.end();
  }
}

const scratch = mkdtempSync(join(tmpdir(), "emberset-kinds-"));
try {
  const engines = ["sqlite", "postgres", "mariadb"].filter(each => only === undefined || each === only);
  const all = Object.fromEntries(engines.map(each => [each, measure(each, scratch)]));
  const cell = ({ ratio, ours, theirs, estimate } = {}) =>
    ratio === undefined
      ? "—"
      : `${ratio.toFixed(2)} (${ours.toFixed(0)} : ${theirs.toFixed(0)}; ${estimate.toFixed(0)} told)`;
  // What takes no time that anybody would notice, and is told so, is told right.
  const isTold = ({ ours, estimate }) =>
    Math.max(ours, estimate) < 300 || (ours <= 2 * estimate && estimate <= 2 * ours);
  const cells = engines.flatMap(each => Object.values(all[each] ?? {}));
  const right = cells.filter(isTold).length;
  const table = [
    `| what changes | ${engines.map(each => NAMES[each]).join(" | ")} |`,
    `| --- |${engines.map(() => " --- |").join("")}`,
    ...Object.keys(KINDS).map(
      kind => `| ${kind} | ${engines.map(each => cell(all[each]?.[kind])).join(" | ")} |`,
    ),
    "",
    `What is told beforehand is within a factor of two, or both are under 0.3 s, in ${right} of ${cells.length}.`,
  ].join("\n");
  console.log(table);
  if (process.argv.includes("--write")) {
    const file = join(import.meta.dirname, "..", "docs", "performance.md");
    const text = readFileSync(file, "utf8");
    writeFileSync(file, text.replace(/(<!-- kinds -->\n)[^]*?(<!-- end of kinds -->)/, `$1\n${table}\n\n$2`));
  }
} finally {
  rmSync(scratch, { recursive: true, force: true });
}

// Writes into docs/model-language.md the SQL that each of its examples becomes, as `draft` writes it. With --check nothing
// is written: the document must have it already.
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import * as classValidator from "class-validator";
import * as emberset from "../dist/modelling.js";
import { DIALECT_TITLES as DIALECTS, draft } from "../dist/tasks.js";

const FILE = join(import.meta.dirname, "..", "docs", "model-language.md");

/** What examples speak of without showing it. */
const OTHERS = {
  Potter: "@Stored<Potter>() export class Potter { @IsString() @MaxLength(80) name!: string; }",
  Glaze: "@Stored<Glaze>() export class Glaze { @IsString() @MaxLength(60) name!: string; }",
  Kiln: "@Stored<Kiln>() export class Kiln { @IsString() @MaxLength(40) name!: string; }",
};

const before = readFileSync(FILE, "utf8");
const parts = before.split(/(```ts\n(?:(?!```)[^])*```\n\n<!-- becomes -->\n[^]*?<!-- end -->\n)/);
const after = [];
for (const [at, part] of parts.entries()) after.push(at % 2 === 0 ? part : await withSql(part));
const text = after.join("");
if (!process.argv.includes("--check")) writeFileSync(FILE, text);
else if (text !== before) {
  console.error(
    "docs/model-language.md does not show what its examples become: node scripts/model-language.mjs",
  );
  process.exitCode = 1;
}
console.log(`${(parts.length - 1) / 2} examples`);

async function withSql(part) {
  const [, code] = /```ts\n([^]*?)```/.exec(part);
  const scripts = await scriptsOf(code);
  const blocks = Object.entries(DIALECTS).map(
    ([dialect, title]) =>
      `<details><summary>${title}</summary>\n\n\`\`\`sql\n${scripts[dialect].trim()}\n\`\`\`\n\n</details>\n`,
  );
  return `\`\`\`ts\n${code}\`\`\`\n\n<!-- becomes -->\n\n${blocks.join("\n")}\n<!-- end -->\n`;
}

/** The forward scripts of a project with one model file, tables that are not shown left out. */
async function scriptsOf(code) {
  const folder = mkdtempSync(join(tmpdir(), "emberset-example-"));
  try {
    mkdirSync(join(folder, "models"));
    const targets = Object.keys(DIALECTS).map(dialect =>
      dialect === "sqlite"
        ? `sqlite: { dialect, file: "a.db" }`
        : `${dialect}: { dialect: "${dialect}", url: "${dialect}://nobody@localhost/none" }`,
    );
    writeFileSync(
      join(folder, "emberset.config.ts"),
      `const dialect = "sqlite";\nexport default { home: "sqlite", targets: { ${targets.join(", ")} } };\n`,
    );
    writeFileSync(join(folder, "models", "example.ts"), withImports(code));
    const { advice } = await draft({ project: folder, title: "example" });
    const wrong = advice.filter(({ code: found }) => !["A300", "A314"].includes(found));
    if (wrong.length > 0) throw new Error(`An example gets advice: ${JSON.stringify(wrong)}\n${code}`);
    return Object.fromEntries(
      Object.keys(DIALECTS).map(dialect => [
        dialect,
        shown(
          readFileSync(join(folder, "migrations", "0001-example", `forward.${dialect}.sql`), "utf8"),
          code,
        ),
      ]),
    );
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

function withImports(code) {
  const missing = Object.entries(OTHERS).filter(
    ([name]) => new RegExp(`\\b${name}\\b`).test(code) && !new RegExp(`class ${name}\\b`).test(code),
  );
  const whole = [code, ...missing.map(([, text]) => text)].join("\n");
  const used = module =>
    Object.keys(module).filter(name => new RegExp(`(?<![.\\w])${name}\\(|@${name}\\b`).test(whole));
  return [
    `import { ${used(classValidator).join(", ")} } from "class-validator";`,
    `import { ${used(emberset).join(", ")} } from "emberset";`,
    whole,
  ].join("\n");
}

/** Without the heading of the script, and without the blocks about tables that the example does not show. */
function shown(script, code) {
  const hidden = Object.keys(OTHERS)
    .filter(name => !new RegExp(`class ${name}\\b`).test(code))
    .map(name => `${name.toLowerCase()}${name.endsWith("e") ? "s" : "s"}`);
  const blocks = script.split(/\n(?=-- )/).slice(1);
  return blocks
    .filter(block => !/^-- (?:\d+ change|MariaDB commits)/.test(block))
    .filter(block => !hidden.some(table => new RegExp(`^-- add table ${table}\\b`).test(block)))
    .map(block => block.trim())
    .join("\n\n");
}

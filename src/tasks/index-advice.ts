import { blocksFor } from "../core/plan/plan.js";
import type { Change } from "../core/change/types.js";
import type { PlanStep } from "../core/dialect/shared/explain.js";
import { addressOf } from "../core/schema/address.js";
import { isServed, leadingLists } from "../core/schema/lookups.js";
import type { Table } from "../core/schema/types.js";
import { matters, nameOf, tokenize, type Token } from "../core/sql/tokens.js";
import type { Database } from "../database/session/database.js";
import type { LoadedModels } from "../project/load-models.js";

/** An index that a query lacks: with it the engine no longer reads all of a table. */
export interface IndexAdvice {
  readonly table: string;
  readonly columns: readonly string[];
  /** How a model says it: `@Field({ index: true })` on Piece.stage. */
  readonly model: string;
}

/** How many lists of columns are tried for a table. */
const TRIED = 8;

/**
 * Indexes that a query lacks. Each is made on the scratch database, and the engine asked once more: what it would not use is not
 * said. They stay there, since SQLite drops none while a plan was read (https://sqlite.org/rescode.html#locked): nothing
 * comes after this.
 */
export async function indexAdvice(
  database: Database,
  models: LoadedModels,
  sql: string,
  steps: readonly PlanStep[],
): Promise<IndexAdvice[]> {
  const tokens = tokenize(sql, database.dialect.tokens).filter(matters);
  const advice: IndexAdvice[] = [];
  const scanned = [...new Set(scansIn(steps))];
  if (scanned.length === 0) return [];
  for (const statement of database.dialect.rows.explain.asIfMany) await database.run(statement);
  for (const called of scanned) {
    const table = tableCalled(called, tokens, models.schema.tables);
    if (!table) continue;
    for (const columns of candidates(table, tokens, called).slice(0, TRIED)) {
      if (!(await wouldServe(database, models, sql, { table, columns, called }))) continue;
      advice.push({ table: addressOf(table), columns, model: inModel(models, table, columns) });
      break;
    }
  }
  return advice;
}

function scansIn(steps: readonly PlanStep[]): string[] {
  return steps.flatMap(({ scans, children }) => [
    ...(scans === undefined ? [] : [scans]),
    ...scansIn(children),
  ]);
}

/** The table of a name in a query: its own, or the one that stands before it there. */
function tableCalled(called: string, tokens: readonly Token[], tables: readonly Table[]): Table | undefined {
  const named = (name: string | undefined) =>
    tables.find(table => table.name.toLowerCase() === name?.toLowerCase());
  const own = named(called);
  if (own) return own;
  const at = tokens.findIndex(
    (token, index) =>
      index > 0 &&
      nameOf(token).toLowerCase() === called.toLowerCase() &&
      (named(nameOf(tokens[index - 1]!)) || isAs(tokens[index - 1])),
  );
  const before = tokens[at - 1];
  return at < 1 || !before ? undefined : named(nameOf(isAs(before) ? tokens[at - 2]! : before));
}

const isAs = (token: Token | undefined) => token?.text.toLowerCase() === "as";

const COMPARES = /^(?:=|<|>|<=|>=|<>|!=|in|is|like|between)$/i;

/** Columns of a table that the query compares, those that are to be equal first; alone, and the first few together. */
function candidates(table: Table, tokens: readonly Token[], called: string): string[][] {
  const from = tokens.findIndex(({ text }) => /^(?:where|on|order|group)$/i.test(text));
  if (from < 0) return [];
  const found: { readonly name: string; readonly equal: boolean }[] = [];
  tokens.slice(from).forEach((token, index, rest) => {
    const column = table.columns.find(({ name }) => name.toLowerCase() === nameOf(token).toLowerCase());
    const owner = rest[index - 1]?.text === "." ? rest[index - 2] : undefined;
    if (!column || (owner && nameOf(owner).toLowerCase() !== called.toLowerCase())) return;
    if (found.some(({ name }) => name === column.name)) return;
    const [next, before] = [rest[index + 1]?.text ?? "", rest[index - (owner ? 3 : 1)]?.text ?? ""];
    // What is only counted, grouped or ordered by is read as well without an index.
    if (!COMPARES.test(next) && !COMPARES.test(before)) return;
    found.push({ name: column.name, equal: next === "=" || before === "=" || /^in$/i.test(next) });
  });
  const sorted = [...found].sort((a, b) => Number(b.equal) - Number(a.equal)).map(({ name }) => name);
  const lists = [...sorted.map(name => [name]), ...sorted.slice(1).map(name => [sorted[0]!, name])];
  return lists.filter(list => !isServed(list, leadingLists(table)));
}

async function wouldServe(
  database: Database,
  { schema }: LoadedModels,
  sql: string,
  {
    table,
    columns,
    called,
  }: { readonly table: Table; readonly columns: readonly string[]; readonly called: string },
): Promise<boolean> {
  const { dialect } = database;
  const address = addressOf(table);
  const value = {
    name: `ix_emberset_try_${columns.join("_")}`.slice(0, 60),
    parts: columns.map(column => ({ column })),
  };
  const add: Change = { kind: "add part", table: address, what: "index", value };
  const there = await database.readCatalog();
  if (there.schema.tables.some(({ indexes }) => indexes.some(({ name }) => name === value.name)))
    return false;
  for (const { statements } of blocksFor(dialect, schema, [add]))
    for (const statement of statements) await database.run(statement);
  const steps = dialect.rows.explain.read(await database.rows(dialect.rows.explain.query(sql)));
  return !scansIn(steps).includes(called) && JSON.stringify(steps).includes(value.name);
}

/** How the model says an index. */
function inModel({ entities, resolver }: LoadedModels, table: Table, columns: readonly string[]): string {
  const entity = entities.find(each => resolver.address(each) === addressOf(table));
  if (!entity) return `an index on (${columns.join(", ")})`;
  const fields = columns.map(
    name => resolver.columnsOf(entity).find(({ column }) => column.name === name)?.field.property ?? name,
  );
  return fields.length === 1
    ? `@Field({ index: true }) on ${entity.name}.${fields[0]!}`
    : `@Stored({ indexes: [[${fields.map(field => `"${field}"`).join(", ")}]] }) on ${entity.name}`;
}

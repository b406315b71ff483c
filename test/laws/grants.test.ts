import fc from "fast-check";
import { createConnection } from "mysql2/promise";
import { afterAll, describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff } from "../../src/core/change/diff.js";
import { invert } from "../../src/core/change/invert.js";
import type { Change } from "../../src/core/change/types.js";
import type { Dialect } from "../../src/core/dialect/shared/dialect.js";
import { blocksFor } from "../../src/core/plan/plan.js";
import { addressOf, quoteAddress } from "../../src/core/schema/address.js";
import { COLUMN_VERBS, rolesIn, verbsOf } from "../../src/core/schema/grants.js";
import {
  EMPTY_SCHEMA,
  type Definition,
  type ObjectDefinition,
  type Schema,
} from "../../src/core/schema/types.js";
import { placeholderOf } from "../../src/core/sql/tokens.js";
import type { Verb } from "../../src/modelling/facts.js";
import type { Engine } from "../engines/engine.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { arbitrarySchema, inOrder, renamesBetween } from "./arbitrary-schema.js";
import { PATIENCE, RUNS, SEED } from "./runs.js";

const OWN = Math.random().toString(36).slice(2, 8);
/** Roles are the server's: no other run has these. */
const ROLES = [`visitor_${OWN}`, `odd "ro'le" \`${OWN}\``];

/** Tries statements as a role, of which none does anything. @returns whether each was let */
type Try = (role: string, statements: readonly string[]) => Promise<boolean[]>;

interface Server {
  readonly engine: Engine;
  readonly attempt: Try;
  /** As in a new database: nothing is left of what roles might do with what is gone. */
  readonly anew: () => Promise<void>;
  readonly close: () => Promise<void>;
}

async function onPostgres(): Promise<Server | undefined> {
  const engine = await postgresEngine();
  if (!engine) return undefined;
  const quote = engine.dialect.names.quote;
  for (const role of ROLES) await engine.run(`CREATE ROLE ${quote(role)}`);
  return {
    engine,
    attempt: async (role, statements) => {
      const isLet: boolean[] = [];
      await engine.run("BEGIN");
      await engine.run(`SET LOCAL ROLE ${quote(role)}`);
      for (const sql of statements) {
        await engine.run("SAVEPOINT one");
        // https://www.postgresql.org/docs/15/errcodes-appendix.html
        const code = await engine.run(sql).then(
          () => "",
          (error: unknown) => (error as { code: string }).code,
        );
        isLet.push(code !== "42501");
        await engine.run("ROLLBACK TO one");
      }
      await engine.run("ROLLBACK");
      return isLet;
    },
    // As a new database has it.
    anew: () => engine.run("GRANT USAGE ON SCHEMA public TO PUBLIC"),
    close: async () => {
      await engine.empty();
      for (const role of ROLES) await engine.run(`DROP ROLE ${quote(role)}`);
      await engine.close();
    },
  };
}

async function onMariadb(): Promise<Server | undefined> {
  const engine = await mariadbEngine();
  if (!engine) return undefined;
  const { quote } = engine.dialect.names;
  const user = `${quote(`clerk_${OWN}`)}@'%'`;
  await engine.run(`CREATE USER ${user}`);
  for (const role of ROLES) {
    await engine.run(`CREATE ROLE ${quote(role)}`);
    await engine.run(`GRANT ${quote(role)} TO ${user}`);
  }
  const url = new URL(engine.url);
  [url.username, url.password, url.pathname] = [`clerk_${OWN}`, "", "/"];
  const clerk = await createConnection({ uri: url.href });
  return {
    engine,
    attempt: async (role, statements) => {
      const isLet: boolean[] = [];
      await clerk.query("SET autocommit = 0");
      await clerk.query(`SET ROLE ${quote(role)}`);
      for (const sql of statements) {
        // https://mariadb.com/kb/en/mariadb-error-code-reference/: denied to a database, a table, a column.
        const code = await clerk.query(sql).then(
          () => 0,
          (error: unknown) => (error as { errno: number }).errno,
        );
        isLet.push(![1044, 1142, 1143].includes(code));
        await clerk.query("ROLLBACK");
      }
      return isLet;
    },
    anew: async () => {
      for (const role of ROLES) await engine.run(`REVOKE ALL PRIVILEGES, GRANT OPTION FROM ${quote(role)}`);
    },
    close: async () => {
      await clerk.end();
      for (const role of ROLES) await engine.run(`DROP ROLE ${quote(role)}`);
      await engine.run(`DROP USER ${user}`);
      await engine.close();
    },
  };
}

/**
 * The schema with something said of the rows that roles see, where an engine holds them to it: all of them, in words that
 * speak of a column, so that what may be done stays what is granted.
 */
function withRows(schema: Schema, dialect: Dialect, seed: number): Schema {
  const rowsSql = dialect.roles?.rows?.sql;
  if (!rowsSql) return schema;
  const policies = schema.tables.flatMap((table, at) => {
    const roles = rolesIn({ tables: [table] });
    if (roles.length === 0 || (seed + at) % 3 === 0) return [];
    const column = placeholderOf(table.columns[(seed + at) % table.columns.length]!.name);
    const on = addressOf(table);
    const conditions = [
      `${column} IS NULL OR ${column} IS NOT NULL`,
      `(${column} IS NULL) OR (${column} IS NOT NULL)`,
      `CASE WHEN ${column} IS NULL THEN ')' ELSE '(' END <> 'it''s {this}; ) TO PUBLIC USING (true'`,
      `CAST(CAST(${column} AS text) AS varchar(9)) IS NULL OR 'on sale' = 'on sale' AND EXISTS (SELECT 1)`,
    ];
    return [...roles, undefined].map((role, nth): ObjectDefinition => {
      const condition = role === undefined ? "" : conditions[(seed + at + nth) % conditions.length]!;
      const { name, sql } = rowsSql({ table: on, roles, condition, ...(role !== undefined && { role }) });
      return { kind: "policy", name, on, sql: { [dialect.name]: sql } };
    });
  });
  return { ...schema, definitions: [...(schema.definitions ?? []), ...policies] };
}

const servers = { PostgreSQL: await onPostgres(), MariaDB: await onMariadb() };

describe.each(Object.entries(servers))("on a real %s", (name, server) => {
  afterAll(() => server?.close());

  test.runIf(server)(
    "what roles may do is what the schema says, tried as each of them: built, altered, and back",
    async () => {
      const { engine, anew } = server!;
      const schema = arbitrarySchema({ without: name === "MariaDB" ? "🏺" : "", roles: ROLES });
      const seen = { let: 0, refused: 0 };
      await fc.assert(
        fc.asyncProperty(schema, schema, fc.nat(30), async (first, second, seed) => {
          const [a, b] = [withRows(first, engine.dialect, seed), withRows(second, engine.dialect, seed + 1)];
          await engine.empty();
          await anew();
          const changes = diff(a, b, renamesBetween(a, b, seed));
          const reached = apply(a, changes);
          await run(engine, EMPTY_SCHEMA, diff(EMPTY_SCHEMA, a));
          await holds(server!, a, seen);
          const was = inOrder((await engine.readCatalog()).schema);
          await againAsRead(engine, a, was);
          await run(engine, a, changes);
          await holds(server!, reached, seen);
          await run(engine, reached, invert(changes));
          await holds(server!, a, seen);
          expect(inOrder((await engine.readCatalog()).schema)).toEqual(was);
        }),
        { seed: SEED, numRuns: Math.ceil(RUNS / 6) },
      );
      expect(Math.min(seen.let, seen.refused)).toBeGreaterThan(RUNS);
    },
    PATIENCE,
  );
});

async function run(engine: Engine, before: Schema, changes: readonly Change[]): Promise<void> {
  for (const { statements } of blocksFor(engine.dialect, before, changes))
    for (const sql of statements)
      await engine.run(sql).catch((error: unknown) => {
        throw new Error(`${(error as Error).message}\n${sql}`, { cause: error });
      });
}

/** What models would say of the rows that roles see makes the very same policies again. */
async function againAsRead(engine: Engine, said: Schema, was: Schema): Promise<void> {
  const rows = engine.dialect.roles?.rows;
  if (!rows) return;
  const isPolicy = (each: Definition): each is ObjectDefinition => each.kind === "policy";
  const told = (engine.dialect.types.unspell(was).definitions ?? []).filter(isPolicy);
  expect(told.length).toBe((said.definitions ?? []).filter(isPolicy).length);
  for (const table of was.tables) {
    const own = told.filter(({ on }) => on === addressOf(table));
    const roles = [...(rows.read(table, own)?.keys() ?? [])].sort();
    expect(roles).toEqual(own.length > 0 ? rolesIn({ tables: [table] }) : []);
  }
  const { quote } = engine.dialect.names;
  for (const { name, on } of told)
    await engine.run(`DROP POLICY ${quote(name)} ON ${quoteAddress(on!, quote)}`);
  for (const { sql } of told) await engine.run(sql as string);
  expect(inOrder((await engine.readCatalog()).schema)).toEqual(was);
}

/** Each verb on each column, as each role: the server's verdict is the schema's. */
async function holds({ engine, attempt }: Server, schema: Schema, seen: { let: number; refused: number }) {
  const { dialect } = engine;
  const { quote } = dialect.names;
  const here = dialect.names.limit === 63 ? "" : `${quote(new URL(engine.url).pathname.slice(1))}.`;
  const { tables } = dialect.types.settle(schema);
  const asked = tables.flatMap(table => {
    const at = `${here}${quoteAddress(addressOf(table), quote)}`;
    const may =
      (verb: Verb, grants = table.grants) =>
      (role: string) =>
        verbsOf(grants, role).includes(verb);
    const ofColumns = table.columns.flatMap(({ name, grants }) =>
      COLUMN_VERBS.map(verb => ({
        sql: sqlOf(verb, at, quote(name)),
        is: (role: string) => may(verb)(role) || may(verb, grants)(role),
      })),
    );
    return [...ofColumns, { sql: `DELETE FROM ${at} WHERE 1 = 0`, is: may("delete") }];
  });
  for (const role of ROLES) {
    const found = await attempt(
      role,
      asked.map(({ sql }) => sql),
    );
    const wrong = asked.filter(({ is }, at) => is(role) !== found[at]).map(({ sql }) => sql);
    expect({ role, wrong }).toEqual({ role, wrong: [] });
    seen.let += found.filter(Boolean).length;
    seen.refused += found.filter(each => !each).length;
  }
}

function sqlOf(verb: (typeof COLUMN_VERBS)[number], table: string, column: string): string {
  if (verb === "select") return `SELECT ${column} FROM ${table} WHERE 1 = 0`;
  return verb === "insert"
    ? `INSERT INTO ${table} (${column}) VALUES (DEFAULT)`
    : `UPDATE ${table} SET ${column} = DEFAULT WHERE 1 = 0`;
}

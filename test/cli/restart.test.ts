import { setTimeout as wait } from "node:timers/promises";
import { createConnection } from "mysql2/promise";
import pg from "pg";
import { describe, expect, test } from "vitest";
import { ownMariadb, ownPostgres, type OwnServer } from "../engines/own-servers.js";
import { PATIENCE, RUNS } from "../laws/runs.js";
import { Studio } from "./studio.js";

/** How often the server is killed under a run; a hunt kills it more often. */
const KILLS = Math.max(4, Math.round(RUNS / 75));

async function ask(dialect: string, url: string, sql: string): Promise<unknown[]> {
  if (dialect === "mariadb") {
    const connection = await createConnection({ uri: url, multipleStatements: true });
    const [rows] = await connection.query(sql).finally(() => connection.end());
    return rows as unknown[];
  }
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  return (await client.query(sql).finally(() => client.end())).rows as unknown[];
}

const MODEL = (more: string) => `import { IsInt, IsOptional, IsString, MaxLength } from "class-validator";
import { Field, Stored } from "emberset";
@Stored() export class Kiln { @IsString() @MaxLength(40) name!: string; @IsInt() price!: number; ${more} }
`;

/** Three migrations: rows that change, a column that goes into the attic, columns and a table that come. */
function studioOf(dialect: string, url: string): Studio {
  const studio = new Studio({
    "emberset.config.ts": `export default { targets: { local: { dialect: "${dialect}", url: "${url}" } } };\n`,
    "models/all.ts": MODEL("@IsOptional() @IsString() notes?: string;"),
  });
  studio.ok("draft", "first");
  studio.ok("draft", "--blank", "dearer");
  const script = (way: string) => `migrations/0002-dearer/${way}.${dialect}.sql`;
  studio.write(
    script("forward"),
    `${studio.read(script("forward"))}UPDATE kilns SET price = price * 2;\nUPDATE kilns SET price = price + 1;\n`,
  );
  studio.write(
    script("back"),
    `${studio.read(script("back"))}UPDATE kilns SET price = price - 1;\nUPDATE kilns SET price = price / 2;\n`,
  );
  studio.write(
    "models/all.ts",
    `${MODEL("@IsInt() @Field({ fill: 3 }) cone!: number; @IsOptional() @IsString() @Field({ index: true }) @MaxLength(9) fuel?: string;")}
@Stored() export class Firing { @IsInt() peak!: number; }\n`,
  );
  studio.ok("draft", "more");
  return studio;
}

const servers: [string, () => Promise<OwnServer | undefined>][] = [
  ["mariadb", () => ownMariadb(["--innodb-flush-log-at-trx-commit=1"])],
  ["postgres", () => ownPostgres()],
];

describe.each(servers)("%s, killed under a run", (dialect, make) => {
  test(
    "once it is back, the same command does the rest; nothing is done twice or lost",
    async context => {
      const server = await make();
      if (!server) return context.skip();
      try {
        await server.start();
        await ask(dialect, server.url, "CREATE DATABASE pots");
        const url = new URL(server.url);
        url.pathname = "/pots";
        const studio = studioOf(dialect, url.href);
        studio.ok("forward", "--to", "1");
        const rows = Array.from({ length: 400 }, (_, at) => `('k${at}', ${at}, 'n${at}')`).join(", ");
        await ask(dialect, url.href, `INSERT INTO kilns (name, price, notes) VALUES ${rows}`);
        const start = Number(process.hrtime.bigint() % 97n);
        let cut = 0;
        for (let kill = 0; kill < KILLS; kill += 1) {
          const way = kill % 2 === 0 ? "forward" : "back";
          const args = way === "forward" ? ["forward"] : ["back", "--to", "1", "--yes"];
          const run = studio.finish(...args);
          // From before it has connected to after it has come to its end.
          await wait(60 + ((start + kill * 131) % 400));
          await server.kill();
          if ((await run).status !== 0) cut += 1;
          await server.start();
          studio.ok(...args);
          const held = (await ask(dialect, url.href, "SELECT * FROM kilns ORDER BY id")) as Record<
            string,
            unknown
          >[];
          const isForward = way === "forward";
          expect(held).toHaveLength(400);
          for (const [at, row] of held.entries())
            expect(row).toMatchObject(
              isForward
                ? { name: `k${at}`, price: at * 2 + 1, cone: 3 }
                : { name: `k${at}`, price: at, notes: `n${at}` },
            );
          expect(studio.ok("status")).toContain(
            `${isForward ? "3 run · 0" : "1 run · 2"} pending · no drift`,
          );
        }
        if (process.env["LAW_TELL"])
          process.stdout.write(`${dialect}: ${JSON.stringify({ kills: KILLS, cut })}\n`);
        expect(cut).toBeGreaterThan(0);
      } finally {
        await server.remove();
      }
    },
    PATIENCE,
  );
});

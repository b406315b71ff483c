import pg from "pg";
import { afterAll, describe, expect, test } from "vitest";
import { poolerBefore, POOL_SIZE } from "../engines/pooler.js";
import { postgresEngine } from "../engines/postgres.js";
import { Studio } from "./studio.js";

const engine = await postgresEngine();
const pooler = engine && (await poolerBefore(engine.url));

/** What only reads, and makes no scratch database. */
const READING: readonly (readonly string[])[] = [
  ["status"],
  ["status", "--strict"],
  ["describe"],
  ["describe", "pieces"],
  ["compare"],
  ["compare", "--from", "target:local"],
  ["chart", "--of", "target:local", "--out", "now.svg"],
  ["export", "--as", "markdown"],
  ["forward", "--show"],
  ["back", "--show"],
  ["attic"],
];

describe("behind a transaction pooler with three connections", () => {
  afterAll(async () => {
    pooler?.stop();
    await engine?.close();
  });

  test.runIf(pooler)(
    "what only reads leaves no setting and no lock on a connection, and the application writes on",
    async () => {
      const config = (url: string) =>
        `export default { targets: { local: { dialect: "postgres", url: "${url}" } } };\n`;
      const studio = new Studio({ "emberset.config.ts": config(engine!.url) }).useModels("v1");
      studio.ok("draft", "first");
      studio.ok("forward");
      await engine!.run("INSERT INTO kilns (name, fuel, volume_litres) VALUES ('Old Bess', 'wood', 900)");
      studio.useModels("v2").ok("draft", "second");
      studio.write("emberset.config.ts", config(pooler!.url));
      const before = await pooler!.connections();
      expect(before).toHaveLength(POOL_SIZE);
      for (const command of READING) {
        const { status, stderr } = studio.emberset(...command);
        expect([0, 1], `${command.join(" ")}: ${stderr}`).toContain(status);
        expect(await pooler!.connections(), command.join(" ")).toEqual(before);
      }
      // The application's own connections, as many as there are.
      const write = async () => {
        const client = new pg.Client({ connectionString: pooler!.url });
        await client.connect();
        await client.query("UPDATE kilns SET volume_litres = volume_litres + 1");
        await client.end();
      };
      await Promise.all(Array.from({ length: 2 * POOL_SIZE }, write));
      expect(await engine!.rows("SELECT volume_litres::int AS litres FROM kilns")).toEqual([
        { litres: 900 + 2 * POOL_SIZE },
      ]);
    },
  );
});

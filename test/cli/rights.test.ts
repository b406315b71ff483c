import { readFileSync } from "node:fs";
import { join } from "node:path";
import { afterAll, describe, expect, onTestFinished, test } from "vitest";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { Studio } from "./studio.js";

const engines = { PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };

/** What docs/security.md says that a user needs, by dialect: to change a schema, and to look at it. */
const RIGHTS = [
  ...readFileSync(join(import.meta.dirname, "..", "..", "docs", "security.md"), "utf8").matchAll(
    /```sql\n-- (\w+), to (change|look)\n([^]*?)```/g,
  ),
].map(([, dialect, what, sql]) => ({ dialect, what, sql: sql! }));

describe.each(Object.entries(engines))("on %s, a user with no more rights than are said", (_, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine)(
    "runs migrations there and back, rows and all; and one who may only look looks",
    async () => {
      const { dialect, url } = engine!;
      const isPostgres = dialect.name === "postgres";
      const database = new URL(url).pathname.slice(1);
      const [clerk, visitor] = ["clerk", "visitor"].map(name => `${name}${process.pid}`);
      const give = async (what: string, user: string) => {
        const { sql } = RIGHTS.find(each => each.dialect === dialect.name && each.what === what)!;
        await engine!.run(
          isPostgres
            ? `CREATE ROLE ${user} LOGIN PASSWORD 'hush'`
            : `CREATE USER ${user}@'%' IDENTIFIED BY 'hush'`,
        );
        onTestFinished(async () => {
          if (isPostgres) await engine!.run(`DROP OWNED BY ${user}`);
          await engine!.run(isPostgres ? `DROP ROLE ${user}` : `DROP USER ${user}@'%'`);
        });
        for (const text of sql.split(";\n"))
          if (text.trim() !== "")
            await engine!.run(
              text
                .replaceAll("studio.*", `\`${database}\`.*`)
                .replaceAll("clerk", isPostgres ? user : `${user}@'%'`)
                .replaceAll("visitor", isPostgres ? user : `${user}@'%'`),
            );
      };
      const as = (user: string) => {
        const place = new URL(url);
        [place.username, place.password] = [user, "hush"];
        return `STUDIO_URL=${place.href}\n`;
      };
      await give("change", clerk!);
      const studio = new Studio({
        "emberset.config.ts": `export default { targets: { local: { dialect: "${dialect.name}", url: process.env.STUDIO_URL! } } };\n`,
        ".env": as(clerk!),
      }).useModels("v1");
      studio.ok("draft", "first");
      studio.ok("forward");
      await engine!.run(`INSERT INTO kilns (name, fuel, volume_litres) VALUES ('Old Bess', 'wood', 900)`);
      studio.useModels("v2").ok("draft", "second");
      studio.ok("forward", "--yes");
      await give("look", visitor!);
      studio.write(".env", as(visitor!));
      for (const command of [["status", "--strict"], ["describe"], ["compare", "--from", "target:local"]])
        studio.ok(...command);
      const { status, stderr } = studio.emberset("back", "--yes");
      expect([status, stderr]).toEqual([4, expect.stringMatching(/^E4\d\d (?![^]*hush)/)]);
      studio.write(".env", as(clerk!));
      expect(studio.ok("status", "--strict")).toContain("2 run · 0 pending · no drift");
      studio.ok("back", "--yes");
      expect(await engine!.rows("SELECT name FROM kilns")).toEqual([{ name: "Old Bess" }]);
      studio.ok("back", "--yes");
    },
  );
});

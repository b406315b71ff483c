import { afterAll, describe, expect, test } from "vitest";
import { cutSql } from "../../src/core/dialect/shared/cuts.js";
import { parseDataType } from "../../src/core/schema/data-type.js";
import type { Column } from "../../src/core/schema/types.js";
import { mariadbEngine } from "../engines/mariadb.js";
import { postgresEngine } from "../engines/postgres.js";
import { ID, table } from "../core/render-cases.js";

const engines = { PostgreSQL: await postgresEngine(), MariaDB: await mariadbEngine() };

/** A type, another, a value that is one of both, and one that the other would cut or round. */
const CASES = [
  ["text", "varchar(4)", "'pots'", "'kilns'"],
  ["varchar(9)", "varchar(4)", "'pöts'", "'kilns'"],
  ["decimal(6,3)", "decimal(6,1)", "1.5", "1.25"],
  ["decimal(6,3)", "integer", "2", "2.5"],
  ["double", "integer", "-3", "-3.25"],
  ["double", "decimal(8,2)", "0.25", "0.125"],
  ["double", "real", "0.5", "0.1"],
  ["bigint", "double", "9007199254740992", "9007199254740993"],
  ["timestamp", "date", "'2026-03-04 00:00:00'", "'2026-03-04 05:06:07'"],
] as const;

/** The same in types of an engine's own. */
const NATIVE = {
  PostgreSQL: [
    ["timestamp", "timestamp(3)", "'2026-03-04 05:06:07.125'", "'2026-03-04 05:06:07.1256'"],
    ["timestamptz(2)", "timestamp(0)", "'2026-03-04 05:06:07+01'", "'2026-03-04 05:06:07.25+01'"],
    ["time", "time(1)", "'05:06:07.5'", "'05:06:07.25'"],
  ],
  MariaDB: [
    ["datetime(6)", "datetime", "'2026-03-04 05:06:07'", "'2026-03-04 05:06:07.5'"],
    ["timestamp(3)", "timestamp(2)", "'2026-03-04 05:06:07.12'", "'2026-03-04 05:06:07.125'"],
    ["time(2)", "time(1)", "'05:06:07.5'", "'05:06:07.25'"],
  ],
} as const;

describe.each(["PostgreSQL", "MariaDB"] as const)("on a real %s", name => {
  const engine = engines[name];
  afterAll(() => engine?.close());

  const cases = [...CASES, ...NATIVE[name]];

  test.runIf(engine).each(cases)("%s to %s: %s fits, %s would be cut", async (from, to, fits, cut) => {
    await engine!.empty();
    const { dialect, run, rows } = engine!;
    const held = (text: string): Column => {
      const type = parseDataType(text) ?? ({ kind: "native", sql: { [dialect.name]: text } } as const);
      return dialect.types.settle({
        tables: [table("pieces", { columns: [ID, { name: "held", type, nullable: true }] })],
      }).tables[0]!.columns[1]!;
    };
    const [before, after] = [held(from), held(to)];
    const native = before.type.kind === "native" ? before.type.sql[dialect.name] : undefined;
    // MariaDB gives the first timestamp a default of now, and takes no null for one.
    await run(`CREATE TABLE pieces (held ${native} NULL)`);
    await run(`INSERT INTO pieces VALUES (${fits}), (${cut}), (NULL)`);
    const condition = cutSql(dialect, before, after, dialect.names.quote("held"));
    const found = await rows(`SELECT held FROM pieces WHERE ${condition}`);
    const [wanted] = await rows(`SELECT held FROM pieces WHERE held = ${cut} OR held <> ${fits}`);
    expect(found).toEqual([wanted]);
  });
});

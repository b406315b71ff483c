import { setTimeout as wait } from "node:timers/promises";
import { copiesRows } from "../../core/dialect/mariadb/render/meanwhile.js";
import { fillsRows } from "../../core/dialect/mariadb/render/online.js";
import { mariadb } from "../../core/dialect/mariadb/index.js";
import type { CatalogRow } from "../../core/dialect/shared/dialect.js";
import type { RowsDone } from "../../core/problems.js";
import type { Steps } from "../session/database.js";
import { patiently } from "../session/patience.js";
import { PieceSize } from "../session/pieces.js";
import type { Statements } from "../session/statements.js";

/** Kinds of columns whose values, as the driver gives them, are found again as literals. */
const PLAIN = /^(?:tiny|small|medium|big)?int\b|^(?:var)?char\b|^date$|^uuid$/;

/**
 * An update of all rows that lack a value, or a copy of what rows hold, in the order of the key, so many at a time, each
 * committed by itself: a piece is to be short, and between two of them others have their turn. What is filled already costs
 * little, and what is copied twice stays one row, so that one that was cut off is done again. Without a key of plain values it
 * is one statement.
 */
export async function fillInPieces(
  { rows, runScripted }: Pick<Statements, "rows" | "runScripted">,
  sql: string,
  { together, most, filled }: Pieces,
): Promise<void> {
  const copy = copiesRows(sql);
  const table = (copy ?? fillsRows(sql))!.table;
  const key = await rows(
    "SELECT COLUMN_NAME AS name, COLUMN_TYPE AS type FROM information_schema.COLUMNS JOIN information_schema.STATISTICS USING (TABLE_SCHEMA, TABLE_NAME, COLUMN_NAME) WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ? AND INDEX_NAME = 'PRIMARY' ORDER BY SEQ_IN_INDEX",
    table.slice(1, -1).replaceAll("``", "`"),
  );
  const [counted] = await rows(
    "SELECT TABLE_ROWS AS n FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ?",
    table.slice(1, -1).replaceAll("``", "`"),
  );
  if (key.length === 0 || !key.every(({ type }) => PLAIN.test(String(type)))) {
    await patiently(() => together(() => runScripted(sql)));
    return;
  }
  const names = key.map(({ name }) => mariadb.names.quote(String(name)));
  const list = names.join(", ");
  const literals = (row: CatalogRow) => key.map(({ name }) => literalOf(row[String(name)]));
  const piece = new PieceSize(most);
  let done = 0;
  let from: readonly string[] | undefined;
  for (;;) {
    const behind = from ? ` WHERE ${isBehind(names, from)}` : "";
    const [last] = await rows(
      `SELECT ${list} FROM ${table}${behind} ORDER BY ${list} LIMIT 1 OFFSET ${piece.rows - 1}`,
    );
    const to = last && literals(last);
    const limits = [from && isBehind(names, from), to && `NOT ${isBehind(names, to)}`].filter(Boolean);
    const within = limits.join(" AND ");
    const part = copy
      ? `${copy.before}${within && ` WHERE ${within}`}${copy.behind}`
      : `${sql}${within && ` AND ${within}`}`;
    const start = performance.now();
    if (to) done += piece.rows;
    const of = Math.max(done, Number(counted?.["n"] ?? 0));
    await patiently(() =>
      together(async () => {
        await runScripted(part);
        await filled({ done: to ? done : of, of });
      }),
    );
    if (!to) return;
    from = to;
    const took = performance.now() - start;
    piece.took(took, true);
    await wait(took / 4);
  }
}

interface Pieces extends Pick<Steps, "together"> {
  /** How many rows one has at most; absent: as usual. */
  readonly most?: number | undefined;
  readonly filled: (rows: RowsDone) => Promise<void>;
}

/** Whether a row stands behind another in the order of their keys, in words that an index serves: `(a > 1 OR (a = 1 AND b > 2))`. */
function isBehind([name, ...names]: readonly string[], [value, ...values]: readonly string[]): string {
  const here = `${name!} > ${value!}`;
  return names.length === 0
    ? `(${here})`
    : `(${here} OR (${name!} = ${value!} AND ${isBehind(names, values)}))`;
}

function literalOf(value: unknown): string {
  return typeof value === "number" || typeof value === "bigint"
    ? String(value)
    : mariadb.rows.literalSql(String(value));
}

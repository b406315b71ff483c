import { problems } from "../../core/problems.js";
import type { TargetSettings } from "../../project/settings.js";
import type { Statements } from "../session/statements.js";

/** Rights without which the server hides triggers, and what views select from: https://mariadb.com/kb/en/grant/ */
const TO_SEE_ALL = ["TRIGGER", "SHOW VIEW"];

/**
 * What others have put into a database cannot be heeded where the server does not show it. @throws Problem E415
 */
export async function refuseBlind({ rows }: Pick<Statements, "rows">, target: TargetSettings): Promise<void> {
  const [here] = await rows("SELECT DATABASE() AS here");
  const database = String(here?.["here"]);
  const granted = (await rows("SHOW GRANTS")).flatMap(row => grantsIn(String(Object.values(row)[0])));
  const held = granted.filter(({ on }) => on === "*" || likePattern(on).test(database));
  const isHeld = (right: string) => held.some(({ rights }) => rights.includes(right) || rights.includes(ALL));
  const missing = TO_SEE_ALL.filter(right => !isHeld(right));
  if (missing.length === 0) return;
  throw problems.noCatalogRight({
    target: target.name,
    label: target.label,
    reason: `without the right ${missing.join(" and ")} the server hides the triggers and views that others have made, which this would break`,
    rights: `GRANT ${missing.join(", ")} ON \`${database}\`.* TO …`,
  });
}

const ALL = "ALL PRIVILEGES";

interface Granted {
  readonly rights: readonly string[];
  /** `*`, or a pattern for names of databases. */
  readonly on: string;
}

/** ``GRANT SELECT, TRIGGER ON `studio`.* TO …`` */
function grantsIn(line: string): Granted[] {
  const [, rights, everywhere, name] =
    /^GRANT (.+?) ON (?:(\*)\.\*|`((?:[^`]|``)+)`\.\*) TO /.exec(line) ?? [];
  if (rights === undefined) return [];
  return [{ rights: rights.split(", "), on: everywhere ?? name!.replaceAll("``", "`") }];
}

/** `_` and `%` stand for any, unless a backslash is before them. */
function likePattern(name: string): RegExp {
  const body = name.replace(/\\?[^]/g, each => {
    if (each === "_") return "[^]";
    if (each === "%") return "[^]*";
    return each.slice(-1).replace(/[.*+?^${}()|[\]\\]/g, "\\$&");
  });
  return new RegExp(`^${body}$`);
}

/**
 * Of a table of which the user may read some columns only, the server shows no others. @throws Problem E415
 */
export async function refuseOfColumns(
  { rows }: Pick<Statements, "rows">,
  { name, label }: TargetSettings,
): Promise<void> {
  const hidden = await rows(
    `SELECT DISTINCT c.TABLE_NAME AS name FROM information_schema.COLUMN_PRIVILEGES c WHERE c.TABLE_SCHEMA = DATABASE()
     AND NOT EXISTS (SELECT 1 FROM information_schema.TABLE_PRIVILEGES t WHERE t.TABLE_SCHEMA = c.TABLE_SCHEMA AND t.TABLE_NAME = c.TABLE_NAME)
     AND NOT EXISTS (SELECT 1 FROM information_schema.SCHEMA_PRIVILEGES s WHERE DATABASE() LIKE s.TABLE_SCHEMA)
     AND NOT EXISTS (SELECT 1 FROM information_schema.USER_PRIVILEGES u WHERE u.PRIVILEGE_TYPE <> 'USAGE')`,
  );
  if (hidden.length === 0) return;
  const tables = hidden.map(row => String(row["name"])).join(", ");
  throw problems.noCatalogRight({
    target: name,
    label,
    reason: `the user may read some columns only of ${tables}, and the server hides the others`,
  });
}

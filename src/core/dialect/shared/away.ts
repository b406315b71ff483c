import type { Block, Hindrance } from "./render-plan.js";

const NAME = '(?:"(?:[^"]|"")+"|`(?:[^`]|``)+`|\\w+)';
const OBJECT = "(?:MATERIALIZED )?VIEW|TRIGGER|FUNCTION|PROCEDURE|POLICY|EVENT";
const DROPS = new RegExp(`^DROP (${OBJECT}) (?:IF EXISTS )?((?:${NAME}\\.)?${NAME})`, "i");
const MAKES = new RegExp(`^CREATE (?:OR REPLACE )?(${OBJECT}) ((?:${NAME}\\.)?${NAME})`, "i");

/**
 * What a script drops and makes anew, as a view of a table that changes, while something between the two takes long: nobody
 * could use it meanwhile, and what a trigger sees to would not be seen to.
 * @param isLong whether a statement may take long
 */
export function awayMeanwhile(blocks: readonly Block[], isLong: (sql: string) => boolean): Hindrance[] {
  const statements = blocks.flatMap(block => block.statements);
  // A developer's own text need not quote what a script drops in quotes.
  const thing = (match: RegExpExecArray | null) =>
    match && `${match[1]!} ${match[2]!.replace(/["`]/g, "")}`.toLowerCase();
  return statements.flatMap((sql, at) => {
    const dropped = thing(DROPS.exec(sql));
    const back =
      dropped === null
        ? -1
        : statements.findIndex((each, place) => place > at && thing(MAKES.exec(each)) === dropped);
    if (dropped === null || back < 0 || !statements.slice(at, back).some(isLong)) return [];
    return [
      { what: dropped, reason: "it goes and comes back around what takes long, and would be away meanwhile" },
    ];
  });
}

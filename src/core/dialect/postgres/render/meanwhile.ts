import { addressOf, parseAddress } from "../../../schema/address.js";
import { cutName } from "../../../schema/naming.js";
import type { Table } from "../../../schema/types.js";
import { keptColumnsByTrigger } from "../../shared/kept-by-triggers.js";
import type { KeptColumns, KeyPart } from "../../shared/kept.js";
import type { Block } from "../../shared/render-plan.js";
import { attic } from "../attic.js";
import { dollarQuoted, FILLER, NAME_LIMIT, quote, quoteBeside, quoteList, quoteTable } from "../names.js";
import type { Steps } from "./steps.js";

/** A function of ours that is there while a run goes on. @param does in a word */
export function ourFunction(does: "fill" | "turn" | "keep", table: string, column?: string): string {
  // `a.b_c` is another column than `a_b.c`.
  const of = [parseAddress(table).name, column].filter(each => each !== undefined);
  return cutName(`emberset_${does}_${of.join(".")}`, NAME_LIMIT);
}

/** The trigger of such a function, the last of all that may change a row before it is written. */
function triggerOf(name: string): string {
  return cutName(`${FILLER}${name.replace("emberset_", "")}`, NAME_LIMIT);
}

interface OurTrigger {
  readonly table: Table;
  readonly name: string;
  readonly when: string;
  /** What the function runs with. */
  readonly means?: readonly string[];
  /** Of its body. */
  readonly lines: readonly string[];
}

/** A function and its trigger: https://www.postgresql.org/docs/15/plpgsql-trigger.html */
export function triggerSql({ table, name, when, means = [], lines }: OurTrigger): string[] {
  const body = `\nBEGIN\n${lines.map(line => `  ${line}\n`).join("")}END `;
  const called = `${quoteBeside(table, name)}()`;
  return [
    [
      `CREATE FUNCTION ${called} RETURNS trigger LANGUAGE plpgsql`,
      ...(means.length > 0 ? [`  ${means.join(" ")}`] : []),
      `AS ${dollarQuoted(body, "does")}`,
    ].join("\n"),
    `CREATE TRIGGER ${quote(triggerOf(name))} ${when} ON ${quoteTable(addressOf(table))} FOR EACH ROW EXECUTE FUNCTION ${called}`,
  ];
}

/** What the attic has of each row of a table is what the row holds, from now on. */
interface Mirrored {
  readonly table: Table;
  readonly name: string;
  /** The address in the attic. */
  readonly room: string;
  readonly key: readonly KeyPart[];
  /** What is kept, as it is called in the attic, and of which column. */
  readonly values: readonly (readonly [as: string, of: string])[];
  /** The condition on a row that is kept, of NEW; absent: all are. */
  readonly only?: string;
}

/** The trigger for that; whoever writes need have no rights in the attic. */
export function mirrorSql({ table, name, room, key, values, only }: Mirrored): string[] {
  const place = attic.table(room);
  const old = key.map(each => `${quote(each.was)} = OLD.${quote(each.now)}`).join(" AND ");
  const moved = key.map(({ now }) => `OLD.${quote(now)} IS DISTINCT FROM NEW.${quote(now)}`);
  const goes = only === undefined ? moved : [...moved, `(${only}) IS NOT TRUE`];
  const columns = [...key.map(({ was, now }) => [was, now] as const), ...values];
  const set = values.map(([as]) => `${quote(as)} = EXCLUDED.${quote(as)}`).join(", ");
  return [
    `CREATE UNIQUE INDEX ON ${place} (${quoteList(key.map(({ was }) => was))})`,
    ...triggerSql({
      ...{ table, name, when: "AFTER INSERT OR UPDATE OR DELETE" },
      means: ["SECURITY DEFINER", "SET search_path FROM CURRENT"],
      lines: [
        `IF TG_OP = 'DELETE' OR TG_OP = 'UPDATE' AND (${goes.join(" OR ")}) THEN`,
        `  DELETE FROM ${place} WHERE ${old};`,
        "END IF;",
        `IF TG_OP <> 'DELETE'${only === undefined ? "" : ` AND ${only}`} THEN`,
        `  INSERT INTO ${place} (${quoteList(columns.map(([as]) => as))})`,
        `    VALUES (${columns.map(([, of]) => `NEW.${quote(of)}`).join(", ")})`,
        `    ON CONFLICT (${quoteList(key.map(({ was }) => was))}) DO UPDATE SET ${set};`,
        "END IF;",
        "RETURN NULL;",
      ],
    }),
  ];
}

/** Before columns go: the attic has what each row holds in them, and has what is written meanwhile as well. */
export function mirrorColumns({ plan, was }: Steps): Block[] {
  return keptColumnsByTrigger(plan, attic).map(kept => {
    const table = was(addressOf(kept.table));
    const address = addressOf(table);
    const [place, list] = [
      attic.table(kept.address),
      quoteList([...kept.key, ...kept.columns].map(each => ("was" in each ? each.was : each.name))),
    ];
    const key = kept.key.map(({ was: name }) => ({ was: name, now: name }));
    return {
      title: `keep ${kept.columns.map(({ name }) => `${address}.${name}`).join(", ")} in the attic, and what is written meanwhile`,
      statements: [
        `CREATE TABLE ${place} AS SELECT ${list} FROM ${quoteTable(address)} LIMIT 0`,
        ...mirrorSql({
          ...{ table, name: mirrorOf(kept), room: kept.address, key },
          values: kept.columns.map(({ name }) => [name, name]),
        }),
        `INSERT INTO ${place} (${list}) SELECT ${list} FROM ${quoteTable(address)} ON CONFLICT DO NOTHING`,
      ],
    };
  });
}

function mirrorOf({ table }: KeptColumns): string {
  return ourFunction("keep", addressOf(table));
}

/** With the columns: what kept them. @param table by its address at the start */
export function mirrorsEndSql({ plan, was }: Steps, table: string): string[] {
  return keptColumnsByTrigger(plan, attic)
    .filter(kept => addressOf(kept.table) === table)
    .map(kept => `DROP FUNCTION ${quoteBeside(was(table), mirrorOf(kept))}() CASCADE`);
}

import type { CommandModule } from "yargs";
import { RISK_LEVELS, type RiskLevel } from "../../core/change/risk.js";
import type { Probe } from "../../core/plan/probe.js";
import { groupBy } from "../../core/lists.js";
import { equal } from "../../core/schema/canonical.js";
import { sayRows } from "../../core/plan/say-rows.js";
import type { ComparedChange, CompareResult } from "../../tasks/compare.js";
import type { CostReport } from "../../tasks/costs.js";
import { sayAbout, sayWaiting, sayWork } from "./say-costs.js";
import { columns, count } from "../terminal/layout.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import { atEverySave, WATCH } from "../terminal/watch.js";
import type { Colours } from "../words/colours.js";

interface Args extends GlobalArgs {
  watch?: boolean | undefined;
  from?: string | undefined;
  to?: string | undefined;
  target?: string | undefined;
  strict?: boolean | undefined;
}

/** `emberset compare` */
export function compareCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "compare",
    describe: "What differs between two points, and how risky it is",
    builder: yargs =>
      yargs
        .option("from", {
          type: "string",
          describe: "models, history, empty, a number, or target:NAME; history when left out",
          requiresArg: true,
        })
        .option("to", { type: "string", describe: "The same; models when left out", requiresArg: true })
        .option("target", {
          type: "string",
          describe: "The database whose rows are counted; home when left out",
          requiresArg: true,
        })
        .option("strict", { type: "boolean", describe: "Exit with 1 when something differs" })
        .option("watch", WATCH)
        .example("$0 compare", "What the models have and the migrations do not")
        .example("$0 compare --from target:live --to models", "What a live database lacks")
        .example("$0 compare --from 0002 --to history", "What came after migration 0002"),
    handler: async args => {
      if (args.watch) return atEverySave(args, session);
      const { from, to, target } = args;
      const { compare } = await import("../../tasks/compare.js");
      const result = await compare({ ...session.taskOptions(args), from, to, target });
      session.result(result, shown => render(shown, session));
      if (args.strict && result.changes.length > 0) session.exitStatus = 1;
    },
  };
}

function render({ from, to, changes, counts, rows, costs }: CompareResult, { colours }: Session): string {
  if (changes.length === 0) return `${colours.green("✓")} ${from} → ${to}: no difference`;
  const found = (rows?.found ?? []).map(({ question, count: number, meaning, examples, query }) => {
    const sight = query === undefined ? {} : { sight: { sql: query, key: [], values: [] } };
    const [first = "", ...rest] = sayRows({ question, count: number, examples, ...sight }).split("\n");
    return [`  ${first}${fateOfRows(meaning, colours)}`, ...rest.map(line => colours.gray(`  ${line}`))].join(
      "\n",
    );
  });
  const next =
    from === "history" && to === "models" ? ["", colours.gray('Next: emberset draft "what it does"')] : [];
  return [
    `${from} → ${to}`,
    "",
    renderChanges(changes, colours),
    "",
    `${count(changes.length, "change")}: ${RISK_LEVELS.map(level => `${counts[level]} ${colourRisk(level, colours)}`).join(" · ")}`,
    ...(rows
      ? [
          "",
          found.length > 0
            ? `Rows of target ${rows.target}:`
            : `No row of target ${rows.target} is in the way, none would go.`,
        ]
      : []),
    ...found,
    ...(costs ? renderCosts(costs, colours) : []),
    ...next,
  ].join("\n");
}

/** What takes as long as tables have rows, where they have some. */
function renderCosts({ dialect, together, tables, advice }: CostReport, colours: Colours): string[] {
  if (tables.length === 0) return [];
  const rows = tables.map(cost => [
    cost.table,
    sayWork(cost),
    cost.waits === "everyone" ? colours.yellow(sayWaiting(cost)) : sayWaiting(cost),
    sayAbout(cost),
  ]);
  const whole = together ? "; all that is locked stays so to the end" : "";
  return [
    "",
    `What takes long where there are many rows, on ${dialect}${whole}:`,
    columns(["table", "its rows are", "meanwhile", "about"], rows, colours),
    ...advice.map(({ code, what, remedy }) =>
      colours.yellow(`${code}  ${what}; ${code === "A336" ? "emberset draft --online" : remedy}`),
    ),
  ];
}

/** Changes with their risks, table by table; first what loses something or what rows may refuse. */
export function renderChanges(changes: readonly ComparedChange[], colours: Colours): string {
  const worst = (list: readonly ComparedChange[]) =>
    Math.max(...list.map(({ risk }) => RISK_LEVELS.indexOf(risk)));
  const tables = groupBy(changes, ({ table = "" }) => table);
  const ordered = [...tables].sort(([, a], [, b]) => worst(b) - worst(a));
  const rows = ordered.flatMap(([table, own]) => {
    const sorted = together(
      [...own].sort((a, b) => RISK_LEVELS.indexOf(b.risk) - RISK_LEVELS.indexOf(a.risk)),
    );
    const cells = ({ detail, risk, reason }: ComparedChange, words: string) => [
      `${SIGNS[risk]} ${words}`,
      detail,
      colourRisk(risk, colours) + (reason === undefined ? "" : colours.gray(` (${reason})`)),
    ];
    // A table that comes or goes as a whole needs no heading.
    const [only] = sorted;
    if (sorted.length === 1 && /^(?:add|drop) table$/.test(only!.change.kind))
      return [cells(only!, only!.words)];
    return [
      [colours.bold(table === "" ? "beside the tables" : table), "", ""],
      ...sorted.map(each => cells(each, each.within).map((text, at) => (at === 0 ? `  ${text}` : text))),
    ];
  });
  return columns(["change", "detail", "risk"], rows, colours);
}

/** Columns that are altered alike, as where a role may do something with many of them, in one line. */
function together(changes: readonly ComparedChange[]): ComparedChange[] {
  const alike = groupBy(changes, ({ change, detail, risk }) =>
    change.kind === "alter column" && equal(change.before.type, change.after.type)
      ? JSON.stringify([detail, risk])
      : change,
  );
  return [...alike.values()]
    .map(group => {
      const [first] = group;
      if (group.length < MANY) return group;
      const names = group.map(({ change }) => (change.kind === "alter column" ? change.after.name : ""));
      return [{ ...first!, within: `alter columns ${names.join(", ")}` }];
    })
    .flat();
}

/** From here on they stand in one line. */
const MANY = 3;

/** No colour alone says it. */
const SIGNS = { safe: "·", kept: "▹", "rows may refuse": "!", "loses data": "✗" } as const satisfies Record<
  RiskLevel,
  string
>;

function fateOfRows(meaning: Probe["meaning"], colours: Colours): string {
  if (meaning === "refuses") return colours.yellow("  in the way");
  return meaning === "keeps" ? "  would go into the attic" : colours.red("  would go");
}

function colourRisk(level: RiskLevel, colours: Colours): string {
  if (level === "safe") return colours.green(level);
  return level === "loses data" ? colours.red(level) : colours.yellow(level);
}

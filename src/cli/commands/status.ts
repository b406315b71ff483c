import type { CommandModule } from "yargs";
import { sayFilled } from "../../core/problems.js";
import type { RecoverResult } from "../../tasks/recover.js";
import type { StatusResult, TargetStatus } from "../../tasks/status.js";
import { columns, count } from "../terminal/layout.js";
import { withoutPasswords } from "../words/plain.js";
import { showPlace } from "../words/problem-text.js";
import type { GlobalArgs, Session } from "../terminal/session.js";
import type { Colours } from "../words/colours.js";

interface Args extends GlobalArgs {
  target?: string | undefined;
  strict?: boolean | undefined;
  recover?: boolean | undefined;
}

/** `emberset status` */
export function statusCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "status",
    describe: "Per target: what ran, what is pending, edited, missing or drifted",
    builder: yargs =>
      yargs
        .option("target", { type: "string", describe: "One target; all when left out", requiresArg: true })
        .option("strict", {
          type: "boolean",
          describe: "Exit with 1 when anything is pending, edited, missing or drifted",
        })
        .option("recover", {
          type: "boolean",
          describe: "Write migrations that ran there and are missing here, from what the database keeps",
        })
        .example("$0 status --strict", "In CI: fail when a migration was not run"),
    handler: async args => {
      if (args.recover) {
        const { recover } = await import("../../tasks/recover.js");
        const result = await recover({ ...session.taskOptions(args), target: args.target });
        session.result(result, shown => renderRecovered(shown));
        return;
      }
      const { status } = await import("../../tasks/status.js");
      const result = await status({ ...session.taskOptions(args), target: args.target });
      session.result(result, shown => render(shown, session));
      if (result.targets.some(({ problem }) => problem)) session.exitStatus = 4;
      else if (args.strict && result.targets.some(isUnsettled)) session.exitStatus = 1;
    },
  };
}

function renderRecovered({ target, recovered }: RecoverResult): string {
  if (recovered.length === 0) return `Nothing that ran on ${target} is missing here.`;
  return [
    "Written, from what the database keeps:",
    ...recovered.flatMap(({ files }) => files.map(file => `  ${file}`)),
  ].join("\n");
}

function isUnsettled({ migrations, drift, problem, stopped }: TargetStatus): boolean {
  return (
    stopped !== undefined ||
    problem !== undefined ||
    migrations.some(({ state }) => state !== "run") ||
    (drift?.length ?? 0) > 0
  );
}

function render({ targets }: StatusResult, { colours }: Session): string {
  const lists = new Set(targets.flatMap(({ list }) => list ?? []));
  return [
    ...targets.filter(({ list }) => list === undefined).map(target => renderTarget(target, colours)),
    ...[...lists].map(name =>
      renderList(
        name,
        targets.filter(({ list }) => list === name),
        colours,
      ),
    ),
    ...nextSteps(targets).map(step => colours.gray(`Next: ${step}`)),
  ].join("\n\n");
}

/** What to look at; nothing where a target says by itself what is to be done about it. */
function nextSteps(targets: readonly TargetStatus[]): string[] {
  const isSettled = ({ state }: { readonly state: string }) => state === "run" || state === "pending";
  const isClear = ({ problem, stopped, running, migrations }: TargetStatus) =>
    !problem && !stopped && !running && migrations.every(isSettled);
  if (!targets.every(isClear)) return [];
  const of = ({ home, list, target }: TargetStatus) => (home ? "" : ` --target ${list ?? target}`);
  const drifted = targets.find(({ drift = [] }) => drift.length > 0);
  if (drifted) return drifted.list ? [] : [`emberset describe --beside history${of(drifted)}`];
  const pending = targets.find(({ migrations }) => migrations.some(({ state }) => state === "pending"));
  if (pending) return [`emberset forward --show${of(pending)}, then emberset forward${of(pending)}`];
  const run = targets.find(({ migrations, list }) => migrations.length > 0 && list === undefined);
  return run ? [`emberset describe${of(run)}`] : [];
}

/** Many databases, those that are alike in one line. */
function renderList(list: string, targets: readonly TargetStatus[], colours: Colours): string {
  const [{ dialect, home, guarded } = {}] = targets;
  const marks = [home && "home", guarded && "guarded"].filter(Boolean).join(", ");
  const groups = new Map<string, string[]>();
  for (const target of targets) {
    const state = sayState(target, colours);
    groups.set(state, [...(groups.get(state) ?? []), target.target.slice(list.length + 1)]);
  }
  const rows = [...groups]
    .sort(([, a], [, b]) => b.length - a.length)
    .map(([state, names]) => [String(names.length), state, fewOf(names)]);
  return [
    `${colours.bold(list)}${marks && ` (${marks})`} · ${dialect} · ${count(targets.length, "database")}`,
    columns(["how many", "state", "which"], rows, colours),
  ].join("\n");
}

function fewOf(names: readonly string[]): string {
  return names.length > 6 ? `${names.slice(0, 5).join(", ")}, …` : names.join(", ");
}

/** The state of one of many, in a line. */
function sayState(target: TargetStatus, colours: Colours): string {
  const { problem, migrations, stopped, running, exists } = target;
  if (problem)
    return colours.red(
      `${problem.code} ${withoutPasswords(problem.what).replaceAll(target.target, "(each)")}`,
    );
  if (running) return colours.yellow(`a run is going on${sayFilled(target.filled)}`);
  if (stopped)
    return colours.red(
      `stopped in ${stopped.migration}, statement ${stopped.next} of ${stopped.of}${sayFilled(stopped.rows)}`,
    );
  const first = migrations.find(({ state }) => state === "pending");
  const odd = migrations.filter(({ state }) => state !== "run" && state !== "pending");
  const parts = [
    summary(target),
    ...(exists ? [] : ["not there yet"]),
    ...(first ? [`${first.name} is next`] : []),
    ...odd.map(({ name, state }) => `${name} ${state}`),
  ];
  return parts.join(" · ");
}

function renderTarget(target: TargetStatus, colours: Colours): string {
  const { target: name, dialect, place, home, guarded, exists, migrations, drift = [] } = target;
  const marks = [home && "home", guarded && "guarded"].filter(Boolean).join(", ");
  const head = `${colours.bold(name)}${marks && ` (${marks})`} · ${dialect} · ${showPlace(place)}${exists ? "" : " · not there yet"}`;
  if (target.problem)
    return `${head}\n  ${colours.red(target.problem.code)} ${withoutPasswords(target.problem.what)}`;
  if (migrations.length === 0) return `${head}\n  no migrations yet`;
  const rows = migrations.map(({ name: migration, state, ranAt, tookMs }) => [
    migration,
    renderState(state, colours),
    ranAt === undefined ? "" : `${ranAt.slice(0, 16).replace("T", " ")} UTC, ${tookMs} ms`,
  ]);
  return [
    head,
    columns(["migration", "state", "ran"], rows, colours),
    ...(drift.length > 0
      ? [colours.red(`  drift, the database differs from its migrations in ${count(drift.length, "thing")}:`)]
      : []),
    ...drift.map(line => `    ${line}`),
    ...besideLines(target, colours),
    ...doubledLines(migrations, colours),
    ...stoppedLines(target, colours),
    `  ${summary(target)}`,
  ].join("\n");
}

/** The first few names. */
function besideLines({ beside = [] }: TargetStatus, colours: Colours): string[] {
  if (beside.length === 0) return [];
  const names = beside.length > 5 ? [...beside.slice(0, 5), "…"] : beside;
  return [
    colours.gray(
      `  beside them, made by no migration: ${names.join(", ")} (emberset adopt --drift takes them in)`,
    ),
  ];
}

/** What to do where two have one number. */
function doubledLines(migrations: TargetStatus["migrations"], colours: Colours): string[] {
  const doubled = migrations.filter(({ state }) => state === "doubled");
  if (doubled.length === 0) return [];
  const numbers = new Set(doubled.map(({ number }) => number));
  const ran = migrations.filter(({ number, state }) => numbers.has(number) && state !== "doubled");
  const names = (some: TargetStatus["migrations"]) => some.map(({ name }) => name).join(", ");
  return [
    colours.red(
      `  a fork: ${names(doubled)} did not run here${ran.length > 0 ? `, ${names(ran)} did` : ""};`,
    ),
    colours.red("  emberset restack puts the side that ran nowhere behind the other"),
  ];
}

/** Where a run stopped in the midst. */
function stoppedLines({ stopped, running, filled }: TargetStatus, colours: Colours): string[] {
  if (running)
    return [colours.yellow(`  a run is going on just now${sayFilled(filled)}: ask again when it is done`)];
  if (!stopped) return [];
  const { migration, direction, next, of, rows, beganAt, runBy } = stopped;
  const way = direction === "forward" ? "" : ", which was being undone,";
  return [
    colours.red(`  ${migration}${way} stopped in statement ${next} of ${of}${sayFilled(rows)}`),
    `    begun ${beganAt.slice(0, 16).replace("T", " ")} UTC by ${runBy}; emberset forward goes on from there, emberset back takes it back`,
  ];
}

function renderState(state: string, colours: Colours): string {
  if (state === "run") return colours.green(state);
  return state === "pending" ? colours.yellow(state) : colours.red(state);
}

function summary({ migrations, pending, drift }: TargetStatus): string {
  const number = (state: string) => migrations.filter(each => each.state === state).length;
  const parts = [`${number("run")} run`, `${pending} pending`];
  for (const state of ["edited", "missing", "doubled"])
    if (number(state) > 0) parts.push(`${number(state)} ${state}`);
  if (drift) parts.push(drift.length === 0 ? "no drift" : "drift");
  return parts.join(" · ");
}

import { createColors } from "picocolors";
import { messageOf, textOf } from "../../core/errors.js";
import type { Colours } from "../words/colours.js";
import { Problem, problems } from "../../core/problems.js";
import type { ManyResult, Outcome } from "../../tasks/many.js";
import type { MayLose, RanMigration, TaskEvent, TaskOptions } from "../../tasks/options.js";
import type { Questions } from "../../tasks/questions.js";
import { askTheDeveloper, askToLose } from "./ask.js";
import { mapTexts } from "../../core/map-texts.js";
import { withoutControls, withoutPasswords } from "../words/plain.js";
import { count, fitLines } from "./layout.js";
import { renderProblem, renderProblemJson } from "../words/problem-text.js";

/** The options that every command takes. */
export interface GlobalArgs {
  readonly project?: string | undefined;
  readonly json?: boolean | undefined;
  readonly yes?: boolean | undefined;
  readonly trace?: boolean | undefined;
}

type DatabaseDone = Extract<TaskEvent, { kind: "database done" }>;

/** One run of the program: where its output goes, in what form, and what status it ends with. */
export class Session {
  readonly colours: Colours;
  exitStatus = 0;
  /** The folder that was named, if any. */
  project: string | undefined;
  /** What stands behind `--`, as it was written. */
  readonly behind: readonly string[];
  private readonly json: boolean;
  private isRunning = false;
  private isInterruptible = false;
  private readonly began = performance.now();
  private readonly abort = new AbortController();

  constructor(args: readonly string[]) {
    // Known before the arguments are parsed: a mistake in them is reported in the form that was asked for.
    this.json = args.includes("--json");
    const end = args.indexOf("--");
    this.behind = end < 0 ? [] : args.slice(end + 1);
    const off =
      args.includes("--no-colour") || Boolean(process.env["NO_COLOR"]) || process.env["TERM"] === "dumb";
    this.colours = createColors(!off && (process.stdout.isTTY || Boolean(process.env["FORCE_COLOR"])));
  }

  /** The result of a command: as JSON, or as text, in which nothing steers the terminal but our own colours. */
  result<T>(value: T, text: (shown: T) => string): void {
    if (this.json) process.stdout.write(renderJson(value));
    else this.part(value, text);
  }

  /** The same of many databases; where some failed, the command ends as it would for the first of them. */
  many<R>(result: ManyResult<R>, text: (shown: ManyResult<R>) => string): void {
    const failed = result.databases.find(each => each.state === "failed");
    if (failed?.state === "failed") this.exitStatus = failed.problem.exit;
    const databases = result.databases.map(each =>
      each.state === "failed" ? { ...each, problem: renderProblemJson(each.problem) } : each,
    );
    if (this.json) process.stdout.write(renderJson({ ...result, databases }));
    else {
      if (process.stdout.isTTY) this.note("");
      this.part(result, text);
    }
  }

  /** The same of what another program is to read to the letter, unless it goes to a terminal. */
  raw<T>(value: T, text: (shown: T) => string): void {
    if (this.json) process.stdout.write(renderJson(value));
    else
      process.stdout.write(
        `${text(process.stdout.isTTY ? mapTexts(value, withoutControls) : value).trimEnd()}\n`,
      );
  }

  /** A part of the result as it comes, as text, in which nothing steers the terminal but our own colours. */
  part<T>(value: T, text: (shown: T) => string): void {
    const shown = text(mapTexts(value, withoutControls)).trimEnd();
    process.stdout.write(`${fitLines(shown, process.stdout.columns)}\n`);
  }

  /** Tells of a failure after which the command goes on. */
  tellOf(error: unknown): void {
    const before = this.exitStatus;
    this.fail(error);
    this.exitStatus = before;
  }

  /** Progress and remarks, which are never part of the result. */
  note(text: string): void {
    process.stderr.write(`${text}\n`);
  }

  /** On stderr: for whom is waited; at a terminal, a line that says which migration is running, and is wiped when it is done. */
  private tell(event: TaskEvent): void {
    switch (event.kind) {
      case "opening":
        if (event.onServer) this.interruptible();
        return;
      case "statement":
        this.note(
          this.colours.gray(`${event.tookMs.toFixed(1).padStart(8)} ms  ${withoutControls(event.sql)}`),
        );
        return;
      case "waiting":
        this.stopProgress();
        this.note(`waiting for another run to end: ${withoutControls(event.whom)}`);
        return;
      case "database done":
        this.note(this.sayDone(event));
        return;
      case "rows":
        // What takes less than a second needs no telling.
        if (!process.stderr.isTTY || performance.now() - this.began < 1000) return;
        // Of many, only whole databases are told.
        if (event.target.includes("/")) return;
        this.stopProgress();
        process.stderr.write(
          this.colours.gray(
            `… ${withoutControls(event.table)} ${event.done.toLocaleString("en")} of ${count(event.of, "row")}`,
          ),
        );
        this.isRunning = true;
        return;
      case "migration begins":
        // Of many, only whole databases are told.
        if (!process.stderr.isTTY || event.target.includes("/")) return;
        process.stderr.write(this.colours.gray(`… ${withoutControls(event.name)}`));
        this.isRunning = true;
        return;
      case "migration done":
        this.stopProgress();
        return;
    }
  }

  /**
   * What ends the program ends what a server is at, too, which would go on without us and keep its locks; a second time it
   * ends at once. A file's transaction ends with the process.
   */
  private interruptible(): void {
    if (this.isInterruptible) return;
    this.isInterruptible = true;
    const stop = (signal: NodeJS.Signals) => {
      // First of all: whoever reads what is written may be gone.
      this.abort.abort();
      this.stopProgress();
      this.note(`${signal}: ending what the server is at; once more ends at once`);
    };
    for (const signal of ["SIGINT", "SIGTERM"] as const) process.once(signal, stop);
  }

  private stopProgress(): void {
    if (this.isRunning) process.stderr.write("\r\u001b[K");
    this.isRunning = false;
  }

  fail(error: unknown): void {
    this.stopProgress();
    const problem = error instanceof Problem ? error : faultOf(error);
    this.exitStatus = problem.exit;
    if (this.json) process.stdout.write(renderJson({ error: renderProblemJson(problem) }));
    else process.stderr.write(`${fitLines(renderProblem(problem, this.colours), process.stderr.columns)}\n`);
  }

  /** `  12/500 ✓ tenants/acme  2 migrations, 34 ms` */
  private sayDone({ done, of, outcome }: DatabaseDone): string {
    const { target, ...came } = outcome as Outcome<{ readonly ran?: readonly RanMigration[] }>;
    const at = `${String(done).padStart(String(of).length)}/${of}`;
    if (came.state === "failed") {
      const { code, words } = came.problem;
      return this.colours.red(`${at} ✗ ${target}  ${code} ${withoutPasswords(withoutControls(words.what))}`);
    }
    const ran = came.state === "done" ? (came.result.ran?.length ?? 0) : 0;
    const time = came.state === "done" ? `, ${Math.max(1, Math.round(came.tookMs))} ms` : "";
    return `${at} ${this.colours.green("✓")} ${withoutControls(target)}  ${this.colours.gray(`${count(ran, "migration")}${time}`)}`;
  }

  /** The options that tasks share. */
  taskOptions({
    project,
    trace: statements,
  }: GlobalArgs): Pick<TaskOptions, "project" | "onEvent" | "statements" | "signal"> {
    this.project = project;
    return { project, statements, signal: this.abort.signal, onEvent: event => this.tell(event) };
  }

  /** What the developer can be asked: nothing without a terminal, or when all is to be answered with yes. */
  questions({ yes }: { yes?: boolean | undefined }): Questions | undefined {
    return yes || !this.canAsk() ? undefined : askTheDeveloper;
  }

  /** Whether there is a terminal to ask at. */
  canAsk(): boolean {
    return !this.json && process.stdin.isTTY && process.stderr.isTTY;
  }

  /** Whether rows may go: as the options say, else asked at a terminal, else no. */
  mayLose({ yes, confirm }: { yes?: boolean | undefined; confirm?: string | undefined }): MayLose {
    return async (losses, target) => {
      if (target.guarded ? confirm === target.name : yes) return true;
      if (target.many || !this.canAsk()) return false;
      return askToLose(losses.map(withoutControls), target);
    };
  }
}

/** Laid out for people at a terminal; for another program on one line, which takes half the time and room. */
function renderJson(value: unknown): string {
  const text = JSON.stringify(value, undefined, process.stdout.isTTY ? 2 : undefined);
  // JSON lets those stand that some terminals obey.
  return `${text.replace(/[\x7f-\x9f]/g, each => `\\u00${each.charCodeAt(0).toString(16)}`)}\n`;
}

/** What the file system refuses is nobody's fault here; all else is. */
function faultOf(error: unknown): Problem {
  const file = textOf(error, "path");
  const reason = FILE_REASONS[textOf(error, "code")];
  if (file !== "" && reason !== undefined) return problems.noAccess({ file, reason }, error);
  return problems.fault({ reason: messageOf(error) }, error);
}

/** https://nodejs.org/api/errors.html#common-system-errors */
const FILE_REASONS: Readonly<Record<string, string>> = {
  EACCES: "you have no right to it",
  EPERM: "the system does not let you",
  EROFS: "its file system may only be read",
  ENOSPC: "there is no room left",
  ENOTDIR: "a file stands where a folder must be",
  EISDIR: "a folder stands where a file must be",
  EEXIST: "there is one of that name already",
  ENOENT: "it is not there",
  ELOOP: "it is a link that leads back to itself",
  ENAMETOOLONG: "its name is too long",
};

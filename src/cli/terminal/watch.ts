import type { ChildProcess } from "node:child_process";
import { existsSync, watch } from "node:fs";
import { basename, dirname } from "node:path";
import { setTimeout as wait } from "node:timers/promises";
import { loadSettings, CONFIG_FILE } from "../../project/load-settings.js";
import { modelsFolder, objectsFolder } from "../../project/settings.js";
import { AHEAD } from "./ahead.js";
import { withoutControls } from "../words/plain.js";
import type { GlobalArgs, Session } from "./session.js";

/** The option of commands that can be run at every save. */
export const WATCH = {
  type: "boolean",
  describe: "Again at every save of a model, an object or the config",
} as const;

/** Editors write a file in several steps: what is saved within so many milliseconds is one save. */
const STEPS = 60;

/**
 * Runs the same command now and again whenever a model or the config is saved, each time in a process of its own, until it is
 * ended.
 */
export async function atEverySave({ project = "." }: GlobalArgs, session: Session): Promise<never> {
  const settings = await loadSettings(project);
  let saved: string | undefined = "";
  let next = await ahead();
  let wake: (() => void) | undefined;
  const notice = (file: string) => {
    if (!/\.(?:[cm]?tsx?|sql)$/.test(file)) return;
    saved = file;
    wake?.();
  };
  watch(modelsFolder(settings), { recursive: true }, (_, file) => notice(file ?? ".ts"));
  const objects = objectsFolder(settings);
  if (existsSync(objects)) watch(objects, { recursive: true }, (_, file) => notice(file ?? ".sql"));
  watch(settings.folder, (_, file) => file === CONFIG_FILE && notice(file));
  for (;;) {
    if (saved === undefined) await new Promise<void>(resolve => (wake = resolve));
    await wait(STEPS);
    const file = saved;
    saved = undefined;
    if (process.stdout.isTTY) process.stdout.write("\u001b[2J\u001b[3J\u001b[H");
    const when = new Date().toTimeString().slice(0, 8);
    session.note(
      session.colours.gray(
        file === ""
          ? `${when} watching ${basename(dirname(modelsFolder(settings)))}/${basename(modelsFolder(settings))}, Ctrl-C ends`
          : `${when} ${withoutControls(file ?? "")} was saved`,
      ),
    );
    await called(next);
    next = await ahead();
  }
}

/** The next run, loaded as far as it can be before anything is saved: that takes as long as the rest of it. */
async function ahead(): Promise<ChildProcess> {
  const { spawn } = await import("node:child_process");
  const args = process.argv.slice(1).filter(each => each !== "--watch");
  const env = { ...process.env, [AHEAD]: "yes" };
  return spawn(process.execPath, args, { stdio: ["inherit", "inherit", "inherit", "ipc"], env });
}

async function called(next: ChildProcess): Promise<void> {
  // One that waited may have come to an end, as when the program was installed anew.
  const child = next.connected ? next : await ahead();
  return new Promise(resolve => {
    child.once("close", () => resolve());
    child.send("saved", () => undefined);
  });
}

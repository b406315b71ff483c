import { existsSync } from "node:fs";
import { hostname } from "node:os";
import { relative, resolve } from "node:path";
import { pathToFileURL } from "node:url";
import { createSupportsHyperlinks } from "supports-hyperlinks";

/** A path as seen from the current folder, unless that only makes it longer. */
export function showPath(file: string): string {
  const near = relative(".", file);
  return near !== "" && near.length < file.length ? near : file;
}

/** A file, and a line of it, as seen from the current folder; a link to it where the terminal takes one. */
export function showFile(file: string, line?: number, on: "stdout" | "stderr" = "stdout"): string {
  const shown = `${showPath(file)}${line === undefined ? "" : `:${line}`}`;
  return takesLinks(on) ? linked(shown, file, line) : shown;
}

/** Files as they are called within a project, a line each. @param project the folder that was named, if any */
export function listFiles(files: readonly string[], project = "."): string[] {
  return files.map(file => {
    const path = resolve(project, file);
    return `  ${takesLinks("stdout") && existsSync(path) ? linked(file, path) : file}`;
  });
}

/** Asked of a library only where there may be any: to load it takes as long as to print what a command has to say. */
function takesLinks(on: "stdout" | "stderr"): boolean {
  if (!process[on].isTTY && process.env["FORCE_HYPERLINK"] === undefined) return false;
  return createSupportsHyperlinks(process[on]);
}

function linked(shown: string, file: string, line?: number): string {
  const url = pathToFileURL(resolve(file));
  url.host = hostname();
  if (line !== undefined) url.hash = String(line);
  return `${OPEN}${url.href}${END}${shown}${OPEN}${END}`;
}

/** A link at a terminal: ECMA-48's command for the operating system, number 8, its parameters empty, then the URL. */
const OPEN = "\u001b]8;;";
const END = "\u001b\\";

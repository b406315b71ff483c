import { tokenize } from "../../core/sql/tokens.js";
import type { Colours } from "./colours.js";

/** A script as it is read at a terminal: words of SQL, texts and remarks each in a colour. To the letter the same without them. */
export function colourSql(sql: string, colours: Colours): string {
  // What goes to another program is to be read by it, whatever the environment says of colours.
  if (!colours.isColorSupported || !process.stdout.isTTY) return sql;
  return tokenize(sql)
    .map(({ kind, text }) => {
      if (kind === "comment") return eachLine(text, colours.gray);
      if (kind === "string") return eachLine(text, colours.green);
      if (kind === "number") return colours.yellow(text);
      return kind === "word" && text === text.toUpperCase() ? colours.cyan(text) : text;
    })
    .join("");
}

/** A colour that goes on over lines is lost where a pager shows a part of them. */
function eachLine(text: string, colour: (line: string) => string): string {
  return text
    .split("\n")
    .map(line => (line === "" ? line : colour(line)))
    .join("\n");
}

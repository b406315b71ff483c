export interface PromptOptions {
  /** Names that Tab completes. */
  readonly names: readonly string[];
  /** Takes what was written, up to a semicolon or an empty line. */
  readonly onText: (text: string) => Promise<void>;
}

const WORDS =
  "select from where group by order having join left on and or not in is null like between limit count sum avg min max distinct as insert into values update set delete with case when then else end union exists".split(
    " ",
  );

/** Asks for SQL again and again, with a history (arrow keys) and completion (Tab), until Ctrl-D or `exit`. */
export async function promptForSql({ names, onText }: PromptOptions): Promise<void> {
  const known = [...new Set([...names, ...WORDS])];
  const { createInterface } = await import("node:readline");
  const lines = createInterface({
    input: process.stdin,
    output: process.stderr,
    prompt: "sql> ",
    historySize: 500,
    completer: (line: string): [string[], string] => {
      const [word = ""] = /[\p{L}\p{N}_]*$/u.exec(line) ?? [];
      return [
        word === "" ? [] : known.filter(each => each.toLowerCase().startsWith(word.toLowerCase())),
        word,
      ];
    },
  });
  let text = "";
  lines.prompt();
  for await (const line of lines) {
    if (text === "" && /^(?:exit|quit|\\q)\s*;?$/i.test(line.trim())) break;
    text += `${line}\n`;
    if (text.trim() !== "" && (/;\s*$/.test(text) || line.trim() === "")) {
      const whole = text;
      text = "";
      await onText(whole);
    }
    lines.setPrompt(text.trim() === "" ? "sql> " : "  -> ");
    lines.prompt();
  }
  lines.close();
}

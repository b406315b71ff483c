/** Asks at the terminal whether rows may go; a guarded target wants its name typed. */
export async function askToLose(
  losses: readonly string[],
  { name, guarded }: { name: string; guarded: boolean },
): Promise<boolean> {
  const { default: confirm } = await import("@inquirer/confirm");
  const { default: input } = await import("@inquirer/input");
  const context = { output: process.stderr };
  process.stderr.write(`This would take away from ${name}:\n${losses.map(loss => `  ${loss}`).join("\n")}\n`);
  try {
    if (!guarded) return await confirm({ message: "May they go?", default: false }, context);
    return (
      (await input(
        { message: `The target is guarded. Type its name (${name}) if they may go:` },
        context,
      )) === name
    );
  } catch {
    // The question was broken off: that is a no.
    return false;
  }
}

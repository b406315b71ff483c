import type { Argv } from "yargs";

/** The options that say what models do not tell. */
export interface SayingArgs {
  rename?: string[] | undefined;
  fill?: string[] | undefined;
}

/** The options that say what was called otherwise, and what rows that exist get. */
export function sayingOptions<T>(yargs: Argv<T>): Argv<T & SayingArgs> {
  return yargs
    .option("rename", {
      type: "string",
      array: true,
      requiresArg: true,
      describe: "What was called otherwise: old=new, or table.old=table.new",
    })
    .option("fill", {
      type: "string",
      array: true,
      requiresArg: true,
      describe: "What rows that exist get in a column that will be required: table.column=value",
    }) as Argv<T & SayingArgs>;
}

import type { CommandModule } from "yargs";
import type { RestackResult } from "../../tasks/restack.js";
import { renderChanges } from "./compare.js";
import type { GlobalArgs, Session } from "../terminal/session.js";

interface Args extends GlobalArgs {
  behind?: string | undefined;
}

/** `emberset restack` */
export function restackCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "restack",
    describe: "Put the two sides of a fork, as after a merge, in one order",
    builder: yargs =>
      yargs
        .option("behind", {
          type: "string",
          describe: "The migration that goes behind the other; one that ran nowhere when left out",
          requiresArg: true,
        })
        .example("$0 restack", "The side that ran nowhere goes behind the other")
        .example("$0 restack --behind 0007-add-notes", "Say which, where neither ran"),
    handler: async args => {
      const { restack } = await import("../../tasks/restack.js");
      const result = await restack({ ...session.taskOptions(args), behind: args.behind });
      session.result(result, shown => render(shown, session));
    },
  };
}

function render({ first, ranOn, moved }: RestackResult, { colours }: Session): string {
  const ran = ranOn.length > 0 ? ` (ran on ${ranOn.join(", ")})` : "";
  const stays = first.length === 1 ? "stays; behind it:" : "stay; behind them:";
  return [
    `${first.join(", ")}${ran} ${stays}`,
    ...moved.flatMap(({ was, name, changes, byHand }) => [
      "",
      name === undefined
        ? `${was} is gone: all that it did is done before it`
        : `${was} → ${colours.bold(name)}`,
      ...(changes.length > 0 ? [renderChanges(changes, colours)] : []),
      ...byHand.map(file => colours.yellow(`  written by hand, kept at its end: ${file}`)),
    ]),
    "",
    colours.gray("Next: read the scripts, then emberset rehearse and emberset forward"),
  ].join("\n");
}

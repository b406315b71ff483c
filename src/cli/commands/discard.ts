import type { CommandModule } from "yargs";
import type { GlobalArgs, Session } from "../terminal/session.js";

/** `emberset discard` */
export function discardCommand(session: Session): CommandModule<object, GlobalArgs> {
  return {
    command: "discard",
    describe: "Take back the newest draft, where it ran nowhere",
    builder: yargs =>
      yargs
        .example("$0 discard", "The folder goes; the models stay as they are")
        .example("$0 discard --yes", "What was written into its scripts by hand goes, too"),
    handler: async args => {
      const { discard } = await import("../../tasks/discard.js");
      const result = await discard({ ...session.taskOptions(args), byHand: args.yes });
      session.result(result, ({ removed }) =>
        [
          `Removed: ${removed}`,
          "",
          session.colours.gray("Next: correct the models, then emberset draft"),
        ].join("\n"),
      );
    },
  };
}

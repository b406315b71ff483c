import type { CommandModule } from "yargs";
import type { SketchResult } from "../../tasks/sketch.js";
import type { GlobalArgs, Session } from "../terminal/session.js";

interface Args extends GlobalArgs {
  entity?: string | undefined;
  phrase?: string[] | undefined;
  outline?: string | undefined;
}

/** `emberset sketch` */
export function sketchCommand(session: Session): CommandModule<object, Args> {
  return {
    command: "sketch [entity] [phrase..]",
    describe: "Write a model class from phrases in SQL's own words, or many from a spreadsheet",
    builder: yargs =>
      yargs
        .positional("entity", { type: "string", describe: "The class, such as Piece" })
        .positional("phrase", {
          type: "string",
          array: true,
          describe: "A field each: a name, a type, and what a column of a CREATE TABLE may say",
        })
        .option("outline", {
          type: "string",
          requiresArg: true,
          conflicts: "entity",
          describe: "A CSV file with the columns table, field, type, refers to, note",
        })
        .example(
          '$0 sketch Piece "title varchar(80) unique" "potter references Potter on delete cascade"',
          "Writes models/piece.ts, and the other end into models/potter.ts",
        )
        .example("$0 sketch --outline tables.csv", "A class for each table of a spreadsheet"),
    handler: async args => {
      const { sketch } = await import("../../tasks/sketch.js");
      const { entity, phrase: phrases, outline } = args;
      const result = await sketch({ ...session.taskOptions(args), entity, phrases, outline });
      session.result(result, shown => render(shown, session));
    },
  };
}

function render({ entities, written }: SketchResult, { colours }: Session): string {
  const blocks = entities.map(({ entity, file, isNew, added, kept, remarks }) =>
    [
      `${colours.bold(entity)} · ${file}${isNew ? "" : ", which was there"}`,
      ...(added.length > 0 ? [`  ${colours.green("+")} ${added.join(", ")}`] : []),
      ...(kept.length > 0 ? [`  = ${kept.join(", ")} ${colours.gray("left as they are")}`] : []),
      ...remarks.map(remark => `  ${colours.gray(`· ${remark}`)}`),
    ].join("\n"),
  );
  const others = written.filter(file => !entities.some(each => each.file === file));
  return [
    ...blocks,
    ...(others.length > 0 ? [`Other ends written in ${others.join(", ")}`] : []),
    ...(written.length === 0 ? ["Nothing was written: all of it is there."] : []),
    "",
    colours.gray("Next: read the classes, then emberset check"),
  ].join("\n");
}

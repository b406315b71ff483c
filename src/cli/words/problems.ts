import { mapTexts } from "../../core/map-texts.js";
import { withoutPasswords } from "./plain.js";
import { Problem, problems, type CatalogueEntry, type Words } from "../../core/problems.js";

type Catalogue = typeof problems;

type ValuesOf<Entry> = Entry extends CatalogueEntry<infer Values> ? Values : never;

type Wording<Values> = (values: Values, problem: Problem) => Partial<Words>;

/** How what the catalogue asks for is done on the command line: the words that name commands and options. */
const WORDINGS: { readonly [Name in keyof Catalogue]?: Wording<ValuesOf<Catalogue[Name]>> } = {
  usage: ({ command }) => ({ repair: `see emberset ${command ? `${command} ` : ""}--help` }),
  noConfig: () => ({
    repair: "make a project with `emberset init`, or name its folder with --project DIR",
  }),
  unknownTarget: () => ({ repair: "name one of these with --target, or add it to the config" }),
  unknownTable: () => ({ repair: "run `emberset describe` without a name to see them all" }),
  nothingToAmend: () => ({ repair: "draft the first one with `emberset draft`" }),
  wrongRename: () => ({
    valid: "--rename old_table=new_table, or --rename table.old_column=table.new_column",
  }),
  notEmpty: ({ migrations }) =>
    migrations > 0
      ? { repair: "take in what the database has beyond the migrations with `emberset adopt --drift`" }
      : {},
  nothingToAdopt: ({ drift }) =>
    drift ? {} : { repair: "name another with --target, or begin with models and a draft" },
  wrongEntityName: () => ({
    repair: 'write the entity first, then its phrases: emberset sketch Piece "title varchar(80)"',
  }),
  wrongFill: () => ({ valid: "--fill table.column=value, the value one of the column's type" }),
  brokenOff: () => ({
    repair: "answer it, or say it beforehand with --rename or --fill; --yes asks nothing",
  }),
  otherDialect: () => ({
    repair: "leave --target out: the scratch database is then made beside the target that the rows come from",
  }),
  noUrl: () => ({ repair: "say it with --url" }),
  wrongModels: () => ({
    repair: "correct the models; `emberset check` lists every finding with its remedy",
  }),
  noTitle: () => ({ repair: 'say in a few words what it does: emberset draft "add glaze recipes"' }),
  noDatabase: ({ server }) => ({
    repair: server
      ? "make it with `emberset forward --create-database`, or correct `url` in the config"
      : "make it with `emberset forward`, or correct `file` in the config",
  }),
  cutOff: ({ stepwise }) => ({
    repair: stepwise
      ? "see `emberset status`; run the same again, and it goes on where it stopped"
      : "see `emberset status`: what was not committed has been undone by the server",
  }),
  noRole: ({ sql }) => ({
    repair: `make them with \`emberset forward --create-roles\`, or let somebody who may: ${sql.join("; ")}`,
  }),
  wouldLose: mayGo,
  nothingToUndo: () => ({ repair: "see `emberset status`" }),
  missing: () => ({
    repair:
      "bring the folder up to date from version control; or let `emberset status --recover` write them, from what the database keeps",
  }),
  doubled: () => ({
    repair:
      "see `emberset status`, which says what ran where; `emberset restack` puts the one that ran nowhere behind the other",
  }),
  handWritten: ({ mayGo }) => (mayGo ? { repair: "say --yes if what was written may go" } : {}),
  noFork: () => ({ repair: "see `emberset status`" }),
  ranBoth: () => ({
    repair: "undo it there first, with `emberset back --target`; or say --behind with the other",
  }),
  apart: () => ({
    repair:
      "settle in the models what is meant; delete the folder of the one that ran nowhere, and draft it again with `emberset draft`",
  }),
  baseline: () => ({ repair: "leave it; or say --baseline if what was there is to go" }),
  outOfOrder: ({ pending }) => ({
    repair: `undo back to before ${pending} with \`emberset back --to\`, then run forward`,
  }),
  ranElsewhere: ({ guarded, target }) =>
    guarded
      ? {}
      : {
          repair: `undo it there first: emberset back --target ${target}; or draft a new migration with the correction`,
        },
  amendsToNothing: () => ({
    repair: "if the migration is not wanted, undo it with `emberset back` and delete its folder",
  }),
  pendingFirst: () => ({ repair: "run them first with `emberset forward`" }),
  nothingKept: () => ({ repair: "see `emberset attic list`" }),
  unseen: ({ target }) => ({ repair: `say --ran-on ${target} if all of it ran there` }),
  tableInTheWay: () => ({
    repair:
      "use another database, rename or drop these tables there, or call yours otherwise with @Stored({ table }); tables that are to be yours are taken over by `emberset adopt`, before any other migration; a scratch pad that was matched to the models is built again by `emberset rebuild`",
  }),
  ranMeanwhile: () => ({
    repair: "another process ran or undid migrations there: see `emberset status`, then run again",
  }),
  wouldGo: () => ({ repair: "say --yes if it may go" }),
  wouldPurge: mayGo,
  amendedHalfway: (_, { cause }) => {
    const repair = cause instanceof Problem ? wordsFor(cause).repair : undefined;
    return { repair: `${repair ?? "see what it says"}; then run \`emberset forward\`` };
  },
  fault: () => ({
    repair: "please report it with the command you ran; --trace shows the SQL that led to it",
  }),
};

/** The option by which somebody says that rows or values may go. */
function mayGo({ guarded, target }: { readonly guarded: boolean; readonly target: string }): Partial<Words> {
  return {
    repair: guarded
      ? `the target is guarded: say --confirm ${target} if they may go`
      : "say --yes if they may go",
  };
}

const wordings = new Map(
  Object.entries(WORDINGS).map(([name, wording]) => [
    problems[name as keyof Catalogue].code,
    wording as Wording<unknown>,
  ]),
);

/** A problem's words as they are said at the command line. */
export function wordsFor(problem: Problem): Words {
  const words = { ...problem.words, ...wordings.get(problem.code)?.(problem.values, problem) };
  return mapTexts(words, withoutPasswords);
}

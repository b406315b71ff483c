/** Something a check of the models found, as data; `check` and errors word it the same way. */
export interface Finding {
  readonly code: string;
  /** A note is what nobody need do anything about. */
  readonly severity: "error" | "advice" | "note";
  readonly entity: string;
  readonly property?: string;
  /** What is wrong, a sentence without its full stop. */
  readonly what: string;
  readonly remedy: string;
  /** What would say it beside the model, as a draft takes it: `{ rename: "shelves=racks" }`. */
  readonly answer?: Answer;
  /** Filled in at the edge, where the files are known. */
  readonly file?: string;
  /** From 1. */
  readonly line?: number;
}

type Answer = { readonly rename: string } | { readonly fill: string };

/** What each code of a finding is about; docs/advice.md lists the same codes. */
export const FINDING_CODES = {
  E220: "a property whose type cannot be told",
  E221: "two entities on one table",
  E222: "two fields on one column",
  E223: "a reference to something that is not an entity",
  E224: "ReferredBy names a field that does not point back",
  E225: "a name that is not a field",
  E226: "a type that is not one",
  E227: "a key that cannot be",
  E228: "a reference that cannot be",
  E229: "a default or fill that does not fit its type",
  E230: "two constraints of one name",
  E231: "a name that a dialect cannot hold",
  E232: "a name that two things would share",
  E233: "an entity that extends another, or a value object that is one",
  E234: "an option that is none, or not of its form",
  E235: "a `was` that names nothing there ever was",
  E236: "a `fill` or a `convert` that has nothing to do",
  E237: "a type, or a way to get values, that a dialect in use does not have",
  E238: "a grant to a role that the config does not have",
  E239: "a file of SQL that is no object",
  A300: "a rule that the database does not hold",
  A301: "a reserved word as a name",
  A302: "a field that looks like a reference and is none",
  A303: "a reference called otherwise than the others",
  A304: "floating point for money",
  A305: "a reference without an index",
  A306: "an index that another serves for",
  A307: "the same index twice",
  A308: "a unique text of any length on MariaDB",
  A309: "a name that a dialect cuts",
  A310: "required references in a circle",
  A311: "optional in TypeScript, required in the database",
  A312: "required in TypeScript, optional in the database",
  A313: "a rename or a conversion that is done",
  A314: "an entity that nothing is linked to",
  A315: "a default that breaks the field's own rule",
  A316: "a value that is no longer allowed",
  A317: "something goes while its like comes",
  A318: "a required column without a value for old rows",
  A319: "a type that old values may not fit",
  A320: "a column that no longer counts by itself",
  A321: "values that validate() takes and a column does not",
  A322: "a required field that validate() lets be missing",
  A323: "a default that validate() does not wait for",
  A324: "a rule that the program alone holds",
  A325: "values at the edges of a type",
  A326: "a value object that validate() does not look into",
  A327: "grants on an engine that has no roles",
  A328: "a reference that may be read, and not what it refers to",
  A329: "rows that may be inserted, and not a field they require",
  A330: "what looks secret, for a role that reads all of a table",
  A331: "a grant to everyone",
  A332: "an object that speaks of what is not there",
  A333: "a condition on rows that an engine does not hold",
  A334: "a default that is another for each row, of a table with many rows",
  A335: "several tables with many rows in one transaction",
  A336: "others wait who need not",
} as const satisfies Record<string, string>;

type FindingCode = keyof typeof FINDING_CODES;

/** The remedy of a note on how an engine has values of a type, whatever the field. */
export const NOTHING_TO_DO = "nothing need be done where no such value comes";

const NOTES: readonly FindingCode[] = ["A323", "A324", "A325", "A327"];

export type Report = (
  code: FindingCode,
  where: { readonly entity: string; readonly property?: string },
  what: string,
  remedy: string,
  answer?: Answer,
) => void;

/** A list of findings and the function that adds to it. */
export function collectFindings(): { readonly findings: Finding[]; readonly report: Report } {
  const findings: Finding[] = [];
  const report: Report = (code, where, what, remedy, answer) => {
    const severity = code.startsWith("E") ? "error" : NOTES.includes(code) ? "note" : "advice";
    findings.push({ code, severity, ...where, what, remedy, ...(answer && { answer }) });
  };
  return { findings, report };
}

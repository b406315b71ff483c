import type { Dialect } from "../../dialect/shared/dialect.js";
import { isObject, type Schema, type Table } from "../../schema/types.js";
import { mentionsIn } from "../../sql/object-head.js";
import { matters, nameOf, tokenize, type Token, type TokenRules } from "../../sql/tokens.js";
import type { ObjectFile, WrittenObject } from "../read/objects.js";
import type { Finding } from "../read/findings.js";

/**
 * What objects speak of that the models do not have: a table that goes, a column of a table. It is told by tokens, which
 * see no more than names: whether it stands in the way, a rehearsal proves. @param before the schema that the models change
 */
export function adviseOnObjects(objects: readonly WrittenObject[], after: Schema, before: Schema): Finding[] {
  const found = new Map<string, Finding>();
  for (const { definition, files } of objects)
    for (const [dialect, file] of files) {
      const sight = { ...sightOf(dialect, after, before), within: withinObjects(objects, dialect) };
      for (const { what, at } of missingIn(file.text, placeOf(definition, objects, dialect), sight)) {
        const line = file.text.slice(0, at).split("\n").length;
        const finding = findingOf({ definition, file, what, line });
        found.set(`${file.path} ${line} ${what}`, finding);
      }
    }
  return [...found.values()];
}

function findingOf({
  definition: { kind, name },
  file,
  what,
  line,
}: {
  readonly definition: WrittenObject["definition"];
  readonly file: ObjectFile;
  readonly what: string;
  readonly line: number;
}): Finding {
  return {
    code: "A332",
    severity: "advice",
    entity: name,
    what: `${kind} ${name} speaks of ${what}`,
    remedy: "let it say what there is from now on: it could not be made as it is",
    file: file.path,
    line,
  };
}

/** What a trigger stands on, and so the function that it runs: `new` and `old` are rows of that. */
function placeOf(
  { kind, name, on }: WrittenObject["definition"],
  objects: readonly WrittenObject[],
  dialect: Dialect,
): string | undefined {
  if (kind !== "function") return on;
  const places = objects.flatMap(({ definition, files }) => {
    const file = definition.kind === "trigger" ? files.get(dialect) : undefined;
    const runs = file && mentionsIn(file.text, dialect.tokens).read.has(name.toLowerCase());
    return runs && definition.on !== undefined ? [definition.on] : [];
  });
  return new Set(places).size === 1 ? places[0] : undefined;
}

/** What there is, and what there was, as one dialect has it; all names in small letters. */
interface Sight {
  readonly tokens: TokenRules;
  readonly columns: ReadonlyMap<string, ReadonlySet<string>>;
  readonly old: ReadonlyMap<string, ReadonlySet<string>>;
  /** What else has a name that may stand for a table. */
  readonly others: ReadonlySet<string>;
}

interface WholeSight extends Sight {
  /** What other objects speak of, by their names, by way of others, too. */
  readonly within: (name: string) => ReadonlySet<string>;
}

function withinObjects(
  objects: readonly WrittenObject[],
  dialect: Dialect,
): (name: string) => ReadonlySet<string> {
  const texts = new Map<string, string>();
  for (const { definition, files } of objects) {
    const file = files.get(dialect);
    if (file) texts.set(definition.name.toLowerCase(), file.text);
  }
  const found = new Map<string, Set<string>>();
  const visit = (name: string): Set<string> => {
    const known = found.get(name);
    if (known) return known;
    const names = new Set<string>();
    found.set(name, names);
    const text = texts.get(name);
    if (text === undefined) return names;
    for (const each of mentionsIn(text, dialect.tokens).bound) {
      names.add(each);
      if (texts.has(each)) for (const more of visit(each)) names.add(more);
    }
    return names;
  };
  return visit;
}

function sightOf(dialect: Dialect, after: Schema, before: Schema): Sight {
  const columnsOf = ({ tables }: Schema) => {
    const found = new Map<string, Set<string>>();
    for (const table of tables) {
      const name = table.name.toLowerCase();
      found.set(name, new Set([...(found.get(name) ?? []), ...namesIn(table)]));
    }
    return found;
  };
  const now = dialect.types.settle(after);
  return {
    tokens: dialect.tokens,
    columns: columnsOf(now),
    old: columnsOf(dialect.types.settle(before)),
    others: new Set((now.definitions ?? []).filter(isObject).map(({ name }) => name.toLowerCase())),
  };
}

function namesIn({ columns }: Table): string[] {
  return columns.map(({ name }) => name.toLowerCase());
}

/** What every row has besides its columns. */
const OF_THE_ENGINE = new Set(["ctid", "xmin", "xmax", "tableoid", "oid", "rowid", "_rowid_"]);

interface Missing {
  readonly what: string;
  readonly at: number;
}

/** A name with the place it stands at, and the words around it. */
interface Word {
  readonly name: string;
  readonly at: number;
  readonly token: Token;
}

function missingIn(text: string, on: string | undefined, sight: WholeSight): Missing[] {
  const words = wordsIn(text, 0, sight.tokens);
  const called = standIns(words, sight);
  const table = on?.replace(/^.*\./, "").toLowerCase();
  if (table !== undefined) for (const name of ["new", "old"]) called.set(name, table);
  const spoken = new Set(words.flatMap(({ name }) => (name === "" ? [] : [name, ...sight.within(name)])));
  const mentioned = new Set([...spoken].filter(name => sight.columns.has(name) || sight.old.has(name)));
  const gone = goneColumns(mentioned, sight);
  const found: Missing[] = [];
  if (table !== undefined && sight.old.has(table) && !sight.columns.has(table) && !sight.others.has(table)) {
    const place = words.findIndex(
      ({ name }, at) => name === table && words[at - 1]?.token.text.toUpperCase() === "ON",
    );
    found.push({ what: `table ${table}, which goes`, at: words[place]?.at ?? 0 });
  }
  for (const [at, { name, token }] of words.entries()) {
    if (name === "") continue;
    const [before, next] = [words[at - 1]?.token.text.toUpperCase(), words[at + 1]?.token.text];
    if (/^(?:FROM|JOIN|INTO|UPDATE)$/.test(before ?? "") && next !== "(" && next !== ".") {
      if (
        sight.old.has(name) &&
        !sight.columns.has(name) &&
        !sight.others.has(name) &&
        !isNamedByWith(words, name)
      )
        found.push({ what: `table ${name}, which goes`, at: token.at });
      continue;
    }
    if (before === ".") {
      const owner = called.get(words[at - 2]?.name ?? "");
      const columns = owner === undefined ? undefined : sight.columns.get(owner);
      if (columns && next !== "(" && next !== "." && !columns.has(name) && !OF_THE_ENGINE.has(name))
        found.push({ what: `${owner!}.${name}, and there is no such column`, at: token.at });
      continue;
    }
    const owner = gone.get(name);
    if (owner !== undefined && before !== "AS" && next !== "(" && next !== ".")
      found.push({ what: `${name}, and ${owner} has it no more`, at: token.at });
  }
  return found;
}

/** Tokens that matter, those in bodies among them; `name` is empty for what is none. */
function wordsIn(text: string, start: number, rules: TokenRules): Word[] {
  return tokenize(text, rules)
    .filter(matters)
    .flatMap((token): Word[] => {
      const placed = { ...token, at: token.at + start };
      if (token.kind === "string" && token.text.startsWith("$")) {
        const open = /^\$\w*\$/.exec(token.text)![0].length;
        return wordsIn(token.text.slice(open, -open), placed.at + open, rules);
      }
      const isName = token.kind === "word" || token.kind === "name";
      return [{ name: isName ? nameOf(token).toLowerCase() : "", at: placed.at, token: placed }];
    });
}

/** Which table each name in front of a dot stands for: `FROM pieces p`, `JOIN pieces AS p`. */
function standIns(words: readonly Word[], { columns, others }: Sight): Map<string, string> {
  const found = new Map<string, string>();
  for (const [at, { name }] of words.entries()) {
    if (!columns.has(name) || others.has(name)) continue;
    const before = words[at - 1]?.token.text.toUpperCase() ?? "";
    if (isNamedByWith(words, name)) continue;
    if (before !== "AS") found.set(name, found.get(name) ?? name);
    if (!/^(?:FROM|JOIN|INTO|UPDATE|,|\.|USING)$/.test(before)) continue;
    const next = words[at + 1];
    const alias = next?.token.text.toUpperCase() === "AS" ? words[at + 2] : next;
    if (alias && alias.name !== "" && !FOLLOWS.test(alias.name)) found.set(alias.name, name);
  }
  // A name that stands for two things tells nothing.
  const twice = [...found.keys()].filter(
    alias => alias !== found.get(alias) && (columns.has(alias) || others.has(alias)),
  );
  for (const alias of twice) found.delete(alias);
  return found;
}

const FOLLOWS =
  /^(?:where|join|left|right|inner|outer|full|cross|natural|on|using|set|order|group|limit|having|union|except|intersect|values|select|window|for|as|straight_join|returning|begin|when|then|do|default)$/;

/** `WITH pieces AS (…)` */
function isNamedByWith(words: readonly Word[], name: string): boolean {
  return words.some(
    (word, at) =>
      word.name === name &&
      words[at + 1]?.token.text.toUpperCase() === "AS" &&
      /^(?:\(|MATERIALIZED|NOT)$/i.test(words[at + 2]?.token.text ?? ""),
  );
}

/** Columns that tables spoken of had, and that none of them has any more, with the table. */
function goneColumns(mentioned: ReadonlySet<string>, { columns, old }: Sight): Map<string, string> {
  const there = new Set([...mentioned].flatMap(name => [...(columns.get(name) ?? [])]));
  return new Map(
    [...mentioned].flatMap(name =>
      columns.has(name)
        ? [...(old.get(name) ?? [])]
            .filter(column => !there.has(column))
            .map(column => [column, name] as const)
        : [],
    ),
  );
}

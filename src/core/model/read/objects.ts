import { DIALECT_NAMES, dialects as ALL } from "../../dialect/registry.js";
import type { Dialect } from "../../dialect/shared/dialect.js";
import { nameInHead, settingsBefore, type ObjectName } from "../../dialect/shared/object-text.js";
import { addressOf } from "../../schema/address.js";
import { definitionKey, type ObjectDefinition, type SqlText } from "../../schema/types.js";
import { readHead, type ObjectHead } from "../../sql/object-head.js";
import { splitStatements } from "../../sql/statements.js";
import type { Finding } from "./findings.js";

/** A file of SQL of the developer's own. */
export interface ObjectFile {
  /** As findings name it. */
  readonly path: string;
  readonly text: string;
}

/** An object as its files say it. */
export interface WrittenObject {
  readonly definition: ObjectDefinition;
  /** The file for each dialect in use that has it. */
  readonly files: ReadonlyMap<Dialect, ObjectFile>;
}

interface ReadObjects {
  readonly objects: readonly WrittenObject[];
  readonly findings: readonly Finding[];
}

/**
 * The objects that files hold, one each: `open_pieces.sql` for all dialects, `open_pieces.postgres.sql` for one in its
 * stead. Nothing of the SQL is read but its head. @param dialects those in use; what is wrong for others is not told
 */
export function readObjects(files: readonly ObjectFile[], dialects: readonly Dialect[]): ReadObjects {
  const names: readonly string[] = DIALECT_NAMES;
  const findings: Finding[] = [];
  const found = new Map<
    string,
    { files: Map<Dialect, ObjectFile>; texts: Map<string, string>; head: ObjectName }
  >();
  const report = (file: ObjectFile, fault: Fault) =>
    findings.push({
      code: "E239",
      severity: "error",
      entity: fileName(file.path),
      ...{ what: fault.what, remedy: fault.remedy, file: file.path, line: fault.line ?? 1 },
    });
  for (const [, byDialect] of groupFiles(files, names)) {
    const faulty = new Set<ObjectFile>();
    for (const name of DIALECT_NAMES) {
      const dialect = dialects.find(each => each.name === name) ?? ALL[name];
      const isUsed = dialects.includes(dialect);
      const file = byDialect.get(name) ?? byDialect.get("");
      if (!file || faulty.has(file)) continue;
      const read = readObject(file, dialect);
      if ("what" in read) {
        if (isUsed) {
          faulty.add(file);
          report(file, read);
        }
        continue;
      }
      const key = definitionKey({ ...read.head, sql: "" });
      const known = found.get(key) ?? { files: new Map(), texts: new Map(), head: read.head };
      const other = known.files.get(dialect);
      found.set(key, known);
      if (other && other !== file) {
        faulty.add(file);
        report(file, {
          what: `${read.head.kind} ${addressOf(read.head)} stands in ${fileName(other.path)}, too`,
          remedy: "keep one of the two files",
        });
        continue;
      }
      if (isUsed) known.files.set(dialect, file);
      known.texts.set(name, read.sql);
    }
  }
  // Of a dialect that is not in use there may be files without any of one that is.
  const inUse = [...found.values()].filter(each => each.files.size > 0);
  const objects = inUse.map(({ files: own, texts, head }) => ({
    definition: { ...head, sql: textOf(texts, own, names) },
    files: own,
  }));
  return { objects, findings };
}

interface Fault {
  readonly what: string;
  readonly remedy: string;
  readonly line?: number;
}

/** One text where each dialect has the same, from a file that is for all. */
function textOf(
  texts: ReadonlyMap<string, string>,
  files: ReadonlyMap<Dialect, ObjectFile>,
  names: readonly string[],
): SqlText {
  const [first, ...others] = [...texts.values()];
  const isForAll = [...files.values()].every(({ path }) => dialectOf(path, names) === "");
  return first !== undefined && isForAll && others.every(each => each === first)
    ? first
    : Object.fromEntries(texts);
}

function fileName(path: string): string {
  return path.replace(/^.*[\\/]/, "");
}

/** Which dialect `open_pieces.postgres.sql` is for; an empty name: all. */
function dialectOf(path: string, names: readonly string[]): string {
  const ending = /\.([^./\\]+)\.sql$/i.exec(path)?.[1]?.toLowerCase() ?? "";
  return names.includes(ending) ? ending : "";
}

function groupFiles(
  files: readonly ObjectFile[],
  names: readonly string[],
): Map<string, Map<string, ObjectFile>> {
  const groups = new Map<string, Map<string, ObjectFile>>();
  for (const file of files) {
    const dialect = dialectOf(file.path, names);
    const base = file.path.slice(0, -(dialect === "" ? 4 : dialect.length + 5));
    const group = groups.get(base) ?? new Map<string, ObjectFile>();
    groups.set(base, group.set(dialect, file));
  }
  return groups;
}

function readObject(
  { path, text }: ObjectFile,
  { tokens, title, types: { objects } }: Dialect,
): { readonly head: ObjectName; readonly sql: string } | Fault {
  const statements = splitStatements(text.replaceAll("\r\n", "\n"), tokens);
  const leading = settingsBefore(
    statements.map(({ sql }) => sql),
    tokens,
  );
  const [first, ...rest] = statements.slice(leading.length);
  const kinds = objects.kinds.join(", ");
  const line = first?.line ?? 1;
  const head = first && readHead(first.sql, tokens);
  if (!head)
    return {
      line,
      what: `${fileName(path)} makes nothing that can be kept so: it begins with ${JSON.stringify(startOf(first?.sql))}`,
      remedy: `let it begin with CREATE and one of: ${kinds}; what else is to run once belongs into a migration`,
    };
  if (head.kind === "policy")
    return {
      line,
      what: `policy ${head.name} is about roles and rows, which models say`,
      remedy: "say it with `rows` in @Stored",
    };
  if (!objects.kinds.includes(head.kind))
    return {
      line,
      what: `${title} has no ${head.kind}`,
      remedy: `give the file the ending of the dialect that it is for, such as ${fileName(path).replace(/(?:\.[^.]+)?\.sql$/i, "")}.${having(head.kind)}.sql`,
    };
  if (/^CREATE (?:GLOBAL |LOCAL )?TEMP(?:ORARY)? /i.test(head.sql))
    return {
      line,
      what: `${head.kind} ${head.name} is there for one session only`,
      remedy: "leave out TEMPORARY",
    };
  if (head.namespace !== undefined && !objects.namespaces)
    return {
      line,
      what: `${head.kind} ${head.name} is to stand in ${JSON.stringify(head.namespace)}, which on ${title} is another database`,
      remedy: `write ${head.name} alone`,
    };
  const parts = [...leading, head.sql];
  for (const { sql, line: at } of rest) {
    const fault = faultBehind(sql, head, { path, title, objects, tokens });
    if ("what" in fault) return { line: at, ...fault };
    parts.push(fault.sql);
  }
  return { head: nameInHead(head), sql: parts.join(";\n") };
}

/** A dialect that has such a thing. */
function having(kind: ObjectName["kind"]): string {
  return DIALECT_NAMES.find(name => ALL[name].types.objects.kinds.includes(kind)) ?? "";
}

/** What may stand behind the first statement: others of its name, and what goes with it. */
function faultBehind(
  sql: string,
  head: ObjectHead,
  {
    path,
    title,
    objects,
    tokens,
  }: {
    readonly path: string;
    readonly title: string;
    readonly objects: Dialect["types"]["objects"];
    readonly tokens: Dialect["tokens"];
  },
): { readonly sql: string } | Fault {
  const next = readHead(sql, tokens);
  const isSame = next?.kind === head.kind && next.name === head.name && next.namespace === head.namespace;
  if (next && !isSame)
    return {
      what: `${fileName(path)} makes ${next.kind} ${next.name} beside ${head.kind} ${head.name}`,
      remedy: "give each a file of its own: they come and go one by one",
    };
  if (!next && objects.alongside && !objects.alongside.test(sql.replace(/\s+/g, " ")))
    return {
      what: `${fileName(path)} goes on behind ${head.kind} ${head.name} with ${JSON.stringify(startOf(sql))}, which does more than go with it`,
      remedy:
        "let there stand its notes, grants, indexes and settings alone; what else is to run once belongs into a migration",
    };
  if (!objects.alongside)
    return {
      what: `${fileName(path)} goes on behind ${head.kind} ${head.name} with ${JSON.stringify(startOf(sql))}, and on ${title} nothing goes with one`,
      remedy:
        "take out what stands behind it; where it is the body that goes on, begin it with BEGIN and end it with END",
    };
  return { sql: next ? next.sql : sql };
}

function startOf(sql = ""): string {
  const words = sql.replace(/\s+/g, " ");
  return words.length > 40 ? `${words.slice(0, 40)}…` : words;
}

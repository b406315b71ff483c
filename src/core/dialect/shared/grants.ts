import { namesThrough } from "../../change/names.js";
import { groupBy } from "../../lists.js";
import { tableOf, type Change } from "../../change/types.js";
import { addressOf, tablesByAddress } from "../../schema/address.js";
import { equal } from "../../schema/canonical.js";
import { rolesIn, tableGrantedTo, VERBS, withGrants } from "../../schema/grants.js";
import type { Schema, Table } from "../../schema/types.js";
import type { Verb } from "../../../modelling/facts.js";
import type { Block, RenderPlan } from "./render-plan.js";

/** How an engine grants. */
export interface GrantSyntax {
  /** Whether what was granted goes with a table that is dropped, and stays with one that gets another name, or its columns. */
  readonly followTables: boolean;
  /** Whether to take a verb from a table takes it from its columns, too. */
  readonly takesColumns: boolean;
  readonly quote: (name: string) => string;
  readonly quoteTable: (address: string) => string;
  /** A role as it stands behind TO and FROM. */
  readonly role: (name: string) => string;
  /**
   * What else a role must have, as it stands behind GRANT, and what of: for a table that it may do something with, and
   * for one that it may put rows into. Absent: nothing.
   */
  readonly needs?: (table: Table, inserts: boolean) => readonly Need[];
}

/** `USAGE ON SCHEMA "studio"` */
interface Need {
  readonly right: string;
  /** The column that it is for, if any: the need is another one where that is. */
  readonly column?: string;
}

/** One verb for one role on a table, or on a column of it. */
interface Atom {
  readonly role: string;
  readonly verb: Verb;
  readonly column: string | undefined;
}

/** A plan without anything of grants, and what takes grants away and gives them, before all else and behind it. */
export function apartFromGrants(
  plan: RenderPlan,
  syntax: GrantSyntax,
): { readonly plan: RenderPlan; readonly before: Block[]; readonly after: Block[] } {
  if (rolesIn(plan.before).length + rolesIn(plan.after).length === 0) return { plan, before: [], after: [] };
  const bare = (schema: Schema): Schema => ({ ...schema, tables: schema.tables.map(withoutAny) });
  const without: RenderPlan = {
    ...plan,
    before: bare(plan.before),
    after: bare(plan.after),
    changes: plan.changes.flatMap(bareChange),
  };
  return { plan: without, ...grantBlocks(plan, syntax) };
}

const nobody = () => false;
const withoutAny = (table: Table): Table => tableGrantedTo(table, nobody);

function bareChange(change: Change): Change[] {
  switch (change.kind) {
    case "add table":
    case "drop table":
      return [{ ...change, table: withoutAny(change.table) }];
    case "alter table": {
      const [before, after] = [withGrants(change.before, nobody), withGrants(change.after, nobody)];
      return equal(before, after) ? [] : [{ ...change, before, after }];
    }
    case "add column":
    case "drop column":
      return [{ ...change, column: withGrants(change.column, nobody) }];
    case "alter column": {
      const [before, after] = [withGrants(change.before, nobody), withGrants(change.after, nobody)];
      // A conversion between types that are one here changes values all the same.
      const isEmpty = equal(before, after) && !equal(change.before, change.after);
      return isEmpty ? [] : [{ ...change, before, after }];
    }
    default:
      return [change];
  }
}

function grantBlocks(
  { before, after, changes }: RenderPlan,
  syntax: GrantSyntax,
): { readonly before: Block[]; readonly after: Block[] } {
  const names = namesThrough(changes);
  const old = tablesByAddress(before);
  const first: Block[] = [];
  const last: Block[] = [];
  const stayed = new Set<string>();
  const ofColumns = groupBy(
    changes.flatMap(bareChange).filter(({ kind }) => kind.endsWith(" column")),
    change => tableOf(change)!,
  );
  for (const table of after.tables) {
    const address = addressOf(table);
    const was = names.arrives(address) ? undefined : names.before(address);
    const earlier = was === undefined ? undefined : old.get(was);
    if (was !== undefined) stayed.add(was);
    const held = earlier ? atomsOf(earlier) : [];
    const columns = new Set(
      table.columns.map(({ name }) => name).filter(name => !names.arrives(address, name)),
    );
    const following = held.flatMap((atom): Atom[] => {
      if (atom.column === undefined) return [atom];
      const column = names.after(was!, atom.column);
      return columns.has(column) ? [{ ...atom, column }] : [];
    });
    const follows = syntax.followTables || was === address;
    // Where grants do not follow, they stand under the old name, and nothing does under the new one.
    const there = !follows ? [] : syntax.followTables ? following : held;
    const wanted = atomsOf(table);
    const gone = there.filter(atom => !wanted.some(each => equal(each, atom)));
    const lost = syntax.takesColumns ? gone.filter(each => each.column === undefined) : [];
    const altered = alteredColumns(table, ofColumns.get(address) ?? []);
    const come = wanted.filter(
      atom =>
        !there.some(each => equal(each, atom)) ||
        (atom.column !== undefined && altered.has(atom.column)) ||
        (atom.column !== undefined &&
          lost.some(({ role, verb }) => role === atom.role && verb === atom.verb)),
    );
    if (!follows && held.length > 0) first.push(block(was!, held, "REVOKE", syntax));
    if (gone.length > 0) (syntax.followTables ? last : first).push(block(address, gone, "REVOKE", syntax));
    if (come.length > 0) last.push(block(address, come, "GRANT", syntax));
  }
  if (!syntax.followTables)
    for (const [address, table] of old)
      if (!stayed.has(address) && atomsOf(table).length > 0)
        first.push(block(address, atomsOf(table), "REVOKE", syntax));
  return { before: first, after: [...needBlocks({ before, after, changes }, syntax), ...last] };
}

/** Columns that may be dropped and added again on the way, and what was granted on them with them. */
function alteredColumns(table: Table, own: readonly Change[]): Set<string> {
  const names = own.flatMap(each => (each.kind === "alter column" ? [each.after.name] : []));
  const computed = own.length > 0 ? table.columns.filter(column => column.computed) : [];
  return new Set([...names, ...computed.map(({ name }) => name)]);
}

function atomsOf(table: Table): Atom[] {
  const of = ({ grants = [] }: Pick<Table, "grants">, column: string | undefined) =>
    grants.flatMap(({ role, verbs }) => verbs.map(verb => ({ role, verb, column })));
  return [...of(table, undefined), ...table.columns.flatMap(column => of(column, column.name))];
}

/** A statement for each role. */
function block(
  address: string,
  atoms: readonly Atom[],
  what: "GRANT" | "REVOKE",
  syntax: GrantSyntax,
): Block {
  const roles = [...new Set(atoms.map(({ role }) => role))];
  const statements = roles.map(role => {
    const own = atoms.filter(atom => atom.role === role);
    const verbs = VERBS.flatMap(verb => {
      const found = own.filter(atom => atom.verb === verb);
      const columns = found.flatMap(({ column }) => (column === undefined ? [] : [syntax.quote(column)]));
      return [
        ...(found.some(({ column }) => column === undefined) ? [verb.toUpperCase()] : []),
        ...(columns.length > 0 ? [`${verb.toUpperCase()} (${columns.join(", ")})`] : []),
      ];
    });
    const on = `${what} ${verbs.join(", ")} ON ${syntax.quoteTable(address)}`;
    return `${on} ${what === "GRANT" ? "TO" : "FROM"} ${syntax.role(role)}`;
  });
  const verb = what === "GRANT" ? "grant" : "take away";
  return { title: `${verb} what ${roles.join(", ")} may do with ${address}`, statements };
}

/** What roles need beside a table: nobody sees one in a namespace that he may not use. */
function needBlocks({ before, after, changes }: RenderPlan, syntax: GrantSyntax): Block[] {
  const [had, needed] = [needsOf(before, syntax), needsOf(after, syntax)];
  const stays = rightsIn(after, syntax);
  const names = namesThrough(changes);
  // What a column counts by may be made anew under its name.
  const isAnew = ({ table, column }: Needed) =>
    column !== undefined &&
    (names.arrives(table, column) ||
      changes.some(
        each => each.kind === "alter column" && each.table === table && each.after.name === column,
      ));
  const statements = [
    ...[...had]
      .filter(([key, { right }]) => !needed.has(key) && stays.has(right))
      .map(([, { right, role }]) => `REVOKE ${right} FROM ${syntax.role(role)}`),
    ...[...needed]
      .filter(([key, need]) => !had.has(key) || isAnew(need))
      .map(([, { right, role }]) => `GRANT ${right} TO ${syntax.role(role)}`),
  ];
  return statements.length > 0 ? [{ title: "what roles need for that", statements }] : [];
}

interface Needed extends Need {
  readonly role: string;
  readonly table: string;
}

function needsOf({ tables }: Schema, { needs = () => [] }: GrantSyntax): Map<string, Needed> {
  return new Map(
    tables.flatMap(table => {
      const atoms = atomsOf(table);
      return [...new Set(atoms.map(({ role }) => role))].flatMap(role => {
        const inserts = atoms.some(atom => atom.role === role && atom.verb === "insert");
        return needs(table, inserts).map(
          need => [JSON.stringify([need.right, role]), { ...need, role, table: addressOf(table) }] as const,
        );
      });
    }),
  );
}

/** All that is there to have a right to. */
function rightsIn({ tables }: Schema, { needs = () => [] }: GrantSyntax): Set<string> {
  return new Set(tables.flatMap(table => needs(table, true).map(({ right }) => right)));
}

import { addressOf } from "../../schema/address.js";
import { COLUMN_VERBS, EVERYONE, inheritedBy, rolesIn, verbsOf } from "../../schema/grants.js";
import type { Column, Table } from "../../schema/types.js";
import type { Verb } from "../../../modelling/facts.js";
import { NOTHING_TO_DO } from "../read/findings.js";
import { entitiesWithTables, type Review } from "./review.js";

/** Who may do what: what cannot be of use, and what may not be meant. */
export function adviseOnGrants(review: Review): void {
  const { tables, dialects, report, roles } = review;
  const granted = rolesIn({ tables });
  if (granted.length === 0) return;
  const byAddress = new Map(tables.map(table => [addressOf(table), table]));
  const entities = entitiesWithTables(review);
  const first = entities.find(([, table]) => rolesIn({ tables: [table] }).length > 0) ?? entities[0]!;
  for (const { title } of dialects.filter(dialect => !dialect.roles))
    report(
      "A327",
      { entity: first[0].name },
      `On ${title}, which has no roles, nobody is held to grants`,
      NOTHING_TO_DO,
    );
  const withRows = entities.find(([{ options }]) => Object.keys(options.rows ?? {}).length > 0);
  for (const { title } of withRows ? dialects.filter(({ roles: own }) => own && !own.rows) : [])
    report(
      "A333",
      { entity: withRows![0].name },
      `On ${title} a role that sees a table sees all its rows: nobody is held to \`rows\``,
      "let it read a view of those rows instead, as SQL of your own",
    );
  for (const role of granted) {
    const may = mayOf([role, ...inheritedBy(role, roles.known)]);
    const mayByItself = mayOf([role]);
    for (const [described, table] of entities) {
      const { name: entity } = described;
      const propertyOf = (column: string) =>
        review.resolver.columnsOf(described).find(each => each.column.name === column)?.field.property;
      const one = { role, entity, table, may, mayByItself, review, byAddress, propertyOf };
      unreadableTargets(one);
      unfilledFields(one);
      secrets(one);
      if (role === EVERYONE && COLUMN_VERBS.some(verb => table.columns.some(each => may(verb, table, each))))
        report(
          "A331",
          { entity },
          `everyone who can reach the database may ${verbsOf(table.grants, EVERYONE).join(", ") || "do something"} here`,
          "grant it to a role, and the role to those who need it",
        );
    }
  }
}

type May = (verb: Verb, table: Table, column?: Column) => boolean;

function mayOf(roles: readonly string[]): May {
  return (verb, table, column) =>
    roles.some(
      role => verbsOf(table.grants, role).includes(verb) || verbsOf(column?.grants, role).includes(verb),
    );
}

interface One {
  readonly role: string;
  readonly entity: string;
  readonly table: Table;
  readonly may: May;
  /** Not by another role, of which it is told. */
  readonly mayByItself: May;
  readonly review: Review;
  readonly byAddress: ReadonlyMap<string, Table>;
  readonly propertyOf: (column: string) => string | undefined;
}

function where(entity: string, property: string | undefined) {
  return property === undefined ? { entity } : { entity, property };
}

/** Who reads a reference wants to read what it refers to. */
function unreadableTargets({
  role,
  entity,
  table,
  may,
  mayByItself,
  review,
  byAddress,
  propertyOf,
}: One): void {
  for (const { columns, references } of table.foreignKeys) {
    const target = byAddress.get(references.table);
    const own = table.columns.filter(({ name }) => columns.includes(name));
    if (!target || !own.every(column => mayByItself("select", table, column))) continue;
    const keys = target.columns.filter(({ name }) => references.columns.includes(name));
    if (keys.every(column => may("select", target, column))) continue;
    review.report(
      "A328",
      where(entity, propertyOf(columns[0]!)),
      `${role} may read the reference, and not what it refers to in ${references.table}`,
      `grant ${role} select on its key, or take the reference from ${role}`,
    );
  }
}

/** A row that lacks what is required is refused. */
function unfilledFields({ role, entity, table, may, mayByItself, review, propertyOf }: One): void {
  if (!table.columns.some(column => mayByItself("insert", table, column))) return;
  for (const column of table.columns) {
    const { nullable, default: value, identity, stamp, computed } = column;
    const comes =
      nullable || value !== undefined || identity !== undefined || stamp !== undefined || computed;
    if (comes || may("insert", table, column)) continue;
    review.report(
      "A329",
      where(entity, propertyOf(column.name)),
      `${role} may insert rows, and not this field, which is required`,
      `grant ${role} insert on it, give it a default, or take insert from ${role}`,
    );
  }
}

/** What is mostly kept from those who read the rest. */
const SECRET = /passw|secret|token|api_?key|pin_?code|tax_?(?:number|id)|iban|(?:^|_)ssn(?:_|$)/i;

function secrets({ role, entity, table, may, mayByItself, review, propertyOf }: One): void {
  const reads = table.columns.filter(column => may("select", table, column));
  if (reads.length < table.columns.length) return;
  for (const { name } of reads.filter(
    column => SECRET.test(column.name) && mayByItself("select", table, column),
  ))
    review.report(
      "A330",
      where(entity, propertyOf(name)),
      `${role}, who may read all of ${addressOf(table)}, may read this too, which looks secret`,
      `take it from ${role}: @Field({ grants: { ${role}: false } })`,
    );
}

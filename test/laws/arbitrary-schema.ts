import fc from "fast-check";
import { placeholderOf } from "../../src/core/sql/tokens.js";
import { fillKey, type Conversion, type DiffHints } from "../../src/core/change/diff.js";
import type {
  Action,
  Check,
  Column,
  DataType,
  Default,
  ForeignKey,
  Index,
  Rule,
  Schema,
  SequenceDefinition,
  SqlText,
  Table,
} from "../../src/core/schema/types.js";
import { definitionKey } from "../../src/core/schema/types.js";
import type { Verb } from "../../src/modelling/facts.js";
import { addressOf } from "../../src/core/schema/address.js";
import { COLUMN_VERBS, grantsOf, VERBS } from "../../src/core/schema/grants.js";
import { columnsOfPart } from "../../src/core/schema/lookups.js";
import { constraintName } from "../../src/core/schema/naming.js";

/**
 * Made-up schemas in portable words. Names come from small pools, some of them odd, so that two schemas made apart
 * have much in common and differ in every way there is.
 */
export const TABLE_NAMES = ["pieces", "potters", "kilns", "order", 'odd "name"', "ünï 🏺code", "a.b"];
const COLUMN_NAMES = ["title", "weight", "group", 'say "hi"', "naïve {x}", "stage", "note's"];

/** Longer than any server takes names, as are the names of what hangs on it. */
const LONG = "of what came out of the kiln after the second firing and before the third ";

/** Others that differ in capitals alone, are words of SQL, too long, or what engines call things of their own. */
const HOSTILE_TABLES = ["Pieces", "select", `${LONG}table`];
const HOSTILE_COLUMNS = [
  "Weight",
  "Title",
  "select",
  "rowid",
  `${LONG}one`,
  `${LONG}two`,
  "default",
  "t",
  "k",
];
const ALL_TABLES = [...TABLE_NAMES, ...HOSTILE_TABLES];
const ALL_COLUMNS = [...COLUMN_NAMES, ...HOSTILE_COLUMNS];

/** The key as a text, in a way each dialect takes for unchanging. */
const COMPUTED = { sqlite: "coalesce({id}, 'none')", postgres: "{id}::text", mariadb: "concat('n', {id})" };

export interface SchemaOptions {
  /** Characters that names may not have. */
  readonly without?: string;
  /** Names, types and collations as nobody would choose them. */
  readonly hostile?: boolean;
  /** Roles that may do something. @default none */
  readonly roles?: readonly string[];
}

export function arbitrarySchema({ roles = [], ...options }: SchemaOptions = {}): fc.Arbitrary<Schema> {
  const schema = arbitraryTables(options);
  return roles.length === 0
    ? schema
    : fc.tuple(schema, fc.nat()).map(([{ tables, ...rest }, seed]) => ({
        tables: tables.map((table, at) => withGrants(table, roles, seed + at)),
        ...rest,
      }));
}

/** As models say it: what holds of all columns is the table's. */
function withGrants(table: Table, roles: readonly string[], seed: number): Table {
  let state = seed + 1;
  const roll = (sides: number) => (state = (state * 48_271) % 2_147_483_647) % sides;
  const pick = (from: readonly Verb[]) => from.filter(() => roll(3) === 0);
  const said = roles.map(role => ({ role, verbs: roll(4) === 0 ? [] : pick(VERBS) }));
  const own = new Map(said.map(({ role, verbs }) => [role, new Set<Verb>(verbs)]));
  const columns = table.columns.map((column, at): Column => {
    // Where all columns had it, it would be the table's.
    const more = at > 0 && roll(3) === 0 ? pick(COLUMN_VERBS) : [];
    const role = roles[roll(roles.length)]!;
    const left = more.filter(verb => !own.get(role)!.has(verb));
    const grants = grantsOf(new Map([[role, new Set<Verb>(left)]]));
    return grants ? { ...column, grants } : column;
  });
  const grants = grantsOf(own);
  return { ...table, columns, ...(grants && { grants }) };
}

function arbitraryTables({
  without = "",
  hostile = false,
}: Omit<SchemaOptions, "roles">): fc.Arbitrary<Schema> {
  const tables = (hostile ? ALL_TABLES : TABLE_NAMES).map(name => name.replace(without, ""));
  return fc
    .uniqueArray(fc.constantFrom(...tables), {
      minLength: 0,
      maxLength: 4,
      // Some engines do not tell them apart.
      selector: name => name.toLowerCase(),
    })
    .chain(names =>
      fc.tuple(
        fc.constant(names),
        fc.array(arbitraryShape(hostile), { minLength: names.length, maxLength: names.length }),
        fc.constantFrom(...STAGES),
        fc.constantFrom(...SEQUENCES),
      ),
    )
    .map(([names, shapes, stages, sequences]) => {
      const { tables, definitions = [] } = withOddities(buildSchema(names, shapes), shapes, stages);
      const all = [...definitions, ...sequences];
      return { tables, ...(all.length > 0 && { definitions: all }) };
    });
}

/** What counts by itself, where there is one. */
const SEQUENCES: readonly (readonly SequenceDefinition[])[] = [
  [],
  [],
  [{ kind: "sequence", name: "receipt numbers" }],
  [{ kind: "sequence", name: "receipt numbers", settings: { increment: "5" } }],
];

/** The values of a type that stands beside the tables, where there is one. */
const STAGES = [undefined, ["raw", "bisque"], ["raw", "glazed", "bisque"], ["bisque", "it's raw"]];

/** What only one dialect knows, and what most tables do not have, rolled for each table. */
const ODDITIES = [
  "",
  "",
  "unnamed",
  "unnamed checks",
  "checks beside",
  "counted",
  "owned",
  "options",
  "deferred",
  "staged",
  "keyless",
  "told by a unique",
] as const;

function withOddities(
  schema: Schema,
  shapes: readonly Shape[],
  stages: readonly string[] | undefined,
): Schema {
  const referred = new Set(
    schema.tables.flatMap(table => table.foreignKeys.map(({ references }) => references.table)),
  );
  const tables = schema.tables.map((table, at): Table => {
    const alone = !referred.has(addressOf(table)) && table.foreignKeys.length === 0;
    return withOddity(table, shapes[at]!, alone, stages !== undefined);
  });
  if (!stages) return { tables };
  return { tables, definitions: [{ kind: "enum", name: "stage of it", values: stages }] };
}

function withOddity(table: Table, { odd, key }: Shape, alone: boolean, staged: boolean): Table {
  const unnamed = <P extends { readonly name: string }>(part: P): P => ({ ...part, name: "" });
  switch (odd) {
    case "unnamed":
      return {
        ...table,
        ...(table.key && { key: unnamed(table.key) }),
        uniques: table.uniques.map(unnamed),
        foreignKeys: table.foreignKeys.map(unnamed),
        checks: table.checks.map(unnamed),
      };
    case "unnamed checks":
      return { ...table, checks: table.checks.map(unnamed) };
    case "checks beside":
      return {
        ...table,
        checks: table.checks.map(check => {
          const [column] = columnsOfPart("check", check);
          return column === undefined ? check : { ...check, name: column, column };
        }),
      };
    case "counted":
      return {
        ...table,
        columns: table.columns.map(column =>
          column.identity ? { ...column, identity: table.uniques.length > 0 ? "always" : "rowid" } : column,
        ),
      };
    case "owned":
      return {
        ...table,
        columns: table.columns.map(column =>
          column.identity
            ? {
                ...column,
                options: { postgres: { sequence: addressOf({ name: `counter of ${table.name}` }) } },
              }
            : column,
        ),
      };
    case "options":
      return {
        ...table,
        options: {
          postgres: { with: "fillfactor=70", ...(alone && { unlogged: "yes" }) },
          mariadb: { with: "row_format=DYNAMIC" },
          sqlite: { types: "capitals", ...(key !== "serial" && { "without rowid": "yes" }) },
        },
        columns: table.columns.map(column =>
          column.identity ? column : { ...column, options: { postgres: { statistics: "50" } } },
        ),
      };
    case "deferred":
      return { ...table, uniques: table.uniques.map(unique => ({ ...unique, deferrable: "deferred" })) };
    case "staged":
      return staged ? { ...table, columns: [...table.columns, STAGE] } : table;
    case "keyless": {
      const { key: _, ...rest } = table;
      return alone && key !== "serial" ? rest : table;
    }
    case "told by a unique": {
      const { key: its, ...rest } = table;
      if (!its || !alone || key === "serial") return table;
      const { columns } = its;
      return {
        ...rest,
        uniques: [...rest.uniques, { name: constraintName("uq", table.name, columns), columns }],
      };
    }
    default:
      return table;
  }
}

/** A column of the type beside the tables; on other dialects a text. */
const STAGE: Column = {
  name: "how far",
  type: {
    kind: "native",
    sql: { postgres: '"stage of it"', sqlite: "text", mariadb: "varchar(20)" },
  },
  nullable: true,
  default: { kind: "sql", sql: "'bisque'" },
};

/** What is rolled for one table; references are resolved when all tables are known. */
interface Shape {
  readonly key: "serial" | "text" | "composite";
  readonly columns: readonly {
    name: string;
    type: DataType;
    nullable: boolean;
    value: number;
    note: boolean;
    collated: boolean;
  }[];
  readonly uniques: readonly number[];
  readonly indexes: readonly {
    at: number;
    descending: boolean;
    unique: boolean;
    partial: boolean;
    expression: boolean;
  }[];
  readonly references: readonly { target: number; nullable: boolean; onDelete: Action; deferred: boolean }[];
  readonly checks: readonly number[];
  readonly stamped: boolean;
  readonly computed: boolean;
  readonly odd: (typeof ODDITIES)[number];
}

/** Types of each engine's own, with a value of theirs. */
const NATIVES: readonly (readonly [sql: Readonly<Record<string, string>>, value: SqlText])[] = [
  [{ postgres: "int4", mariadb: "INT UNSIGNED", sqlite: "int" }, "7"],
  [{ postgres: "numeric", mariadb: "decimal(8,2) unsigned", sqlite: "numeric" }, "7"],
  [
    { postgres: "character varying(20)", mariadb: "enum('made','bisque','7')", sqlite: "nvarchar(20)" },
    "'made'",
  ],
  [{ postgres: "interval", mariadb: "time(3)", sqlite: "text" }, "'01:02:03'"],
  [
    { postgres: "text[]", mariadb: "set('a','b')", sqlite: "blob" },
    { postgres: "ARRAY['a']", mariadb: "'a'", sqlite: "x'61'" },
  ],
  [{ postgres: "inet", mariadb: "inet6", sqlite: "text" }, "'::1'"],
  [{ postgres: "char(3)", mariadb: "char(3)", sqlite: "char(3)" }, "'a'"],
  [{ postgres: "float4", mariadb: "float", sqlite: "real" }, "1.5"],
  [
    { postgres: "timestamp(3) with time zone", mariadb: "datetime(3)", sqlite: "datetime" },
    "'2026-03-04 05:06:07'",
  ],
];

const nativeType: fc.Arbitrary<DataType> = fc
  .constantFrom(...NATIVES)
  .map(([sql]) => ({ kind: "native", sql }) as const);

/** How texts are compared where that is not as usual. */
const COLLATION: SqlText = { sqlite: "NOCASE", postgres: "C", mariadb: "utf8mb4_bin" };

const plainType: fc.Arbitrary<DataType> = fc.oneof(
  fc.constantFrom<DataType>(
    { kind: "integer" },
    { kind: "bigint" },
    { kind: "smallint" },
    { kind: "double" },
    { kind: "text" },
    { kind: "boolean" },
    { kind: "date" },
    { kind: "timestamptz" },
    { kind: "json" },
    { kind: "bytes" },
    { kind: "uuid" },
  ),
  fc.integer({ min: 5, max: 30 }).map(length => ({ kind: "varchar", length }) as const),
  fc.integer({ min: 4, max: 12 }).map(precision => ({ kind: "decimal", precision, scale: 2 }) as const),
);

const arbitraryShape = (hostile: boolean): fc.Arbitrary<Shape> =>
  fc.record({
    key: fc.constantFrom("serial", "text", "composite"),
    columns: fc.uniqueArray(
      fc.record({
        name: fc.constantFrom(...(hostile ? ALL_COLUMNS : COLUMN_NAMES)),
        type: hostile ? fc.oneof({ arbitrary: plainType, weight: 3 }, nativeType) : plainType,
        collated: hostile ? fc.nat(3).map(roll => roll === 0) : fc.constant(false),
        nullable: fc.boolean(),
        value: fc.integer({ min: 0, max: 3 }),
        note: fc.boolean(),
      }),
      { selector: ({ name }) => name.toLowerCase(), maxLength: 5 },
    ),
    uniques: fc.array(fc.nat(4), { maxLength: 2 }),
    indexes: fc.array(
      fc.record({
        at: fc.nat(4),
        descending: fc.boolean(),
        unique: fc.boolean(),
        partial: fc.boolean(),
        expression: fc.boolean(),
      }),
      { maxLength: 2 },
    ),
    references: fc.array(
      fc.record({
        target: fc.nat(3),
        nullable: fc.boolean(),
        onDelete: fc.constantFrom<Action>("restrict", "cascade", "set null", "no action"),
        deferred: fc.boolean(),
      }),
      { maxLength: 2 },
    ),
    checks: fc.array(fc.nat(4), { maxLength: 2 }),
    stamped: fc.boolean(),
    computed: fc.boolean(),
    odd: fc.constantFrom(...ODDITIES),
  });

function buildSchema(names: readonly string[], shapes: readonly Shape[]): Schema {
  const keys = shapes.map(keyColumns);
  const built = names.map((name, at): Table => {
    const shape = shapes[at]!;
    const references = shape.references.map((reference, index) => {
      const target = reference.target % names.length;
      const columns = keys[target]!.map((key): Column => {
        const { identity: _, ...rest } = key;
        return { ...rest, name: `ref${index}_${key.name}`, nullable: reference.nullable };
      });
      return { ...reference, target, columns };
    });
    const plain = shape.columns.map(plainColumn);
    const extra: Column[] = [
      ...(shape.computed && shape.key !== "serial"
        ? [
            {
              name: "tidy",
              type: { kind: "text" },
              nullable: true,
              computed: { sql: COMPUTED, stored: true },
            } as const,
          ]
        : []),
      ...(shape.stamped
        ? [{ name: "updated_at", type: { kind: "timestamptz" }, nullable: false, stamp: "updated" } as const]
        : []),
    ];
    return {
      name,
      columns: [...keys[at]!, ...plain, ...references.flatMap(({ columns }) => columns), ...extra],
      key: { name: `pk_${name}`, columns: keys[at]!.map(column => column.name) },
      uniques: byName(
        shape.uniques.flatMap(number => {
          const columns = plain.slice(number, number + 2).map(column => column.name);
          return columns.length > 0 ? [{ name: constraintName("uq", name, columns), columns }] : [];
        }),
      ),
      indexes: byName(shape.indexes.flatMap(index => buildIndex(name, plain, index))),
      foreignKeys: byName(
        references.map(({ target, columns, onDelete, nullable, deferred }): ForeignKey => {
          const own = columns.map(column => column.name);
          return {
            name: constraintName("fk", name, own),
            columns: own,
            references: {
              table: addressOf({ name: names[target]! }),
              columns: keys[target]!.map(column => column.name),
            },
            onDelete: onDelete === "set null" && !nullable ? "cascade" : onDelete,
            onUpdate: "no action",
            ...(deferred && { deferrable: "deferred" }),
          };
        }),
      ),
      checks: byName(
        shape.checks.flatMap(number => {
          const column = plain[number];
          return column ? [buildCheck(name, column)] : [];
        }),
      ),
    };
  });
  return { tables: built };
}

function byName<T extends { readonly name: string }>(parts: readonly T[]): T[] {
  return [...new Map(parts.map(part => [part.name, part])).values()];
}

function keyColumns({ key }: Shape): Column[] {
  const id = (type: DataType): Column => ({ name: "id", type, nullable: false });
  if (key === "serial") return [{ ...id({ kind: "integer" }), identity: "serial" }];
  if (key === "text") return [id({ kind: "varchar", length: 20 })];
  return [id({ kind: "integer" }), { name: "part", type: { kind: "varchar", length: 10 }, nullable: false }];
}

function plainColumn({ name, type, nullable, value, note, collated }: Shape["columns"][number]): Column {
  const given = defaultFor(type, value);
  return {
    name,
    type,
    nullable,
    ...(given && { default: given }),
    ...(note && { note: `all about ${name}` }),
    ...(collated && (type.kind === "text" || type.kind === "varchar") && { collation: COLLATION }),
  };
}

function defaultFor(type: DataType, value: number): Default | undefined {
  if (value === 0) return undefined;
  if (value === 3 && type.kind === "text") return { kind: "sql", sql: "upper('made')" };
  if (value === 3 && type.kind === "uuid") return { kind: "uuid" };
  switch (type.kind) {
    case "integer":
    case "bigint":
    case "smallint":
    case "double":
    case "decimal":
      return { kind: "value", value };
    case "boolean":
      return { kind: "value", value: value === 1 };
    case "text":
    case "varchar":
      return { kind: "value", value: `it's ${value}`.slice(0, 5) };
    default:
      return undefined;
  }
}

function buildIndex(table: string, plain: readonly Column[], index: Shape["indexes"][number]): Index[] {
  const column = plain[index.at];
  if (!column) return [];
  const { descending, unique, partial, expression } = index;
  const placeholder = placeholderOf(column.name);
  const part = expression ? { sql: `(${placeholder} IS NULL) = ('x{y}' = 'x')` } : { column: column.name };
  return [
    {
      name: constraintName("ix", table, [column.name]),
      parts: [{ ...part, ...(descending && { descending }) }],
      ...(unique && { unique }),
      ...(partial && { where: `${placeholder} IS NOT NULL` }),
    },
  ];
}

function buildCheck(table: string, column: Column): Check {
  const rule = ((): Rule => {
    switch (column.type.kind) {
      case "integer":
      case "bigint":
      case "smallint":
      case "double":
      case "decimal":
        return { kind: "min", column: column.name, value: 1 };
      case "varchar":
        return { kind: "max length", column: column.name, value: column.type.length };
      case "boolean":
        return { kind: "boolean", column: column.name };
      case "json":
        return { kind: "json", column: column.name };
      case "text":
        return { kind: "in", column: column.name, values: ["it's", "made", 'say "x"'] };
      default:
        return {
          kind: "sql",
          sql: `${placeholderOf(column.name)} IS NOT NULL OR '{not} a placeholder' <> ''`,
        };
    }
  })();
  return { name: constraintName("ck", table, [column.name]), rules: [rule] };
}

/** Renames between two schemas: an old table that is gone for a new one, and the same for columns. */
export function renamesBetween(a: Schema, b: Schema, seed: number) {
  const gone = a.tables.filter(table => !b.tables.some(({ name }) => name === table.name)).map(addressOf);
  const fresh = b.tables.filter(table => !a.tables.some(({ name }) => name === table.name)).map(addressOf);
  const tables = new Map(
    gone.slice(0, seed % 3).flatMap((from, at) => (fresh[at] ? [[from, fresh[at]] as const] : [])),
  );
  const names = (list: readonly { readonly name: string }[]) => list.map(({ name }) => name);
  for (const [from, to] of tradeOf(names(a.tables), names(b.tables), ALL_TABLES, seed + 2))
    tables.set(addressOf({ name: from }), addressOf({ name: to }));
  const columns = new Map<string, ReadonlyMap<string, string>>();
  for (const now of b.tables) {
    const address = addressOf(now);
    const from = [...tables].find(([, to]) => to === address)?.[0] ?? address;
    const was = a.tables.find(table => addressOf(table) === from);
    const lost = was?.columns.filter(({ name }) => !now.columns.some(column => column.name === name)) ?? [];
    const won = now.columns.filter(({ name }) => !was?.columns.some(column => column.name === name));
    const trade = was ? tradeOf(names(was.columns), names(now.columns), ALL_COLUMNS, seed) : [];
    const pairs = lost
      .slice(0, seed % 2)
      .flatMap((column, at) => (won[at] ? [[column.name, won[at].name] as const] : []));
    if (pairs.length + trade.length > 0) columns.set(address, new Map([...pairs, ...trade]));
  }
  return { tables, columns };
}

/** Two that trade their names, or of which one takes the name of the other, which goes or comes anew. */
function tradeOf(
  was: readonly string[],
  now: readonly string[],
  usual: readonly string[],
  seed: number,
): (readonly [string, string])[] {
  const [first, second] = was.filter(name => usual.includes(name) && now.includes(name));
  if (first === undefined || second === undefined) return [];
  if (seed % 5 === 0)
    return [
      [first, second],
      [second, first],
    ];
  return seed % 5 === 1 ? [[first, second]] : [];
}

/** What parts are sorted by: some have no name. */
export function nameOrText(part: { readonly name: string }): string {
  return part.name || JSON.stringify(part);
}

/** Renames, what old rows get, and how values become those of another type: whatever they were, one and the same. */
export function hintsBetween(
  a: Schema,
  b: Schema,
  seed: number,
  renames = renamesBetween(a, b, seed),
): DiffHints {
  const fills = new Map<string, Default>();
  const conversions = new Map<string, Conversion>();
  for (const table of b.tables) {
    const from = [...renames.tables].find(([, to]) => to === addressOf(table))?.[0] ?? addressOf(table);
    const was = a.tables.find(each => addressOf(each) === from);
    for (const column of table.columns) {
      if (!ALL_COLUMNS.includes(column.name)) continue;
      const key = fillKey(addressOf(table), column.name);
      fills.set(key, { kind: "sql", sql: sampleOf(column.type) });
      const old = [...(renames.columns.get(addressOf(table)) ?? [])].find(
        ([, to]) => to === column.name,
      )?.[0];
      const before = was?.columns.find(({ name }) => name === (old ?? column.name));
      // Without any, the engine converts by its own rules, or refuses to.
      if (!before || seed % 4 === 0) continue;
      const isOne =
        before.type.kind === column.type.kind &&
        (column.type.kind !== "native" || JSON.stringify(before.type) === JSON.stringify(column.type));
      const alike = isOne && seed % 4 === 1;
      const same = { convert: placeholderOf(column.name), convertBack: placeholderOf(column.name) };
      const convert = sampleOf(column.type);
      // Without a way back the attic alone has what was.
      const isOneWay = seed % 4 === 2;
      conversions.set(
        key,
        alike ? same : { convert, ...(!isOneWay && { convertBack: sampleOf(before.type) }) },
      );
    }
  }
  return { ...renames, fills, conversions };
}

/** A value that keeps to every check of a column of a type. */
function sampleOf(type: DataType): SqlText {
  switch (type.kind) {
    case "boolean":
      return { sqlite: "1", postgres: "true", mariadb: "1" };
    case "date":
      return "'2026-03-04'";
    case "timestamptz":
      return "'2026-03-04 05:06:07'";
    case "json":
      return "'{}'";
    case "bytes":
      return { sqlite: "x'01'", postgres: "'\\x01'::bytea", mariadb: "x'01'" };
    case "uuid":
      return "'6a1f0c1e-0000-4000-8000-00000000000a'";
    case "text":
    case "varchar":
      return "'made'";
    case "native":
      return NATIVES.find(([sql]) => sql["postgres"] === type.sql["postgres"])?.[1] ?? "'bisque'";
    default:
      return "7";
  }
}

/** A schema as a database holds it, in an order that does not depend on how it came about. */
export function inOrder({ tables, definitions = [] }: Schema) {
  const sorted = <T extends { readonly name: string }>(parts: readonly T[]) =>
    [...parts].sort((x, y) => (nameOrText(x) < nameOrText(y) ? -1 : 1));
  return {
    definitions: [...definitions].sort((x, y) => (definitionKey(x) < definitionKey(y) ? -1 : 1)),
    tables: sorted(tables).map(table => ({
      ...table,
      columns: sorted(table.columns),
      uniques: sorted(table.uniques),
      indexes: sorted(table.indexes),
      foreignKeys: sorted(table.foreignKeys),
      checks: sorted(table.checks),
    })),
  };
}

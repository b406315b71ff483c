import { apply } from "../../src/core/change/apply.js";
import { diff, fillKey } from "../../src/core/change/diff.js";
import type { Change } from "../../src/core/change/types.js";
import { sha256 } from "../../src/core/sha256.js";
import { addressOf } from "../../src/core/schema/address.js";
import { columnsOfPart } from "../../src/core/schema/lookups.js";
import {
  PART_KINDS,
  partsOf,
  withParts,
  type Column,
  type Schema,
  type Table,
} from "../../src/core/schema/types.js";

/** A whole number below a limit, another each time. */
export type Roll = (limit: number) => number;

/** The same numbers for the same seed: a hash of how many there were. */
export function rollFrom(seed: number): Roll {
  let turn = 0;
  return limit =>
    parseInt(
      sha256(`${seed} ${(turn += 1)}`)
        .toString("hex")
        .slice(0, 12),
      16,
    ) % limit;
}

type Make = (schema: Schema, table: Table, roll: Roll, number: number) => readonly Change[] | undefined;

/** What people do to a schema that has been there for long, by what they call it. */
const MAKES: Readonly<Record<string, Make>> = {
  "rename a table": (_, table, __, number) => [
    {
      kind: "rename table",
      from: addressOf(table),
      to: addressOf({ ...table, name: `${table.name} ${number}` }),
    },
  ],
  "rename a column": (_, table, roll, number) => {
    const column = one(table.columns, roll);
    return (
      column && [
        { kind: "rename column", table: addressOf(table), from: column.name, to: `${column.name} ${number}` },
      ]
    );
  },
  "move to a namespace": (_, table, __, number) =>
    table.namespace === undefined
      ? [
          {
            kind: "rename table",
            from: addressOf(table),
            to: addressOf({ name: table.name, namespace: `annex${number}` }),
          },
        ]
      : undefined,
  widen: retyped(({ type }) => {
    if (type.kind === "varchar" && type.length < 8_000) return { kind: "varchar", length: type.length * 2 };
    return type.kind === "integer" ? { kind: "bigint" } : undefined;
  }),
  narrow: retyped(({ type }) => {
    if (type.kind === "varchar" && type.length > 8)
      return { kind: "varchar", length: Math.ceil(type.length / 4) };
    return type.kind === "bigint" ? { kind: "integer" } : undefined;
  }),
  "turn into a text": retyped(({ type }) =>
    ["integer", "smallint", "boolean", "date", "timestamp"].includes(type.kind)
      ? { kind: "varchar", length: 40 }
      : undefined,
  ),
  require: (schema, table, roll) => {
    const column = one(
      table.columns.filter(each => each.nullable && !each.computed && SAMPLES[each.type.kind] !== undefined),
      roll,
    );
    if (!column) return undefined;
    const fills = new Map([
      [fillKey(addressOf(table), column.name), { kind: "value", value: SAMPLES[column.type.kind]! } as const],
    ]);
    return diff(schema, withColumn(schema, table, { ...column, nullable: false }), { fills });
  },
  relax: (schema, table, roll) => {
    const free = table.columns.filter(
      ({ name, nullable, identity }) => !nullable && !identity && !isInKey(name, table),
    );
    const column = one(free, roll);
    return column && diff(schema, withColumn(schema, table, { ...column, nullable: true }));
  },
  "drop a column": (schema, table, roll) => {
    const column = one(
      table.columns.filter(({ name }) => !isInKey(name, table) && !isReferred(schema, table, name)),
      roll,
    );
    return column && table.columns.length > 1
      ? diff(schema, withTable(schema, table, withoutColumn(table, column.name)))
      : undefined;
  },
  "split a column off": (schema, table, roll, number) => {
    const column = one(
      table.columns.filter(
        ({ name, identity, computed }) =>
          !identity && !computed && !isInKey(name, table) && !isReferred(schema, table, name),
      ),
      roll,
    );
    if (!column || table.columns.length < 2) return undefined;
    const name = `${table.name} more ${number}`;
    const more: Table = {
      name,
      columns: [
        { name: "id", type: { kind: "integer" }, nullable: false, identity: "serial" },
        { ...column, nullable: true },
      ],
      key: { name: `pk_${name}`, columns: ["id"] },
      uniques: [],
      indexes: [],
      foreignKeys: [],
      checks: [],
    };
    const rest = withTable(schema, table, withoutColumn(table, column.name));
    return diff(schema, { ...rest, tables: [...rest.tables, more] });
  },
  "drop a table": (schema, table) => {
    const address = addressOf(table);
    const tables = schema.tables
      .filter(each => each !== table)
      .map(each => ({
        ...each,
        foreignKeys: each.foreignKeys.filter(({ references }) => references.table !== address),
      }));
    return schema.tables.length > 3 ? diff(schema, { ...schema, tables }) : undefined;
  },
  "another type of key": (schema, table) => {
    const [name, ...more] = table.key?.columns ?? [];
    const key = table.columns.find(column => column.name === name);
    if (!key || more.length > 0 || key.type.kind !== "integer") return undefined;
    const address = addressOf(table);
    const large = (each: Table, names: readonly string[]): Table => ({
      ...each,
      columns: each.columns.map(column =>
        names.includes(column.name) ? { ...column, type: { kind: "bigint" } } : column,
      ),
    });
    const tables = schema.tables.map(each => {
      const own = each === table ? [key.name] : [];
      const referring = each.foreignKeys.flatMap(({ columns, references }) =>
        references.table === address ? columns : [],
      );
      return large(each, [...own, ...referring]);
    });
    return diff(schema, { ...schema, tables });
  },
  "another delete rule": (schema, table, roll) => {
    const reference = one(table.foreignKeys, roll);
    if (!reference) return undefined;
    const onDelete = reference.onDelete === "cascade" ? "no action" : "cascade";
    const foreignKeys = table.foreignKeys.map(each =>
      each === reference ? ({ ...each, onDelete } as const) : each,
    );
    return diff(schema, withTable(schema, table, { ...table, foreignKeys }));
  },
  "add a column": (schema, table, _, number) => {
    const column: Column = {
      name: `added ${number}`,
      type: { kind: "integer" },
      nullable: false,
      default: { kind: "value", value: number },
    };
    return diff(schema, withTable(schema, table, { ...table, columns: [...table.columns, column] }));
  },
  "add an index": (schema, table, roll, number) => {
    const column = one(
      table.columns.filter(({ type }) => ["integer", "bigint", "varchar"].includes(type.kind)),
      roll,
    );
    const index = column && { name: `ix_made_${number}`, parts: [{ column: column.name }] };
    return index && diff(schema, withTable(schema, table, { ...table, indexes: [...table.indexes, index] }));
  },
};

const SAMPLES: Readonly<Partial<Record<Column["type"]["kind"], string | number | boolean>>> = {
  integer: 7,
  smallint: 7,
  bigint: 7,
  varchar: "made",
  text: "made",
  boolean: true,
  date: "2026-03-04",
  timestamp: "2026-03-04 05:06:07",
};

export interface MadeUpChange {
  readonly what: string;
  readonly changes: readonly Change[];
  readonly after: Schema;
}

/** Something that may be done to a schema; undefined: what was rolled is nothing for it. */
export function madeUpChange(schema: Schema, roll: Roll, number: number): MadeUpChange | undefined {
  const [what, make] = Object.entries(MAKES)[roll(Object.keys(MAKES).length)]!;
  const table = one(schema.tables, roll);
  const changes = table && make(schema, table, roll, number);
  return changes && changes.length > 0 ? { what, changes, after: apply(schema, changes) } : undefined;
}

function retyped(into: (column: Column) => Column["type"] | undefined): Make {
  return (schema, table, roll) => {
    const free = table.columns.filter(
      ({ name, identity, computed }) =>
        !identity &&
        !computed &&
        !isReferred(schema, table, name) &&
        !table.foreignKeys.some(({ columns }) => columns.includes(name)),
    );
    const column = one(free, roll);
    const type = column && into(column);
    if (!type) return undefined;
    const { default: _, ...rest } = column;
    const checks = table.checks.filter(check => !columnsOfPart("check", check).includes(column.name));
    return diff(schema, withTable(schema, table, { ...withColumnOf(table, { ...rest, type }), checks }));
  };
}

function one<T>(list: readonly T[], roll: Roll): T | undefined {
  return list[roll(Math.max(1, list.length))];
}

function isInKey(name: string, { key }: Table): boolean {
  return key?.columns.includes(name) ?? false;
}

function isReferred({ tables }: Schema, table: Table, name: string): boolean {
  const address = addressOf(table);
  return tables.some(({ foreignKeys }) =>
    foreignKeys.some(({ references }) => references.table === address && references.columns.includes(name)),
  );
}

function withTable(schema: Schema, old: Table, table: Table): Schema {
  return { ...schema, tables: schema.tables.map(each => (each === old ? table : each)) };
}

function withColumnOf(table: Table, column: Column): Table {
  return { ...table, columns: table.columns.map(each => (each.name === column.name ? column : each)) };
}

function withColumn(schema: Schema, table: Table, column: Column): Schema {
  return withTable(schema, table, withColumnOf(table, column));
}

/** Without the column, and without all that is about it. */
function withoutColumn(table: Table, name: string): Table {
  return PART_KINDS.reduce<Table>(
    (so, kind) =>
      withParts(
        so,
        kind,
        partsOf(so, kind).filter(part => !columnsOfPart(kind, part).includes(name)),
      ),
    { ...table, columns: table.columns.filter(column => column.name !== name) },
  );
}

import { afterAll, describe, expect, test } from "vitest";
import { apply } from "../../src/core/change/apply.js";
import { diff, fillKey, type Conversion, type DiffHints } from "../../src/core/change/diff.js";
import { planFor } from "../../src/core/plan/plan.js";
import { addressOf } from "../../src/core/schema/address.js";
import type { Check, Column, DataType, Default, Definition, Table } from "../../src/core/schema/types.js";
import { ID, potterId, refers, table, TITLE, WEIGHT } from "../core/render-cases.js";
import { allEngines, thereAndBack } from "../laws/there-and-back.js";

const column = (name: string, type: DataType | string, more: Partial<Column> = {}): Column => ({
  name,
  type: typeof type === "string" ? ({ kind: type } as DataType) : type,
  nullable: true,
  ...more,
});
const REQUIRED = { nullable: false } as const;
const NUMBER = column("id", "integer", REQUIRED);
const NOTES = column("notes", "text");
const UPDATED = column("updated_at", "timestamptz", { ...REQUIRED, stamp: "updated" });
const pieces = (columns: readonly Column[], more: Partial<Table> = {}) =>
  table("pieces", { columns: [ID, ...columns], ...more });
const renamed = (names: Record<string, string>, address = "pieces") =>
  new Map([[address, new Map(Object.entries(names))]]);
const filled = (name: string, value: string | number) =>
  new Map([[fillKey("pieces", name), { kind: "value", value } as Default]]);
const converted = (name: string, conversion: Conversion) => new Map([[fillKey("pieces", name), conversion]]);
const byWeight = (name: string) => ({ name: `ix_${name}_weight`, parts: [{ column: "weight" }] });
const AT_LEAST_ONE: Check = {
  name: "ck_pieces_weight",
  rules: [{ kind: "min", column: "weight", value: 1 }],
};
const MOOD: Definition = { kind: "enum", name: "mood", values: ["calm", "wild"] };
const mood = (name: string) =>
  column(
    name,
    { kind: "native", sql: { sqlite: "text", postgres: "mood", mariadb: "varchar(9)" } },
    {
      default: { kind: "sql", sql: { sqlite: "'calm'", postgres: "'calm'::mood", mariadb: "'calm'" } },
    },
  );

const SWAPPED = ["title", "label"].map(name => column(name, { kind: "varchar", length: 20 }));
/** Parts of two columns, each named after the column it is about; the first is about what is called so. */
const named = (first: string, second: string): Partial<Table> => ({
  indexes: [first, second].map((name, at) => ({
    name: `ix_${name}`,
    parts: [{ column: name, ...(at === 0 && { descending: true }) }],
  })),
  uniques: [first, second].map(name => ({ name: `uq_${name}`, columns: [name, "id"] })),
  checks: [first, second].map((name, at) => ({
    name: `ck_${name}`,
    rules: [{ kind: "max length", column: name, value: 19 - at }],
  })),
});

const CODE = column("code", { kind: "varchar", length: 20 }, REQUIRED);
const CODE_KEY: Column = { ...CODE, name: "id" };
const latin = (collation: string): Partial<Table> => ({ options: { mariadb: { collation } } });

/** What speaks of a type's values, in the words of each dialect. */
const calm = (name: string) => ({
  sqlite: `{${name}} = 'calm'`,
  postgres: `{${name}} = 'calm'::mood`,
  mariadb: `{${name}} = 'calm'`,
});
const aboutMood: Partial<Table> = {
  checks: [{ name: "ck_calm", rules: [{ kind: "sql", sql: calm("feel") }] }],
  indexes: [{ name: "ix_calm", parts: [{ column: "title" }], where: calm("felt") }],
};

interface Case {
  readonly before: readonly Table[];
  readonly after: readonly Table[];
  readonly hints?: DiffHints;
  readonly definitions?: readonly Definition[];
  /** The same afterwards, where they differ. */
  readonly redefined?: readonly Definition[];
  /** Nothing is dropped on the way, whatever a dialect calls things. */
  readonly keeps?: boolean;
}

const LONG = `a name that goes on and on ${"and on ".repeat(6)}`;

/** What long hunts have found, and what is easily got wrong: names that move from one thing to another. */
const CASES: Readonly<Record<string, Case>> = {
  "a column that is filled and changes its type at once": {
    before: [pieces([WEIGHT])],
    after: [pieces([column("weight", "text", REQUIRED)])],
    hints: { fills: filled("weight", "none") },
  },
  "a required column that may be null from now on": {
    before: [pieces([{ ...WEIGHT, ...REQUIRED }])],
    after: [pieces([WEIGHT])],
    hints: { fills: filled("weight", 3) },
  },
  "a column that is filled, converted and renamed": {
    before: [pieces([WEIGHT, TITLE])],
    after: [pieces([column("load", "text", REQUIRED), { ...TITLE, name: "label" }])],
    hints: {
      columns: renamed({ weight: "load", title: "label" }),
      fills: filled("load", "none"),
      conversions: converted("load", { convert: "concat('w', {label})", convertBack: "7" }),
    },
  },
  "a key that changes while values are to come back": {
    before: [
      table("pieces", {
        columns: [NUMBER, TITLE, NOTES],
        uniques: [{ name: "uq_title", columns: ["title"] }],
      }),
    ],
    after: [
      table("pieces", {
        columns: [NUMBER, TITLE],
        key: { name: "pk_pieces", columns: ["title"] },
        uniques: [{ name: "uq_id", columns: ["id"] }],
      }),
    ],
  },
  "a column of the key that counts up beside one that is to come back": {
    before: [
      pieces([column("batch", "integer", REQUIRED)], {
        columns: [
          { name: "id", type: { kind: "integer" }, ...REQUIRED },
          column("batch", "integer", REQUIRED),
          NOTES,
        ],
        key: { name: "pk_pieces", columns: ["id", "batch"] },
      }),
    ],
    after: [pieces([column("batch", "integer", REQUIRED)])],
  },
  "a table that goes with its type": {
    before: [pieces([TITLE]), table("moods", { columns: [ID, mood("now"), mood("then")] })],
    after: [pieces([TITLE])],
    definitions: [MOOD],
  },
  "values of a type that comes and goes": {
    before: [pieces([mood("now"), column("later", "text")])],
    after: [pieces([column("now", "text"), mood("later")])],
    definitions: [MOOD],
    hints: { conversions: converted("later", { convert: "'wild'" }) },
  },
  "values that are replaced beside a stamp, and a stamp that goes with them": {
    before: [pieces([WEIGHT, NOTES, UPDATED]), table("firings", { columns: [ID, WEIGHT, UPDATED] })],
    after: [
      pieces([{ ...WEIGHT, ...REQUIRED }, UPDATED]),
      table("firings", { columns: [ID, column("weight", "text", REQUIRED)] }),
    ],
    hints: {
      fills: new Map([
        ...filled("weight", 3),
        [fillKey("firings", "weight"), { kind: "value", value: "none" }],
      ]),
    },
  },
  "a column that is worked out from now on, and one that no longer is": {
    before: [
      pieces([
        WEIGHT,
        column("double", "integer"),
        column("half", "integer", { computed: { sql: "{weight} / 2", stored: true } }),
      ]),
    ],
    after: [
      pieces([
        WEIGHT,
        column("double", "integer", { computed: { sql: "{weight} * 2", stored: true } }),
        column("half", "bigint"),
      ]),
    ],
    hints: {
      conversions: new Map([
        ...converted("double", { convert: "1", convertBack: "2" }),
        ...converted("half", { convert: "3", convertBack: "4" }),
      ]),
    },
  },
  "a column that was worked out, and is filled where that gave nothing": {
    before: [
      pieces([WEIGHT, column("double", "integer", { computed: { sql: "{weight} * 2", stored: true } })]),
    ],
    after: [pieces([WEIGHT, column("double", "integer", REQUIRED)])],
    hints: { fills: filled("double", 3) },
  },
  "values that cannot be turned back, of which the attic has the old ones": {
    before: [pieces([WEIGHT, column("mark", "uuid", REQUIRED), column("fired", "date")])],
    after: [
      pieces([
        column("weight", "text"),
        column("mark", "integer", REQUIRED),
        column("fired", { kind: "varchar", length: 3 }),
      ]),
    ],
    hints: {
      conversions: new Map([
        ...converted("weight", { convert: "'heavy'" }),
        ...converted("mark", { convert: "7" }),
        ...converted("fired", { convert: "'yes'" }),
      ]),
    },
  },
  "a descending unique index over texts of any length": {
    before: [pieces([column("stage", "json", REQUIRED), NOTES])],
    after: [
      pieces([column("stage", "json", REQUIRED)], {
        indexes: [{ name: "ix_stage", parts: [{ column: "stage", descending: true }], unique: true }],
      }),
    ],
  },
  "a key of another type that others refer to": {
    before: [
      table("potters"),
      pieces([TITLE, potterId], { foreignKeys: [refers("pieces", "potter_id", "potters")] }),
    ],
    after: [
      table("potters", { columns: [{ ...ID, type: { kind: "bigint" } }, TITLE] }),
      pieces([TITLE, { ...potterId, type: { kind: "bigint" } }], {
        foreignKeys: [refers("pieces", "potter_id", "potters", { onDelete: "cascade" })],
      }),
    ],
  },
  "two tables that swap their names, one of which others refer to": {
    before: [
      table("shelves", { columns: [ID, TITLE, WEIGHT] }),
      table("racks", { columns: [ID, NOTES] }),
      pieces([{ ...potterId, name: "rack_id" }], { foreignKeys: [refers("pieces", "rack_id", "racks")] }),
    ],
    after: [
      table("racks", { columns: [ID, TITLE, WEIGHT], key: { name: "pk_shelves", columns: ["id"] } }),
      table("shelves", { columns: [ID, NOTES], key: { name: "pk_racks", columns: ["id"] } }),
      pieces([{ ...potterId, name: "rack_id" }], { foreignKeys: [refers("pieces", "rack_id", "shelves")] }),
    ],
    hints: {
      tables: new Map([
        ["shelves", "racks"],
        ["racks", "shelves"],
      ]),
    },
  },
  "two tables that swap their names with those of their keys": {
    before: [table("shelves", { columns: [ID, TITLE, WEIGHT] }), table("racks", { columns: [ID, NOTES] })],
    after: [table("racks", { columns: [ID, TITLE, WEIGHT] }), table("shelves", { columns: [ID, NOTES] })],
    hints: {
      tables: new Map([
        ["shelves", "racks"],
        ["racks", "shelves"],
      ]),
    },
  },
  "two tables with odd names that swap them, with their indexes and stamps": {
    before: [
      table('odd "name"', { columns: [ID, WEIGHT, UPDATED], indexes: [byWeight('odd "name"')] }),
      table("racks", { columns: [ID, WEIGHT, UPDATED, NOTES], indexes: [byWeight("racks")] }),
    ],
    after: [
      table("racks", { columns: [ID, WEIGHT, UPDATED], indexes: [byWeight("racks")] }),
      table('odd "name"', {
        columns: [ID, { ...WEIGHT, ...REQUIRED }, UPDATED, NOTES],
        indexes: [byWeight('odd "name"')],
      }),
    ],
    hints: {
      tables: new Map([
        [addressOf({ name: 'odd "name"' }), "racks"],
        ["racks", addressOf({ name: 'odd "name"' })],
      ]),
      fills: new Map([
        [fillKey(addressOf({ name: 'odd "name"' }), "weight"), { kind: "value", value: 3 } as const],
      ]),
    },
  },
  "a new table that takes the name of one that is renamed, a reference of the same name and all": {
    before: [
      table("potters", { columns: [ID] }),
      pieces([potterId], { foreignKeys: [refers("pieces", "potter_id", "potters")] }),
    ],
    after: [
      table("potters", { columns: [{ ...ID, type: { kind: "bigint" } }] }),
      table("works", { columns: [ID], key: { name: "pk_pieces", columns: ["id"] } }),
      pieces([{ ...potterId, type: { kind: "bigint" } }], {
        key: { name: "pk_new", columns: ["id"] },
        foreignKeys: [refers("pieces", "potter_id", "potters")],
      }),
    ],
    hints: { tables: new Map([["pieces", "works"]]) },
  },
  "a column with a check that goes while another takes its name and gets the same check": {
    before: [pieces([TITLE, WEIGHT], { checks: [AT_LEAST_ONE] })],
    after: [pieces([WEIGHT, { ...TITLE, nullable: true }], { checks: [AT_LEAST_ONE] })],
    hints: { columns: renamed({ title: "weight" }), conversions: converted("weight", { convert: "7" }) },
  },
  "two columns that swap their names, and one that takes the name of one that goes": {
    before: [pieces([TITLE, column("label", { kind: "varchar", length: 20 }, REQUIRED), WEIGHT, NOTES])],
    after: [
      pieces([
        { ...TITLE, name: "label" },
        column("title", { kind: "varchar", length: 20 }, REQUIRED),
        { ...WEIGHT, name: "notes" },
      ]),
    ],
    hints: { columns: renamed({ title: "label", label: "title", weight: "notes" }) },
  },
  "two columns that swap their names, and those of what is named after them": {
    before: [pieces(SWAPPED, named("title", "label"))],
    after: [pieces(SWAPPED, named("label", "title"))],
    hints: { columns: renamed({ title: "label", label: "title" }) },
  },
  "a table and a column renamed in nothing but capitals": {
    before: [pieces([TITLE, WEIGHT], { checks: [AT_LEAST_ONE] })],
    after: [
      table("Pieces", {
        columns: [ID, { ...TITLE, name: "Title" }, { ...WEIGHT, ...REQUIRED }],
        checks: [AT_LEAST_ONE],
        key: { name: "pk_pieces", columns: ["id"] },
      }),
    ],
    hints: {
      tables: new Map([["pieces", "Pieces"]]),
      columns: renamed({ title: "Title" }, "Pieces"),
      fills: new Map([[fillKey("Pieces", "weight"), { kind: "sql", sql: "2" }]]),
    },
  },
  "a type whose values change while checks, indexes and computed columns speak of it": {
    before: [pieces([mood("feel"), mood("felt"), TITLE], aboutMood)],
    after: [pieces([mood("feel"), mood("felt"), TITLE], aboutMood)],
    definitions: [{ ...MOOD, values: ["calm", "cross", "wild"] }],
    redefined: [{ ...MOOD, values: ["wild", "calm", "sad"] }],
  },
  "a table that takes the name of one that goes": {
    before: [table("shelves", { columns: [ID, TITLE, WEIGHT] }), table("racks", { columns: [ID, NOTES] })],
    after: [table("racks", { columns: [ID, TITLE, WEIGHT], key: { name: "pk_shelves", columns: ["id"] } })],
    hints: { tables: new Map([["shelves", "racks"]]) },
  },
  "a table that moves to a namespace, and one that leaves it": {
    before: [pieces([TITLE]), table("kilns", { namespace: "studio", columns: [ID, WEIGHT, NOTES] })],
    after: [table("pieces", { namespace: "studio" }), table("kilns", { columns: [ID, WEIGHT] })],
    hints: {
      tables: new Map([
        ["pieces", "studio.pieces"],
        ["studio.kilns", "kilns"],
      ]),
    },
  },
  "texts that are compared otherwise than the database's, values of which are kept, and a new table that refers to them":
    {
      before: [
        table("potters", {
          columns: [CODE],
          key: { name: "pk_potters", columns: ["code"] },
          ...latin("latin1_bin"),
        }),
        pieces([TITLE, column("label", { kind: "varchar", length: 20 }), NOTES], latin("latin1_general_ci")),
      ],
      after: [
        table("potters", {
          columns: [CODE],
          key: { name: "pk_potters", columns: ["code"] },
          ...latin("latin1_bin"),
        }),
        pieces([TITLE, column("label", { kind: "varchar", length: 30 })], latin("latin1_general_ci")),
        table("works", {
          columns: [ID, { ...CODE, name: "potter_code" }],
          foreignKeys: [
            {
              ...refers("works", "potter_code", "potters"),
              references: { table: "potters", columns: ["code"] },
            },
          ],
        }),
      ],
      hints: {
        conversions: converted("label", {
          convert: { sqlite: "{label} || '!'", postgres: "{label} || '!'", mariadb: "concat({label}, '!')" },
        }),
      },
    },
  "a required column that is worked out, and a moment as a default": {
    before: [pieces([{ ...WEIGHT, ...REQUIRED }])],
    after: [
      pieces([
        { ...WEIGHT, ...REQUIRED },
        column("double weight", "integer", { ...REQUIRED, computed: { sql: "{weight} * 2", stored: true } }),
        column("seen", "timestamptz", {
          default: { kind: "value", value: "2026-03-04T05:06:07.125+02:00" },
        }),
      ]),
    ],
  },
  "a table and a column that are renamed in a namespace": {
    before: [table("kilns", { namespace: "studio", columns: [ID, WEIGHT, NOTES] })],
    after: [table("ovens", { namespace: "studio", columns: [ID, { ...WEIGHT, name: "load" }, NOTES] })],
    hints: {
      tables: new Map([["studio.kilns", "studio.ovens"]]),
      columns: renamed({ weight: "load" }, "studio.ovens"),
    },
    keeps: true,
  },
  "names beyond what a server takes, one of which changes": {
    before: [
      table(LONG, {
        columns: [ID, { ...WEIGHT, name: `${LONG}weight` }, { ...TITLE, name: `${LONG}title` }],
        checks: [{ name: `ck ${LONG}`, rules: [{ kind: "min", column: `${LONG}weight`, value: 1 }] }],
        indexes: [{ name: `ix ${LONG}`, parts: [{ column: `${LONG}title` }] }],
      }),
      table("pieces", { columns: [ID, potterId], foreignKeys: [refers("pieces", "potter_id", LONG)] }),
    ],
    after: [
      table(`${LONG}s`, {
        columns: [ID, { ...WEIGHT, name: `${LONG}load` }, { ...TITLE, name: `${LONG}title` }],
        checks: [{ name: `ck ${LONG}`, rules: [{ kind: "min", column: `${LONG}load`, value: 1 }] }],
        indexes: [{ name: `ix ${LONG}`, parts: [{ column: `${LONG}title` }] }],
      }),
      table("pieces", { columns: [ID, potterId], foreignKeys: [refers("pieces", "potter_id", `${LONG}s`)] }),
    ],
    hints: {
      tables: new Map([[LONG, `${LONG}s`]]),
      columns: renamed({ [`${LONG}weight`]: `${LONG}load` }, `${LONG}s`),
    },
    keeps: true,
  },
  "an index over the beginning of a text that becomes no longer than that": {
    before: [
      pieces([column("label", { kind: "varchar", length: 64 })], {
        indexes: [{ name: "ix_label", parts: [{ column: "label", length: 32 }] }],
      }),
    ],
    after: [
      pieces([column("label", { kind: "varchar", length: 16 })], {
        indexes: [{ name: "ix_label", parts: [{ column: "label", length: 32 }] }],
      }),
    ],
  },
  "a key that counts by a sequence of its own, moved to a namespace while it becomes large": {
    before: [
      table("pieces", { columns: [{ ...ID, options: { postgres: { sequence: "counter" } } }, TITLE] }),
    ],
    after: [
      table("pieces", {
        namespace: "studio",
        columns: [{ ...ID, type: { kind: "bigint" }, options: { postgres: { sequence: "counter" } } }, TITLE],
      }),
    ],
    hints: { tables: new Map([["pieces", "studio.pieces"]]) },
  },
  "values that come back beside a reference that is checked at the end": {
    before: [
      table("potters", { columns: [ID, TITLE] }),
      pieces([column("weight", "text"), potterId], {
        foreignKeys: [{ ...refers("pieces", "potter_id", "potters"), deferrable: "deferred" }],
      }),
    ],
    after: [
      table("potters", { columns: [ID, TITLE] }),
      pieces([column("weight", "integer"), potterId], {
        foreignKeys: [{ ...refers("pieces", "potter_id", "potters"), deferrable: "deferred" }],
      }),
    ],
    hints: { conversions: converted("weight", { convert: "7" }) },
  },
  "two keys of which one begins to count by a sequence of the name that the other's had": {
    before: [
      table("pieces", { columns: [{ ...ID, options: { postgres: { sequence: "counter" } } }, TITLE] }),
      table("potters", { columns: [NUMBER, TITLE] }),
    ],
    after: [
      table("pieces", { columns: [NUMBER, TITLE] }),
      table("potters", { columns: [{ ...ID, options: { postgres: { sequence: "counter" } } }, TITLE] }),
    ],
  },
  "a column of a reference with a name of its own, renamed beside a check that arrives": {
    before: [
      table("potters", { columns: [ID, TITLE] }),
      pieces([WEIGHT, potterId], {
        foreignKeys: [{ ...refers("pieces", "potter_id", "potters"), name: "made_by" }],
      }),
    ],
    after: [
      table("potters", { columns: [ID, TITLE] }),
      pieces([WEIGHT, { ...potterId, name: "maker_id" }], {
        foreignKeys: [{ ...refers("pieces", "maker_id", "potters"), name: "made_by" }],
        checks: [{ name: "light", rules: [{ kind: "max", column: "weight", value: 1e9 }] }],
      }),
    ],
    hints: { columns: renamed({ potter_id: "maker_id" }) },
  },
  "a unique index that will not be one, over a column of which all rows get one value": {
    before: [
      pieces([{ ...TITLE, nullable: true }], {
        indexes: [{ name: "ix", parts: [{ column: "title" }], unique: true }],
      }),
    ],
    after: [
      pieces([column("title", "uuid", REQUIRED)], {
        indexes: [{ name: "ix", parts: [{ column: "title", descending: true }] }],
      }),
    ],
    hints: {
      conversions: converted("title", {
        convert: `'6a1f0c1e-0000-4000-8000-00000000000a'`,
        convertBack: "'a'",
      }),
    },
  },
  "a table renamed in nothing but capitals, with a reference whose columns change their type on both sides": {
    before: [
      table("potters", { columns: [NUMBER, TITLE] }),
      table("Pieces", { columns: [ID, potterId], foreignKeys: [refers("Pieces", "potter_id", "potters")] }),
    ],
    after: [
      table("potters", { columns: [CODE_KEY, TITLE] }),
      table("pieces", {
        columns: [ID, { ...potterId, type: CODE.type }],
        foreignKeys: [refers("pieces", "potter_id", "potters")],
      }),
    ],
    hints: { tables: new Map([["Pieces", "pieces"]]) },
  },
  "a table that goes, of which a column that stays has the keys": {
    before: [
      table("potters"),
      pieces([potterId], { foreignKeys: [refers("pieces", "potter_id", "potters")] }),
    ],
    after: [pieces([potterId])],
  },
  "a pair table that goes, with a namespace and a circle of references": {
    before: [
      table("potters", {
        columns: [ID, TITLE, { ...potterId, name: "best_id" }],
        foreignKeys: [refers("potters", "best_id", "pieces")],
      }),
      pieces([TITLE, potterId], { foreignKeys: [refers("pieces", "potter_id", "potters")] }),
      table("pairs", {
        namespace: "studio",
        columns: [column("piece_id", "integer", REQUIRED), column("potter_id", "integer", REQUIRED)],
        key: { name: "pk_pairs", columns: ["piece_id", "potter_id"] },
        foreignKeys: [refers("pairs", "piece_id", "pieces"), refers("pairs", "potter_id", "potters")],
      }),
    ],
    after: [table("potters")],
  },
};

describe.each(await allEngines())("on a real %s", (name, engine) => {
  afterAll(() => engine?.close());

  test.runIf(engine).each(Object.entries(CASES))(
    "%s: there and back",
    async (_, { before, after, hints, definitions, redefined = definitions, keeps = false }) => {
      const told = { went: 0, refused: 0, rows: 0, kept: 0, lost: 0 };
      const held = name.includes("Postgre") && definitions ? { definitions } : {};
      const a = { tables: before, ...held };
      // The type goes where nothing is of it any more.
      const then = held.definitions && redefined ? { definitions: redefined } : {};
      const b = { tables: after, ...(JSON.stringify(after).includes('"mood"') && then) };
      const changes = diff(a, b, hints);
      await thereAndBack(engine!, { a, b: apply(a, changes), changes }, told);
      expect(told).toMatchObject({ went: 1, refused: 0 });
      // The same while others write, as far as it can be.
      await thereAndBack(engine!, { a, b: apply(a, changes), changes, online: true }, told);
      expect(told).toMatchObject({ refused: 0 });
      if (keeps) {
        const held = planFor(engine!.dialect, a, changes).changes.map(({ kind }) => kind);
        expect(held.filter(kind => kind === "drop table" || kind === "drop column")).toEqual([]);
      }
      expect(told.rows).toBeGreaterThan(0);
    },
  );

  test.runIf(engine)(
    "rows that break a check beside its column are refused, however the column comes by it",
    async () => {
      const beside = (name: string): Partial<Table> => ({
        checks: [{ name, column: name, rules: [{ kind: "min", column: name, value: 1_000_000_000 }] }],
      });
      const weight = pieces([WEIGHT]);
      const ways: [Table, DiffHints][] = [
        [pieces([WEIGHT], beside("weight")), {}],
        [pieces([{ ...WEIGHT, name: "grams" }], beside("grams")), { columns: renamed({ weight: "grams" }) }],
        [pieces([{ ...WEIGHT, type: { kind: "bigint" } }], beside("weight")), {}],
        [
          pieces(
            [WEIGHT, { ...WEIGHT, name: "price", default: { kind: "value", value: 7 } }],
            beside("price"),
          ),
          {},
        ],
      ];
      for (const [after, hints] of ways) {
        const told = { went: 0, refused: 0, rows: 0, kept: 0, lost: 0 };
        const [a, b] = [{ tables: [weight] }, { tables: [after] }];
        await thereAndBack(engine!, { a, b, changes: diff(a, b, hints) }, told);
        expect(told).toMatchObject({ went: 0, refused: 1 });
      }
    },
  );
});

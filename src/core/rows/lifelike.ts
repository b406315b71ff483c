import type { Faker } from "@faker-js/faker";
import { misfit } from "../schema/fits.js";
import { TYPE_RULE_KINDS, type Column, type Rule, type Table } from "../schema/types.js";
import { makeValue, type MadeUp, type Style } from "./made-up.js";
import { obeys } from "./obeys.js";

/** A number from 0 up to 1. */
export type Random = () => number;

/** The same seed gives the same numbers: https://en.wikipedia.org/wiki/Xorshift */
export function randomFrom(seed: number): Random {
  let state = (seed * 2654435761) | 1;
  return () => {
    state ^= state << 13;
    state ^= state >>> 17;
    state ^= state << 5;
    return (state >>> 0) / 4294967296;
  };
}

/** Values of each kind are drawn from so many at most: making each anew would take longer than writing it. */
const POOL = 240;

/** Attempts at a value that keeps to its rules, before a plain one is taken. */
const TRIES = 6;

/** All that is made up lies before this day, so that the same seed gives the same rows on any day. */
const NOW = Date.UTC(2026, 0, 15);
const DAY = 86_400_000;

/**
 * Values as people would write them, by the name and the type of a column. The first of a list is the most frequent, and few are
 * referred to by many.
 * @param faker seeded; what words are drawn from @param rows how many a table gets at most
 */
export function lifelike(faker: Faker, random: Random, rows: number): Style {
  const pools = new Map<string, readonly string[]>();
  const recipes = new WeakMap<Column, Recipe>();
  const draw = (name: string, make: () => string): readonly string[] => {
    const known = pools.get(name);
    const pool = known ?? Array.from({ length: Math.min(POOL, 24 + 2 * rows) }, make);
    if (!known) pools.set(name, pool);
    return pool;
  };
  const moments = new Moments(random);
  return {
    isAbsent: name => random() < 0.08 + (hash(name) % 40) / 100,
    choose: keys => Math.floor(keys * random() ** 2),
    choosesPairs: true,
    stamps: true,
    value: (column, rules, at, table) => {
      let recipe = recipes.get(column);
      if (!recipe)
        recipes.set(column, (recipe = recipeFor(column, rules, { table, random, draw, faker, moments })));
      for (let tries = 0; tries < TRIES; tries += 1) {
        const value = recipe.make(at, tries);
        if (value === undefined) break;
        if (value === null || typeof value === "object" || recipe.isSure) return value;
        if (misfit(value, column.type) === undefined && rules.every(rule => obeys(value, rule))) return value;
      }
      return makeValue(column, rules, at);
    },
  };
}

/** How values of a column are made, worked out once: rows are many. */
interface Recipe {
  readonly make: (at: number, tries: number) => MadeUp;
  /** Whatever it makes keeps to the column's type and rules. */
  readonly isSure: boolean;
}

function recipeFor(column: Column, rules: readonly Rule[], making: Making): Recipe {
  const list = rules.find(rule => rule.kind === "in");
  if (list?.kind === "in") {
    const all = list.values.filter(value => rules.every(rule => obeys(value, rule)));
    return { isSure: true, make: () => all[Math.floor(all.length * making.random() ** 1.6)] };
  }
  const isPlain = rules.every(({ kind }) => TYPE_RULE_KINDS.some(each => each === kind));
  // A moment is one, whatever it is; of a number its bounds are reckoned, and looked at.
  const isSure = isPlain && /^(?:boolean|date|time|timestamp|timestamptz|uuid)$/.test(column.type.kind);
  return textRecipe(column, rules, making) ?? { isSure, make: oneValue(column, rules, making) };
}

interface Making {
  readonly table: Table;
  readonly random: Random;
  /** A pool of texts of one kind. */
  readonly draw: (name: string, make: () => string) => readonly string[];
  readonly faker: Faker;
  readonly moments: Moments;
}

function oneValue(
  { type, name, ...column }: Column,
  rules: readonly Rule[],
  making: Making,
): (at: number) => MadeUp {
  const { random, moments, table } = making;
  switch (type.kind) {
    case "boolean": {
      const share = /active|enabled|safe|live|valid|public|visible|confirmed/.test(name) ? 0.85 : 0.3;
      return () => random() < share;
    }
    case "smallint":
    case "integer":
    case "bigint":
    case "decimal":
    case "real":
    case "double":
      return numbersFor({ type, name, ...column }, rules, random);
    case "date": {
      const moment = moments.of(table, name);
      return at => dayOf(moment(at));
    }
    case "time":
      return () => `${two(8 + random() * 11)}:${two(Math.floor(random() * 4) * 15)}:00`;
    case "timestamp":
    case "timestamptz": {
      const moment = moments.of(table, name);
      return at => {
        const time = moment(at);
        return `${dayOf(time)} ${hourOf(time)}`;
      };
    }
    case "uuid":
      return () => uuidFrom(random);
    case "json": {
      const pool = making.draw("sentence", () => sentenceOf(making.faker));
      return () =>
        rules.length > 0
          ? undefined
          : JSON.stringify({ note: from(pool, random), value: Math.floor(random() * 100) });
    }
    default:
      return () => undefined;
  }
}

const from = (pool: readonly string[], random: Random) => pool[Math.floor(random() * pool.length)]!;

/** English words, if not English sense: `The plump lantern was golden.` */
function sentenceOf(faker: Faker): string {
  const [adjective, noun, adverb] = WORDS.map(kind => () => wordOf(faker, kind));
  const first = `The ${adjective!()} ${noun!()} was ${adjective!()}`;
  const more = `, and the ${noun!()} ${adverb!()} ${adjective!()}`;
  return `${first}${faker.helpers.arrayElement(["", "", more])}.`;
}

const WORDS = ["adjective", "noun", "adverb"] as const;

/** Its words of a kind, and those of them that are neither short nor long. */
const words = new WeakMap<Faker, Map<string, readonly string[]>>();

/** One of them; the library's own way looks through all of them each time. */
function wordOf(faker: Faker, kind: (typeof WORDS)[number], isShort = false): string {
  const known = words.get(faker) ?? new Map<string, readonly string[]>();
  words.set(faker, known);
  const key = `${kind} ${isShort}`;
  let list = known.get(key);
  if (!list) {
    const all = faker.definitions.word[kind];
    known.set(key, (list = isShort ? all.filter(({ length }) => length >= 3 && length <= 9) : all));
  }
  return faker.helpers.arrayElement(list);
}

const two = (number: number) => String(Math.floor(number)).padStart(2, "0");

/** Version 4: https://www.rfc-editor.org/rfc/rfc9562#name-uuid-version-4 */
function uuidFrom(random: Random): string {
  const digits = Array.from({ length: 32 }, () => Math.floor(random() * 16).toString(16));
  digits[12] = "4";
  digits[16] = "89ab"[Math.floor(random() * 4)]!;
  return digits.join("").replace(/^(.{8})(.{4})(.{4})(.{4})/, "$1-$2-$3-$4-");
}

/** What numbers are about, and where they usually lie; `skew`: how much more frequent small ones are. */
const RANGES: readonly (readonly [RegExp, least: number, most: number, skew: number])[] = [
  [/price|amount|total|cost|fee|cents|salary|balance|budget/, 5, 400, 2.2],
  [/quantity|count|seats|layers|copies|pieces|items|stock/, 1, 24, 2],
  [/year/, 1988, 2026, 0.6],
  [/(^|_)age($|_)/, 18, 84, 1.2],
  [/weight|grams/, 120, 4800, 1.6],
  [/percent|rate|share|discount/, 0, 40, 1.4],
  [/temperature|degrees|peak|celsius/, 600, 1290, 0.7],
  [/height|width|length|depth|diameter|size/, 4, 60, 1.3],
  [/rating|stars|score/, 1, 5, 0.5],
  [/duration|minutes|hours/, 1, 180, 1.5],
  [/litres|volume|capacity/, 10, 600, 1.5],
  [/lat(itude)?$/, -60, 70, 1],
  [/(lon|lng|longitude)$/, -170, 170, 1],
  [/position|rank|sort|sequence/, 1, 50, 1],
];

function numbersFor({ name, type }: Column, rules: readonly Rule[], random: Random): () => number {
  const value = (kinds: readonly Rule["kind"][]) =>
    rules.flatMap(rule =>
      kinds.includes(rule.kind) && "value" in rule && typeof rule.value === "number" ? [rule.value] : [],
    );
  const [, usualLeast, usualMost, skew] = RANGES.find(([about]) => about.test(name.toLowerCase())) ?? [
    /x/,
    1,
    1000,
    1.8,
  ];
  const least = Math.max(...value(["min", "above"]), -Infinity);
  const most = Math.min(
    ...value(["max", "below"]),
    type.kind === "smallint" ? 32_767 : Infinity,
    roomOf(type),
  );
  const low =
    usualLeast < least || usualLeast > most
      ? least > -Infinity
        ? least
        : Math.min(usualLeast, most)
      : usualLeast;
  const high =
    usualMost > most || usualMost <= low
      ? most < Infinity
        ? most
        : low + (usualMost - usualLeast)
      : usualMost;
  const places =
    type.kind === "decimal"
      ? Math.min(type.scale, 2)
      : type.kind === "real" || type.kind === "double"
        ? 2
        : 0;
  const divisor = value(["divisible"])[0];
  return () => {
    const number = low + (high - low) * random() ** skew;
    if (divisor !== undefined) return Math.ceil(number / divisor) * divisor;
    return places === 0 ? Math.round(number) : Number(number.toFixed(places));
  };
}

/** The largest number that a decimal takes. */
function roomOf(type: Column["type"]): number {
  return type.kind === "decimal" ? 10 ** (type.precision - type.scale) - 1 : Infinity;
}

/** Tables about people: a name in them is a person's. */
const PEOPLE =
  /person|people|user|member|potter|customer|client|employee|author|student|teacher|artist|contact|guest|patient|visitor|worker|owner|staff|player|driver|clerk|reader|writer|borrower|subscriber|attendee|passenger|nurse|doctor|keeper|farmer|gardener|tutor|trainer|coach|chef|pilot|judge|engineer|lawyer|manager|agent|tenant|child|parent|recipient|donor|volunteer|pupil|speaker|buyer|seller/;

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
const thing = (faker: Faker) => `${capital(wordOf(faker, "adjective", true))} ${wordOf(faker, "noun", true)}`;

/** What texts are about, by the name of their column. The first that fits counts. */
const TEXTS: readonly (readonly [RegExp, (faker: Faker) => string])[] = [
  [/e_?mail/, faker => faker.internet.email({ provider: "example.com" }).toLowerCase()],
  [/(first|given|fore)_?name/, faker => faker.person.firstName()],
  [/(last|family|sur)_?name/, faker => faker.person.lastName()],
  [/user_?name|login|handle|nick/, faker => faker.internet.username().toLowerCase()],
  [/phone|mobile|(^|_)tel($|_)|fax/, faker => `+44 7700 ${faker.string.numeric(6)}`],
  [/street|address/, faker => faker.location.streetAddress()],
  [/isbn|ean$|barcode|gtin/, faker => `978${faker.string.numeric(10)}`],
  [/zip|post_?code|postal/, faker => faker.location.zipCode("#####")],
  [/country_?code/, faker => faker.location.countryCode()],
  [/country/, faker => faker.location.country()],
  [/city|town|place|location/, faker => faker.location.city()],
  [/url|website|link|homepage/, faker => `https://example.com/${faker.word.noun()}`],
  [/domain|host/, faker => `${faker.word.noun()}.example.com`],
  [/ip(_address)?$/, faker => faker.internet.ipv4()],
  [/password|secret|token|hash|checksum/, faker => faker.string.alphanumeric(24)],
  [/slug/, faker => `${faker.word.adjective()}-${faker.word.noun()}`],
  [/colou?r/, faker => faker.color.human()],
  [/currency/, faker => faker.finance.currencyCode()],
  [/company|organi[sz]ation|vendor|supplier|brand|manufacturer/, faker => faker.company.name()],
  [/job|role|profession|occupation/, faker => faker.person.jobTitle()],
  [/file|path/, faker => faker.system.commonFileName()],
  [/language|locale/, faker => faker.helpers.arrayElement(["en", "de", "fr", "es", "it"])],
  [
    /(^|_)(code|sku|number|reference|serial)$/,
    faker => faker.string.alphanumeric({ length: 8, casing: "upper" }),
  ],
  [
    /description|notes?|text|remarks?|comments?|body|content|bio|summary|message|recipe|details|reason/,
    sentenceOf,
  ],
  [/full_?name|author|(^|_)by$/, faker => faker.person.fullName()],
];

/** Texts that all keep to the rules are drawn from; where no two may be alike, a number makes them differ. */
function textRecipe(
  column: Column,
  rules: readonly Rule[],
  { table, draw, faker, random }: Making,
): Recipe | undefined {
  const { name, type } = column;
  if (type.kind !== "text" && type.kind !== "char" && type.kind !== "varchar") return undefined;
  const plain = name.replace(/([a-z])([A-Z])/g, "$1_$2").toLowerCase();
  const most = Math.min(
    "length" in type ? type.length : Infinity,
    ...rules.flatMap(rule => (rule.kind === "max length" ? [rule.value] : [])),
  );
  const [about, make] = TEXTS.find(([each]) => each.test(most <= 3 ? `${plain}_code` : plain)) ?? [];
  const isPerson = !make && /name$/.test(plain) && PEOPLE.test(table.name.toLowerCase());
  const kind = make ? String(about) : isPerson ? "person" : "thing";
  const drawn = draw(kind, () => (make ? make(faker) : isPerson ? faker.person.fullName() : thing(faker)));
  const cased = (text: string) => {
    if (rules.some(rule => rule.kind === "upper case")) return text.toUpperCase();
    return rules.some(rule => rule.kind === "lower case") ? text.toLowerCase() : text;
  };
  const isRight = (text: string) =>
    misfit(text, type) === undefined && rules.every(rule => obeys(text, rule));
  const isAlone = ({ columns }: { readonly columns: readonly string[] }) =>
    columns.length === 1 && columns[0] === name;
  if (table.uniques.some(isAlone) || (table.key && isAlone(table.key)))
    return {
      isSure: false,
      make: (at, tries) => {
        const number = at >= drawn.length / 8 || tries > 0 ? String(at + 1) : "";
        const text = from(drawn, random);
        const whole =
          number === "" ? text : text.includes("@") ? text.replace("@", `${number}@`) : `${text} ${number}`;
        return cased(cut(whole, most, number));
      },
    };
  const right = drawn.map(text => cased(cut(text, most, ""))).filter(isRight);
  return { isSure: true, make: () => (right.length === 0 ? undefined : from(right, random)) };
}

/** As many whole words as there is room for, and the number in any case. */
function cut(text: string, most: number, number: string): string {
  if (text.length <= most) return text;
  if (number !== "" && number.length + 2 <= most)
    return `${text.slice(0, most - number.length - 1).trimEnd()} ${number}`;
  const short = text.slice(0, most);
  const space = short.lastIndexOf(" ");
  return (space > most / 2 ? short.slice(0, space) : short).trim() || short;
}

/** The text of each day that was asked for: there are few, and asking for it takes long. */
const days = new Map<number, string>();

/** `2025-11-03` */
function dayOf(time: number): string {
  const day = Math.floor(time / DAY);
  let text = days.get(day);
  if (text === undefined) days.set(day, (text = new Date(day * DAY).toISOString().slice(0, 10)));
  return text;
}

const TWO = Array.from({ length: 60 }, (_, number) => two(number));

/** `09:15:00` */
function hourOf(time: number): string {
  const seconds = Math.floor((time - Math.floor(time / DAY) * DAY) / 1000);
  return `${TWO[Math.floor(seconds / 3600)]}:${TWO[Math.floor(seconds / 60) % 60]}:${TWO[seconds % 60]}`;
}

/** Moments of one row follow each other as their names say. */
class Moments {
  private readonly rows = new WeakMap<Table, { at: number; start: number }>();

  constructor(private readonly random: Random) {}

  /** @returns milliseconds since 1970 */
  of(table: Table, name: string): (at: number) => number {
    const { random, rows } = this;
    const plain = name.toLowerCase();
    if (/birth|born/.test(plain)) return () => Math.trunc(NOW - (20 + random() * 55) * 365.25 * DAY);
    const rank = /end|finish|close|due|until|expire|leave|left|done/.test(plain)
      ? 3
      : /update|paid|ship|sent|change|fired|sold|return/.test(plain)
        ? 2
        : /create|start|begin|from|open|join|order|made|lent|borrow|hired|sign|regist|issued/.test(plain)
          ? 0
          : 1;
    return at => {
      let row = rows.get(table);
      if (row?.at !== at) {
        // Over three years, more of late.
        row = { at, start: NOW - DAY * (90 + 1000 * random() ** 1.7) + Math.floor(random() * DAY) };
        rows.set(table, row);
      }
      return Math.trunc(row.start + DAY * (rank * 25 + random() * 24));
    };
  }
}

function hash(text: string): number {
  return [...text].reduce((sum, letter) => (sum * 31 + letter.codePointAt(0)!) % 65521, 7);
}

// A made-up schema of many tables, as SQL for SQLite: groups around a table of their own, most references within a group.

/** https://en.wikipedia.org/wiki/Xorshift */
function randomFrom(seed) {
  let state = seed | 1;
  return below => {
    state ^= state << 13;
    state ^= state >>> 17;
    state ^= state << 5;
    return Math.abs(state) % below;
  };
}

const AREAS =
  "studio workshop gallery market kiln glaze clay course member order supply archive festival transport ledger press tool residency exhibit repair".split(
    " ",
  );
const THINGS =
  "account visit batch entry note label price slot ticket plan report contact review delivery invoice payment stage photo permit rota shelf sample test quote season".split(
    " ",
  );
const COLUMNS = [
  ["title", "varchar(120)"],
  ["state", "varchar(20)"],
  ["amount", "decimal(10,2)"],
  ["quantity", "integer"],
  ["starts_on", "date"],
  ["ends_on", "date"],
  ["weight_grams", "integer"],
  ["email", "varchar(254)"],
  ["phone", "varchar(30)"],
  ["created_at", "timestamp"],
  ["remark", "text"],
];

/** @returns the tables, with their columns and what they refer to */
export function madeUpSchema(count, seed = 20261127) {
  const random = randomFrom(seed);
  const size = THINGS.length;
  const tables = [];
  for (let at = 0; at < count; at += 1) {
    const area = AREAS[Math.floor(at / size) % AREAS.length];
    const own = at % size;
    const name = own === 0 ? `${area}s` : `${area}_${THINGS[own]}s`;
    const first = at - own;
    const refers = [];
    const refer = to => to !== at && !refers.includes(to) && refers.push(to);
    if (own > 0)
      refer(
        random(3) === 0 ? first + random(own) : random(2) === 0 ? first : Math.max(first, at - 1 - random(3)),
      );
    if (own > 1 && random(6) === 0) refer(first + random(own));
    if (at >= size && random(12) === 0) refer(size * random(Math.floor(at / size)));
    const columns = COLUMNS.filter(() => random(3) > 0);
    tables.push({ name, columns, refers });
  }
  return tables;
}

export function sqlOf(tables) {
  return tables
    .map(({ name, columns, refers }) => {
      const lines = [
        "id integer PRIMARY KEY NOT NULL",
        ...columns.map(([column, type], at) => `${column} ${type}${at % 3 === 2 ? "" : " NOT NULL"}`),
        ...refers.map((to, at) => `${tables[to].name}_${at}_id integer${at === 0 ? " NOT NULL" : ""}`),
        ...refers.map(
          (to, at) => `FOREIGN KEY (${tables[to].name}_${at}_id) REFERENCES ${tables[to].name} (id)`,
        ),
      ];
      return `CREATE TABLE ${name} (\n  ${lines.join(",\n  ")}\n);\n`;
    })
    .join("");
}

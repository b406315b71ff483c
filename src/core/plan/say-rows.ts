import { sayCount } from "./probes.js";
import type { Sight } from "./probe.js";

/** What a probe found, as far as it is told. */
interface Found {
  readonly count: number;
  readonly question: string;
  readonly sight?: Sight | undefined;
  readonly examples?: readonly FoundExample[];
}

type Values = Readonly<Record<string, string | number | boolean | null>>;

interface FoundExample {
  readonly key: Values;
  readonly values: Values;
  readonly rows?: number;
}

/** `2 rows of pieces without a weight`, under it some of them, and how to see all, a line each. */
export function sayRows({ count, question, sight, examples = [] }: Found): string {
  const lines = [
    sayCount(count, question),
    ...examples.map(each => `  ${sayExample(each)}`),
    ...(sight && count > examples.length ? [`  all of them: ${sight.sql}`] : []),
  ];
  return lines.join("\n");
}

/** `id 3: weight null`, `title 'Jug' in 2 rows` */
function sayExample({ key, values, rows }: FoundExample): string {
  const [told, shown] = [key, values].map(each =>
    Object.entries(each)
      .map(([name, value]) => `${name} ${sayValue(value)}`)
      .join(", "),
  );
  const what = [told, shown].filter(each => each !== "").join(": ");
  return rows === undefined ? what : `${what} in ${rows} rows`;
}

const LONGEST = 40;

function sayValue(value: Values[string]): string {
  if (typeof value !== "string") return String(value);
  const cut = [...value].length > LONGEST ? `${[...value].slice(0, LONGEST - 1).join("")}…` : value;
  return /^[\d.:TZ +-]+$/.test(cut) ? cut : `'${cut.replaceAll("\n", "⏎")}'`;
}

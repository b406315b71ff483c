import type { Chart, ChartLink, ChartRow } from "./types.js";
import { sayLink } from "./words.js";

/** A chart as an entity relationship diagram of Mermaid: https://mermaid.js.org/syntax/entityRelationshipDiagram.html */
export function writeMermaid({ tables, links }: Chart): string {
  return [
    "erDiagram",
    ...tables.flatMap(({ address, rows }) => [
      ...(rows.length === 0
        ? [`  ${quoted(address)}`]
        : [`  ${quoted(address)} {`, ...rows.map(attribute), "  }"]),
    ]),
    ...links.map(
      link =>
        `  ${quoted(link.to)} ${ends(link)} ${quoted(link.from)} : ${quoted(link.reads ? "reads" : sayLink(link, link.pair ?? link.columns.join(", ")))}`,
    ),
    "",
  ].join("\n");
}

function attribute({ name, type, mark, unique, refers, remarks }: ChartRow): string {
  const keys = [mark === "key" && "PK", refers.length > 0 && "FK", unique && "UK"].filter(Boolean).join(", ");
  const words = [mark === "optional" && "may be null", ...remarks].filter(Boolean).join("; ");
  return `    ${word(type)} ${word(name)}${keys === "" ? "" : ` ${keys}`}${words === "" ? "" : ` ${quoted(words)}`}`;
}

/** The table referred to on the left. */
function ends({ fromEnd, toEnd, reads }: ChartLink): string {
  if (reads) return "}o..o{";
  const left = { one: "||", "maybe one": "|o", many: "}o" }[toEnd];
  return `${left}--${fromEnd === "one" ? "o|" : "o{"}`;
}

/** Types and attributes are words of letters, digits and a few signs. */
function word(text: string): string {
  const plain = text.replaceAll(", ", "-").replace(/[^\p{L}\p{N}_()[\]-]/gu, "_");
  return /^[\p{L}_]/u.test(plain) ? plain : `_${plain}`;
}

function quoted(text: string): string {
  return `"${text.replaceAll('"', "'").replace(/[\0-\x1f\x7f]/g, " ")}"`;
}

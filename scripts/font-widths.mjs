// Writes how wide the letters of the chart's font are, from the font's own tables: src/core/chart/letter-widths.ts
// node scripts/font-widths.mjs
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import opentype from "opentype.js";
import { format } from "prettier";

const root = join(import.meta.dirname, "..");
const fonts = join(root, "node_modules", "@expo-google-fonts", "alegreya-sans");
const FILES = { regular: "400Regular/AlegreyaSans_400Regular.ttf", bold: "700Bold/AlegreyaSans_700Bold.ttf" };

/** Runs of letters that follow each other: where each begins, and their widths in thousandths of the size. */
function runsOf(file) {
  const bytes = readFileSync(join(fonts, file));
  const font = opentype.parse(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length));
  const widths = new Map();
  for (const [code, glyph] of Object.entries(font.tables.cmap.glyphIndexMap))
    widths.set(Number(code), Math.round((font.glyphs.get(glyph).advanceWidth * 1000) / font.unitsPerEm));
  const runs = [];
  for (const code of [...widths.keys()].sort((a, b) => a - b)) {
    const last = runs.at(-1);
    if (last && last[0] + last[1].length === code) last[1].push(widths.get(code));
    else runs.push([code, [widths.get(code)]]);
  }
  return runs
    .map(([from, list]) => `${from.toString(36)}:${list.map(each => each.toString(36)).join(",")}`)
    .join(";");
}

const text = `/** By scripts/font-widths.mjs, from Alegreya Sans (SIL Open Font License 1.1): thousandths of the size, all in base 36. */
export const LETTER_WIDTHS = {
${Object.entries(FILES)
  .map(([weight, file]) => `  ${weight}: ${JSON.stringify(runsOf(file))},`)
  .join("\n")}
} as const;
`;
writeFileSync(
  join(root, "src", "core", "chart", "letter-widths.ts"),
  await format(text, { parser: "typescript", printWidth: 110, arrowParens: "avoid" }),
);

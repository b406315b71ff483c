import { relative } from "node:path";
import type { Finding } from "../core/model/read/findings.js";

/** `models/piece.ts:12  E220  The type of Piece.weight cannot be told; add …` */
export function sayFinding({ code, what, remedy, file, line }: Finding): string {
  const location = file === undefined ? "" : `${relative(".", file) || file}:${line ?? 1}  `;
  return `${location}${code}  ${what}; ${remedy}`;
}

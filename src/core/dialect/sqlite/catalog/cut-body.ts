/** `CREATE TABLE t (a int, b int) STRICT` → `a int`, `b int`; and ` STRICT` */
export function cutBody(sql: string): { pieces: string[]; rest: string } {
  const pieces: string[] = [];
  let depth = 0;
  let start = 0;
  // A search for what matters is faster than a walk over all characters, while a program has just begun.
  for (MARKS.lastIndex = 0; MARKS.test(sql);) {
    const at = MARKS.lastIndex - 1;
    const mark = sql[at]!;
    const closed = CLOSED_BY[mark];
    if (closed !== undefined) {
      const end = sql.indexOf(closed, at + 1);
      if (end < 0) break;
      MARKS.lastIndex = end + closed.length;
    } else if (mark === "(") {
      if (depth === 0) start = at + 1;
      depth += 1;
    } else if (mark === "," && depth === 1) {
      pieces.push(sql.slice(start, at).trim());
      start = at + 1;
    } else if (mark === ")") {
      depth -= 1;
      if (depth > 0) continue;
      pieces.push(sql.slice(start, at).trim());
      return { pieces, rest: sql.slice(at + 1) };
    }
  }
  return { pieces, rest: "" };
}

/** Parentheses, commas, and what begins a name, a string or a comment. */
const MARKS = /[(),"'`[]|--|\/\*/g;

/** By the last character of a mark; a doubled quote begins the next name or string at once. */
const CLOSED_BY: Readonly<Record<string, string>> = {
  '"': '"',
  "'": "'",
  "`": "`",
  "[": "]",
  "-": "\n",
  "*": "*/",
};

/**
 * Text of somebody else's as it may stand at a terminal: characters that would steer it are shown instead (ECMA-48, and
 * Unicode's marks of direction); ends of lines and tabs stay.
 */
export function withoutControls(text: string): string {
  return text.replace(CONTROLS, each => {
    const code = each.codePointAt(0)!;
    return NAMED[each] ?? (code < 0x100 ? `\\x${hex(code, 2)}` : `\\u${hex(code, 4)}`);
  });
}

const CONTROLS = /[\0-\x08\x0b-\x1f\x7f-\x9f\u200e\u200f\u202a-\u202e\u2066-\u2069]/g;

const NAMED: Readonly<Record<string, string>> = { "\r": "\\r" };

function hex(code: number, digits: number): string {
  return code.toString(16).padStart(digits, "0");
}

/** Text without the password of a URL that stands in it, wherever that came from. */
export function withoutPasswords(text: string): string {
  return text
    .replace(/([a-z][a-z0-9+.-]*:\/\/[^\s/:@"'`]*):[^\s"'`]*@/gi, "$1:…@")
    .replace(/([?&;](?:[a-z_]*passw(?:or)?d|pwd|ssl(?!mode)[a-z]*)=)[^&\s"'`]+/gi, "$1…");
}

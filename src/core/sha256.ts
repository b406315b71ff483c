/**
 * The SHA-256 of a text as UTF-8 (FIPS 180-4). Node's own module for it is loaded when it is first asked for: it
 * brings more than a dozen others, and looking at a database does without.
 */
export function sha256(text: string): Buffer {
  // eslint-disable-next-line no-restricted-globals -- says nothing of where it runs: an import that waits for its use
  const { createHash } = process.getBuiltinModule("node:crypto");
  return createHash("sha256").update(text).digest();
}

/**
 * Where things are kept that can be made again: https://specifications.freedesktop.org/basedir-spec/latest/
 * @param home the user's folder
 */
export function cacheFolder(home: () => string, join: (...parts: string[]) => string): string {
  return join(process.env["XDG_CACHE_HOME"] || join(home(), ".cache"), "emberset");
}

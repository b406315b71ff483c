/**
 * The files that patterns name in a folder, by their whole paths, in order. The library is loaded only here: most commands look
 * through no folder.
 * @param patterns `models/*.ts`, from the folder on
 */
export async function filesLike(patterns: readonly string[], folder: string): Promise<string[]> {
  const { glob } = await import("tinyglobby");
  return (await glob([...patterns], { cwd: folder, absolute: true })).sort();
}

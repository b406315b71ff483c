/** Things by what they import, or folders. */
export type Imports<T extends Iterable<string> = Iterable<string>> = ReadonlyMap<string, T>;

export function readImports(): Map<string, string[]>;
export function importsOfFolders(
  imports: Imports,
  folderOf?: (file: string) => string,
): Map<string, Set<string>>;
export function circleIn(imports: Imports): string[] | undefined;
export function roomOf(file: string): string;
export function drawRooms(imports: Imports): string;

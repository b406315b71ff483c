/** Words that SQLite takes for a name only in quotes: https://sqlite.org/lang_keywords.html */
export const reserved: ReadonlySet<string> = new Set(
  (
    "add all alter and as autoincrement between case cast check collate commit constraint create default " +
    "deferrable delete distinct drop else escape except exists foreign from group having if in index insert " +
    "intersect into is isnull join limit not nothing notnull null on or order primary raise references " +
    "returning select set table then to transaction union unique update using values when where"
  ).split(" "),
);

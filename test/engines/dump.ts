import { execFileSync } from "node:child_process";

export function mariadbArgs(url: URL): string[] {
  return ["-h", url.hostname, "-P", url.port || "3306", "-u", decodeURIComponent(url.username)];
}

/**
 * The schema of a database as the server's own dump tells it, but for what is Emberset's own.
 * @param whole with owners, rights and definers
 */
export function dumpServer(dialect: string, url: URL, database: string, whole = false): string {
  const text =
    dialect === "postgres"
      ? execFileSync(
          "pg_dump",
          [
            "-s",
            ...(whole ? [] : ["-O", "-x"]),
            "-T",
            "emberset_ledger*",
            "-N",
            "emberset_attic_*",
            "-d",
            url.href,
          ],
          {
            encoding: "utf8",
          },
        )
      : execFileSync(
          "mariadb-dump",
          [
            ...mariadbArgs(url),
            "--no-data",
            "--skip-comments",
            "--routines",
            "--triggers",
            "--events",
            ...["ledger", "ledger_kept", "journal"].map(
              name => `--ignore-table=${database}.emberset_${name}`,
            ),
            database,
          ],
          { encoding: "utf8" },
        );
  return (
    text
      .replace(/ AUTO_INCREMENT=\d+/g, "")
      // A sequence in a default is told with the database it is in.
      .replaceAll(`nextval(\`${database}\`.`, "nextval(")
      .split("\n")
      .filter(
        line =>
          line !== "" &&
          !/^(?:--|\\(?:un)?restrict|\/\*!\d+ (?:SET|ALTER DATABASE|DROP) |DELIMITER|SET |SELECT pg_catalog\.set_config|COMMENT ON SCHEMA public )/.test(
            line,
          ),
      )
      .join("\n")
      .replace(/^(?:CREATE TABLE|DROP TABLE IF EXISTS) `emberset_attic_[^]*?;$\n?/gm, "")
  );
}

/** The same whatever the order of columns and statements. */
export function sortDump(text: string): string[] {
  return text
    .split(/;(?:\n|$)/)
    .map(statement => {
      const [head = "", ...lines] = statement.split("\n");
      return [head, ...lines.map(line => line.replace(/,$/, "")).sort()].join("\n");
    })
    .sort();
}

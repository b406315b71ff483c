import { quoteAddress } from "../../schema/address.js";

/** What values a server takes, whatever it is set to: https://mariadb.com/kb/en/sql-mode/ */
export const SQL_MODE =
  "STRICT_TRANS_TABLES,STRICT_ALL_TABLES,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION";

/** What moments mean, whatever a server is set to. */
export const TIME_ZONE = "+00:00";

/** A name as MariaDB quotes it. */
export function quote(name: string): string {
  return `\`${name.replaceAll("`", "``")}\``;
}

/** A table's address as SQL writes it. */
export function quoteTable(address: string): string {
  return quoteAddress(address, quote);
}

/** `a`, `b` */
export function quoteList(names: readonly string[]): string {
  return names.map(quote).join(", ");
}

/** https://mariadb.com/kb/en/identifier-names/#maximum-length; in characters, which are never more than bytes. */
export const NAME_LIMIT = 64;

/** Why MariaDB cannot hold a name: https://mariadb.com/kb/en/identifier-names/ */
export function cannotHold(name: string): string | undefined {
  if (/[\u{10000}-\u{10ffff}\0]/u.test(name)) return "MariaDB takes no characters beyond 16 bits in names";
  return /\s$/.test(name) ? "MariaDB takes no name that ends with a space" : undefined;
}

/** Words that MariaDB takes for a name only in quotes: https://mariadb.com/kb/en/reserved-words/ */
export const reserved: ReadonlySet<string> = new Set(
  (
    "accessible add all alter analyze and as asc asensitive before between bigint binary blob both by call " +
    "cascade case cast change char character check collate column condition constraint continue convert create " +
    "cross current_date current_role current_time current_timestamp current_user cursor databases day_hour " +
    "day_microsecond day_minute day_second dec decimal declare default delayed delete delete_domain_id desc " +
    "describe deterministic distinct distinctrow div double do_domain_ids drop dual each else elseif enclosed " +
    "escaped except exists exit explain extract false fetch float float4 float8 for force foreign from fulltext " +
    "grant group having high_priority hour_microsecond hour_minute hour_second if ignore ignore_domain_ids in " +
    "index infile inner inout insensitive insert int int1 int2 int3 int4 int8 integer intersect interval into " +
    "is iterate join key keys kill leading leave left like limit linear lines load localtime localtimestamp " +
    "lock long longblob longtext loop low_priority master_demote_to_replica master_demote_to_slave " +
    "master_ssl_verify_server_cert match maxvalue mediumblob mediumint mediumtext middleint minute_microsecond " +
    "minute_second mod modifies natural not no_write_to_binlog null numeric offset on optimize optionally or " +
    "order out outer outfile over page_checksum parse_vcol_expr partition portion position precision primary " +
    "procedure purge range read reads read_write real recursive references ref_system_id regexp release rename " +
    "repeat replace require resignal restrict return returning revoke right rlike rows row_number schemas " +
    "second_microsecond select sensitive separator set show signal smallint spatial specific sql sqlexception " +
    "sqlstate sqlwarning sql_big_result sql_buffer_result sql_cache sql_calc_found_rows sql_no_cache " +
    "sql_small_result ssl starting stats_auto_recalc stats_persistent stats_sample_pages straight_join " +
    "substring table terminated then tinyblob tinyint tinytext to trailing trigger trim true undo union unique " +
    "unlock unsigned update usage use using utc_date utc_time utc_timestamp values varbinary varchar " +
    "varcharacter varying when where while with write xor year_month zerofill"
  ).split(" "),
);

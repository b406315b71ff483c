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

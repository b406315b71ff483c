import { ATTIC } from "../../../schema/internal-tables.js";

/** An estimate: https://mariadb.com/kb/en/information-schema-tables-table/ */
export const sizes = `SELECT TABLE_NAME AS name, NULL AS namespace, TABLE_ROWS AS \`rows\`, DATA_LENGTH + INDEX_LENGTH AS bytes
  FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_TYPE = 'BASE TABLE'`;

/** https://mariadb.com/kb/en/information-schema-tables/ */
export const catalogQueries = [
  `SELECT TABLE_NAME AS name, TABLE_COMMENT AS note, TABLE_COLLATION AS collation, TABLE_TYPE AS kind, ENGINE AS engine,
     CREATE_OPTIONS AS settings, @@collation_database AS usual_collation, @@default_storage_engine AS usual_engine
   FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() ORDER BY CREATE_TIME, TABLE_NAME`,
  `SELECT TABLE_NAME AS owner, COLUMN_NAME AS name, COLUMN_TYPE AS type, IS_NULLABLE AS nullable, COLUMN_DEFAULT AS value,
     EXTRA AS extra, GENERATION_EXPRESSION AS expression, COLUMN_COMMENT AS note, COLLATION_NAME AS collation,
     CASE WHEN COLUMN_DEFAULT LIKE '%nextval(%' THEN DATABASE() END AS here
   FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = DATABASE() ORDER BY TABLE_NAME, ORDINAL_POSITION`,
  `SELECT TABLE_NAME AS owner, INDEX_NAME AS name, NON_UNIQUE AS many, COLUMN_NAME AS col, COLLATION AS direction,
     SUB_PART AS prefix, INDEX_TYPE AS method, INDEX_COMMENT AS note, IGNORED AS ignored
   FROM information_schema.STATISTICS WHERE TABLE_SCHEMA = DATABASE()`,
  `SELECT TABLE_NAME AS owner, CONSTRAINT_NAME AS name, COLUMN_NAME AS col, REFERENCED_TABLE_NAME AS target,
     NULLIF(REFERENCED_TABLE_SCHEMA, DATABASE()) AS elsewhere, REFERENCED_COLUMN_NAME AS target_col
   FROM information_schema.KEY_COLUMN_USAGE WHERE TABLE_SCHEMA = DATABASE() AND REFERENCED_TABLE_NAME IS NOT NULL
   ORDER BY TABLE_NAME, CONSTRAINT_NAME, ORDINAL_POSITION`,
  // Joined by the server, the two views would be worked out again for every row.
  `SELECT TABLE_NAME AS owner, CONSTRAINT_NAME AS name, DELETE_RULE AS on_delete, UPDATE_RULE AS on_update
   FROM information_schema.REFERENTIAL_CONSTRAINTS WHERE CONSTRAINT_SCHEMA = DATABASE()`,
  `SELECT TABLE_NAME AS owner, CONSTRAINT_NAME AS name, CHECK_CLAUSE AS clause, LEVEL AS level
   FROM information_schema.CHECK_CONSTRAINTS WHERE CONSTRAINT_SCHEMA = DATABASE()`,
  // Triggers of one table and moment in the order they run: each is told to follow the one before it.
  `SELECT 'trigger' AS kind, TRIGGER_NAME AS name, EVENT_OBJECT_TABLE AS owner, ACTION_ORDER AS at, NULL AS at_once FROM information_schema.TRIGGERS WHERE TRIGGER_SCHEMA = DATABASE()
   UNION ALL SELECT LOWER(ROUTINE_TYPE), ROUTINE_NAME, NULL, 0, NULL FROM information_schema.ROUTINES WHERE ROUTINE_SCHEMA = DATABASE()
   UNION ALL SELECT 'event', EVENT_NAME, NULL, 0, CONVERT_TZ(STARTS, TIME_ZONE, @@time_zone) = CREATED FROM information_schema.EVENTS WHERE EVENT_SCHEMA = DATABASE()
   ORDER BY kind, owner, at, name`,
  // A role has no host. Who may not read the server's own tables sees what he may do himself, alone.
  `SELECT TABLE_NAME AS owner, NULL AS col, GRANTEE AS role, PRIVILEGE_TYPE AS verb FROM information_schema.TABLE_PRIVILEGES
   WHERE TABLE_SCHEMA = DATABASE() AND GRANTEE LIKE '%@\\'\\''
   UNION ALL SELECT TABLE_NAME, COLUMN_NAME, GRANTEE, PRIVILEGE_TYPE FROM information_schema.COLUMN_PRIVILEGES
   WHERE TABLE_SCHEMA = DATABASE() AND GRANTEE LIKE '%@\\'\\''`,
];

export const atticTables = `SELECT TABLE_NAME AS name, NULL AS namespace, DATA_LENGTH + INDEX_LENGTH AS bytes
  FROM information_schema.TABLES
  WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME LIKE '${ATTIC.replaceAll("_", "\\\\_")}%' ORDER BY TABLE_NAME`;

import type { Database } from "../../src/database/session/database.js";
import type { TargetSettings } from "../../src/project/settings.js";
import type { Catalog, CatalogRow, Dialect } from "../../src/core/dialect/shared/dialect.js";

/** A real database for tests to work on, made for them and dropped after. */
export interface Engine {
  readonly dialect: Dialect;
  readonly url: string;
  readonly run: (sql: string) => Promise<void>;
  readonly rows: (sql: string) => Promise<CatalogRow[]>;
  readonly readCatalog: () => Promise<Catalog>;
  readonly empty: () => Promise<void>;
  /** The same database as the product opens it; SQLite: another one in memory. */
  readonly open: () => Promise<Database>;
  readonly close: () => Promise<void>;
}

/** A target as the settings of a project have it. */
export function targetFor(dialect: TargetSettings["dialect"], address: string): TargetSettings {
  return {
    name: "test",
    dialect,
    address,
    label: "a test",
    guarded: false,
    foreignKeys: true,
    roles: {},
    lockTimeout: 5000,
  };
}

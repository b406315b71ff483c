import type { Catalog, CatalogRow, Dialect } from "../../src/core/dialect/dialect.js";

/** A real database for tests to work on, made for them and dropped after. */
export interface Engine {
  readonly dialect: Dialect;
  readonly url: string;
  readonly run: (sql: string) => Promise<void>;
  readonly rows: (sql: string) => Promise<CatalogRow[]>;
  readonly readCatalog: () => Promise<Catalog>;
  readonly empty: () => Promise<void>;
  readonly close: () => Promise<void>;
}

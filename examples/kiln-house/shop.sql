-- The co-operative's shop as it was kept before Emberset: made by hand, over the years. To try `emberset adopt` on.
CREATE TABLE customers (
  id INTEGER PRIMARY KEY,
  name VARCHAR(80) NOT NULL,
  email VARCHAR(254) UNIQUE,
  since DATE
);
CREATE TABLE items (
  sku TEXT PRIMARY KEY NOT NULL,
  title TEXT NOT NULL,
  price_cents INTEGER NOT NULL CHECK (price_cents >= 0),
  kind TEXT NOT NULL DEFAULT 'bowl' CHECK (kind IN ('bowl', 'jug', 'plate', 'tile'))
);
CREATE TABLE orders (
  id INTEGER PRIMARY KEY AUTOINCREMENT,
  customer_id INTEGER NOT NULL REFERENCES customers (id),
  placed_at TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP,
  "group" TEXT,
  paid BOOLEAN NOT NULL DEFAULT 0
);
CREATE TABLE order_lines (
  order_id INTEGER NOT NULL REFERENCES orders (id) ON DELETE CASCADE,
  line INTEGER NOT NULL,
  sku TEXT NOT NULL REFERENCES items (sku) ON UPDATE CASCADE,
  amount INTEGER NOT NULL DEFAULT 1 CHECK (amount > 0),
  PRIMARY KEY (order_id, line)
);
CREATE INDEX orders_by_day ON orders (placed_at DESC);
CREATE VIEW unpaid AS SELECT id, customer_id FROM orders WHERE NOT paid;
CREATE TRIGGER no_empty_group AFTER INSERT ON orders WHEN NEW."group" = '' BEGIN
  UPDATE orders SET "group" = NULL WHERE id = NEW.id;
END;

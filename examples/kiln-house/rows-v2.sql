INSERT INTO glazes (name, food_safe, notes) VALUES
  ('Celadon', 1, 'Thin on rims'), ('Copper Red', 0, NULL), ('Oatmeal', 1, 'Settles; stir well');
INSERT INTO shelves (label) VALUES ('A-1'), ('A-2'), ('B-1');
INSERT INTO firings (kiln_id, fired_on, program, peak, fired_by_id) VALUES
  (1, '2026-10-02', 'bisque', 1000, 1), (2, '2026-10-09', 'glaze', 1240, 2);
INSERT INTO pieces_glazes (piece_id, glaze_id) VALUES (3, 1), (3, 2), (5, 3);
UPDATE pieces SET shelf_id = 1, firing_id = 1 WHERE id IN (1, 5);

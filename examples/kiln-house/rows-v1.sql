INSERT INTO potters (name, email, joined_on, mentor_id) VALUES
  ('Ada Lindqvist', 'ada@kiln-house.example', '2019-03-01', NULL),
  ('Bram Okafor', 'bram@kiln-house.example', '2021-09-15', 1),
  ('Chiyo Marsh', NULL, '2024-02-10', 1);
INSERT INTO clays (name, body, shrinkage_percent) VALUES
  ('Moor Red', 'earthenware', 8.5), ('Harbour Grey', 'stoneware', 12), ('Snowline', 'porcelain', 14.5);
INSERT INTO pieces (title, weight, stage, potter_id, clay_id) VALUES
  ('Tall jug', 1450, 'bisque', 1, 2), ('Salt pig', 900, 'greenware', 1, 1), ('Tea bowl', NULL, 'glazed', 2, 3),
  ('Tea bowl', 310, 'greenware', 3, 3), ('Bread crock', 5200, 'bisque', 2, 2);
INSERT INTO kilns (name, fuel, volume_litres) VALUES ('Big Bertha', 'gas', 900), ('Toaster', 'electric', 60);

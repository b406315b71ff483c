-- Where each piece stands, as the notice at the door has it.
CREATE VIEW whereabouts AS
SELECT p.title, t.name AS potter, s.label AS place
FROM pieces p
JOIN potters t ON t.id = p.potter_id
LEFT JOIN shelves s ON s.id = p.shelf_id;

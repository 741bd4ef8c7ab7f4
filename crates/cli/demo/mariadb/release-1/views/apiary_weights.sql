CREATE VIEW apiary_weights AS
SELECT a.name AS apiary, count(h.id) AS hives, round(sum(h.weight), 1) AS kilograms
FROM apiaries a
LEFT JOIN hives h ON h.apiary_id = a.id
GROUP BY a.id;

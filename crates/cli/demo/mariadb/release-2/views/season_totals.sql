CREATE VIEW season_totals AS
SELECT year(l.harvested_on) AS season, a.name AS apiary, sum(l.kilograms) AS kilograms
FROM harvest_lots l
JOIN apiaries a ON a.id = l.apiary_id
GROUP BY season, a.id;

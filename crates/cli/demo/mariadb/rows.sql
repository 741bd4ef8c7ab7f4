INSERT INTO apiaries (name, village, founded_on) VALUES
    ('Linden Slope', 'Oberau', '2011-04-02'), ('Mill Meadow', 'Niederau', '2016-05-21'), ('Heath Edge', 'Sandhof', '2021-03-30');
INSERT INTO hives (apiary_id, label, kind, weight, paint_colour) VALUES
    (1, 'L1', 'Zander', 41.5, 'blue'), (1, 'L2', 'Zander', 38.2, 'yellow'), (2, 'M1', 'Dadant', 55.0, NULL), (3, 'H1', 'Top bar', 29.9, 'white');
INSERT INTO inspections (hive_id, inspected_on, brood_frames, note) VALUES
    (1, '2026-04-11', 6, 'calm, much pollen'), (2, '2026-04-11', 4, NULL), (4, '2026-04-18', 3, 'queen not seen');
INSERT INTO harvest_lots (apiary_id, harvested_on, grams) VALUES (1, '2025-07-20', 182500), (3, '2025-09-02', 64200);
INSERT INTO members (name, joined_on) VALUES ('Ida Holm', '2011-04-02'), ('Jonas Brandt', '2018-01-15');

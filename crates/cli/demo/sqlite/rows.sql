INSERT INTO apiaries (id, name, village, founded_on) VALUES
    (1, 'Linden Slope', 'Oberau', '2011-04-02'),
    (2, 'Mill Meadow', 'Niederau', '2016-05-21'),
    (3, 'Heath Edge', 'Sandhof', '2021-03-30');
INSERT INTO hives (id, apiary_id, label, kind, weight, paint_colour) VALUES
    (1, 1, 'L1', 'Zander', 41.5, 'blue'), (2, 1, 'L2', 'Zander', 38.2, 'yellow'),
    (3, 2, 'M1', 'Dadant', 55.0, NULL), (4, 3, 'H1', 'Top bar', 29.9, 'white');
INSERT INTO queens (hive_id, hatched_on, mark) VALUES (1, '2025-06-01', 'blue'), (3, '2024-05-17', 'green');
INSERT INTO inspections (hive_id, inspected_on, brood_frames, note) VALUES
    (1, '2026-04-11', 6, 'calm, much pollen'), (2, '2026-04-11', 4, NULL), (4, '2026-04-18', 3, 'queen not seen');
INSERT INTO harvest_lots (id, apiary_id, harvested_on, grams) VALUES (1, 1, '2025-07-20', 182500), (2, 3, '2025-09-02', 64200);
INSERT INTO members (id, name, joined_on) VALUES (1, 'Ida Holm', '2011-04-02'), (2, 'Jonas Brandt', '2018-01-15');
INSERT INTO payouts (member_id, lot_id, cents) VALUES (1, 1, 82125), (2, 1, 41060), (2, 2, 38520);
INSERT INTO treatments (code, name, withdrawal_days) VALUES ('OX', 'oxalic acid', 0), ('TH', 'thymol', 21);
INSERT INTO forage_sites (apiary_id, plant, blooms_from, blooms_to) VALUES (1, 'linden', '06-10', '07-05'), (3, 'heather', '08-01', '09-15');

-- Indexes of partitioned tables of which partitions have no part, or have a key as their part.
CREATE TABLE weights (hive int NOT NULL, day date NOT NULL, kilograms numeric) PARTITION BY RANGE (day);
CREATE TABLE weights_2024 PARTITION OF weights FOR VALUES FROM ('2024-01-01') TO ('2025-01-01');
CREATE TABLE weights_2025 PARTITION OF weights FOR VALUES FROM ('2025-01-01') TO ('2026-01-01') PARTITION BY LIST (hive);
CREATE TABLE weights_2025_a PARTITION OF weights_2025 FOR VALUES IN (1, 2);
CREATE TABLE weights_2025_b PARTITION OF weights_2025 DEFAULT;
-- No part, one of two, and all of them.
CREATE INDEX weights_by_day ON ONLY weights (day);
CREATE INDEX weights_by_hive ON ONLY weights (hive);
CREATE INDEX weights_2024_by_hive ON weights_2024 (hive);
ALTER INDEX weights_by_hive ATTACH PARTITION weights_2024_by_hive;
CREATE INDEX weights_by_both ON ONLY weights (hive, day);
CREATE INDEX ON weights_2024 (hive, day);
CREATE INDEX ON weights_2025 (hive, day);
ALTER INDEX weights_by_both ATTACH PARTITION weights_2024_hive_day_idx;
ALTER INDEX weights_by_both ATTACH PARTITION weights_2025_hive_day_idx;
-- A part that lacks parts itself.
CREATE INDEX weights_by_kilograms ON ONLY weights (kilograms);
CREATE INDEX weights_2024_by_kilograms ON weights_2024 (kilograms);
CREATE INDEX weights_2025_by_kilograms ON ONLY weights_2025 (kilograms);
CREATE INDEX weights_2025_a_by_kilograms ON weights_2025_a (kilograms);
ALTER INDEX weights_by_kilograms ATTACH PARTITION weights_2024_by_kilograms;
ALTER INDEX weights_2025_by_kilograms ATTACH PARTITION weights_2025_a_by_kilograms;
ALTER INDEX weights_by_kilograms ATTACH PARTITION weights_2025_by_kilograms;
-- A key as the part of a unique index.
CREATE TABLE queens (year int NOT NULL, name text) PARTITION BY LIST (year);
CREATE TABLE queens_2024 PARTITION OF queens (PRIMARY KEY (year)) FOR VALUES IN (2024);
CREATE UNIQUE INDEX queens_by_year ON queens (year);

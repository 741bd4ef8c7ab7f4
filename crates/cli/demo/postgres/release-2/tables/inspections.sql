-- One partition a season.
CREATE TABLE inspections (
    hive_id int NOT NULL REFERENCES hives ON DELETE CASCADE,
    inspected_on date NOT NULL,
    brood_frames smallint NOT NULL DEFAULT 0 CHECK (brood_frames BETWEEN 0 AND 20),
    note text,
    PRIMARY KEY (hive_id, inspected_on)
) PARTITION BY RANGE (inspected_on);

CREATE TABLE inspections_2026 PARTITION OF inspections FOR VALUES FROM ('2026-01-01') TO ('2027-01-01');
CREATE TABLE inspections_2027 PARTITION OF inspections FOR VALUES FROM ('2027-01-01') TO ('2028-01-01');

CREATE INDEX inspections_by_date ON inspections (inspected_on);

CREATE TRIGGER not_in_future BEFORE INSERT OR UPDATE ON inspections
FOR EACH ROW WHEN (NEW.inspected_on > current_date + 1) EXECUTE FUNCTION refuse_future();

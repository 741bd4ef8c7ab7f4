CREATE TABLE inspections (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    hive_id INTEGER NOT NULL REFERENCES hives (id) ON DELETE CASCADE,
    inspected_on TEXT NOT NULL,
    brood_frames INTEGER NOT NULL DEFAULT 0 CHECK (brood_frames BETWEEN 0 AND 20),
    note TEXT
);

CREATE INDEX inspections_by_hive ON inspections (hive_id, inspected_on DESC);
CREATE INDEX inspections_by_date ON inspections (inspected_on);

CREATE TRIGGER inspections_not_in_future BEFORE INSERT ON inspections
WHEN new.inspected_on > date('now', '+1 day')
BEGIN
    SELECT RAISE(ABORT, 'an inspection can''t be in the future');
END;

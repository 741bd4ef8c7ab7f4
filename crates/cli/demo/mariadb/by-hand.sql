CREATE INDEX inspections_by_date ON inspections (inspected_on);
ALTER TABLE hives ADD COLUMN frame_count int;

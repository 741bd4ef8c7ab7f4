CREATE TABLE inspections (
    hive_id int UNSIGNED NOT NULL,
    inspected_on date NOT NULL,
    brood_frames tinyint NOT NULL DEFAULT 0 CHECK (brood_frames BETWEEN 0 AND 20),
    note text,
    PRIMARY KEY (hive_id, inspected_on),
    FOREIGN KEY (hive_id) REFERENCES hives (id) ON DELETE CASCADE
);

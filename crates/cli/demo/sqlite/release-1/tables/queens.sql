CREATE TABLE queens (
    id INTEGER PRIMARY KEY,
    hive_id INTEGER REFERENCES hives (id) ON DELETE SET NULL,
    hatched_on TEXT NOT NULL,
    mark TEXT CHECK (mark IN ('white', 'yellow', 'red', 'green', 'blue'))
);

CREATE INDEX queens_by_hive ON queens (hive_id);

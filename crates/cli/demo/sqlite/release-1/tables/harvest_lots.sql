CREATE TABLE harvest_lots (
    id INTEGER PRIMARY KEY,
    apiary_id INTEGER NOT NULL REFERENCES apiaries (id),
    harvested_on TEXT NOT NULL,
    grams INTEGER NOT NULL CHECK (grams > 0),
    kilograms REAL GENERATED ALWAYS AS (grams / 1000.0) VIRTUAL
) STRICT;

CREATE TABLE hives (
    id INTEGER PRIMARY KEY,
    apiary_id INTEGER NOT NULL REFERENCES apiaries (id) ON DELETE RESTRICT,
    label TEXT NOT NULL,
    kind TEXT NOT NULL DEFAULT 'Zander' CONSTRAINT known_kind CHECK (kind IN ('Dadant', 'Zander', 'Top bar')),
    weight REAL, -- in kilograms, with everything in it
    paint_colour TEXT,
    UNIQUE (apiary_id, label)
);

CREATE TABLE hives (
    id INTEGER PRIMARY KEY,
    apiary_id INTEGER NOT NULL REFERENCES apiaries (id) ON DELETE RESTRICT,
    label TEXT NOT NULL,
    kind TEXT NOT NULL DEFAULT 'Zander' CONSTRAINT known_kind CHECK (kind IN ('Dadant', 'Zander', 'Top bar', 'Warré')),
    weight_kg REAL, -- wevrun: formerly weight
    frame_count INTEGER,
    UNIQUE (apiary_id, label)
);

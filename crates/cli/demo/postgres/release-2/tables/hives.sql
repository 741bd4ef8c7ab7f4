CREATE TABLE hives (
    id serial PRIMARY KEY,
    apiary_id int NOT NULL REFERENCES apiaries ON DELETE RESTRICT,
    label varchar(40) NOT NULL,
    kind hive_kind NOT NULL DEFAULT 'Zander',
    weight_kg numeric(6,2) CHECK (weight_kg BETWEEN 0 AND 500), -- wevrun: formerly weight
    frame_count int,
    UNIQUE (apiary_id, label)
);
COMMENT ON COLUMN hives.weight_kg IS 'in kilograms, with everything in it';

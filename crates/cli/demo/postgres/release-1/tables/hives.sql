CREATE TABLE hives (
    id serial PRIMARY KEY,
    apiary_id int NOT NULL REFERENCES apiaries ON DELETE RESTRICT,
    label varchar(20) NOT NULL,
    kind hive_kind NOT NULL DEFAULT 'Zander',
    weight numeric(6,2) CHECK (weight BETWEEN 0 AND 500), -- in kilograms, with everything in it
    paint_colour text,
    UNIQUE (apiary_id, label)
);
COMMENT ON COLUMN hives.weight IS 'in kilograms, with everything in it';

CREATE TABLE harvest_lots (
    id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    apiary_id int NOT NULL REFERENCES apiaries,
    harvested_on date NOT NULL,
    grams int NOT NULL CHECK (grams > 0),
    kilograms numeric GENERATED ALWAYS AS (grams / 1000.0) STORED
);

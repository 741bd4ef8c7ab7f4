-- One file an object, with the indexes, triggers and comments that belong to it.
CREATE TABLE apiaries (
    id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name text NOT NULL UNIQUE,
    founded_on date NOT NULL CHECK (founded_on >= DATE '1900-01-01'),
    created_at timestamptz NOT NULL DEFAULT now()
);
COMMENT ON TABLE apiaries IS 'Where hives stand';

-- Where the hives stand.
CREATE TABLE apiaries (
    id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
    name text NOT NULL UNIQUE,
    village text NOT NULL,
    founded_on date NOT NULL CHECK (founded_on > '1900-01-01')
);

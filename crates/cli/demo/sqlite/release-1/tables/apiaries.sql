-- Where the hives stand.
CREATE TABLE apiaries (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    village TEXT NOT NULL,
    founded_on TEXT NOT NULL CHECK (founded_on LIKE '____-__-__')
);

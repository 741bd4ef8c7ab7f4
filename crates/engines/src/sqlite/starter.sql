-- One file an object, with the indexes and triggers that belong to it.
CREATE TABLE apiaries (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE,
    founded_on TEXT NOT NULL CHECK (founded_on LIKE '____-__-__')
);

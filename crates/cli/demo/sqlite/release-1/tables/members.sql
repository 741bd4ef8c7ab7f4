CREATE TABLE members (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL COLLATE NOCASE,
    joined_on TEXT NOT NULL
);

CREATE UNIQUE INDEX members_by_name ON members (name);

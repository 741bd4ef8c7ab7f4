CREATE TABLE members (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL COLLATE NOCASE,
    joined_on TEXT NOT NULL,
    payout_method TEXT NOT NULL DEFAULT 'transfer'
);

CREATE UNIQUE INDEX members_by_name ON members (name);

-- Reference rows: what may be used, and how long honey must wait after it.
CREATE TABLE treatments (
    code TEXT PRIMARY KEY,
    name TEXT NOT NULL,
    withdrawal_days INTEGER NOT NULL DEFAULT 0
);

CREATE TABLE payouts (
    member_id INTEGER NOT NULL REFERENCES members (id),
    lot_id INTEGER NOT NULL REFERENCES harvest_lots (id),
    cents INTEGER NOT NULL CHECK (cents >= 0),
    PRIMARY KEY (member_id, lot_id)
) WITHOUT ROWID;

CREATE TABLE forage_sites (
    id INTEGER PRIMARY KEY,
    apiary_id INTEGER NOT NULL REFERENCES apiaries (id),
    plant TEXT NOT NULL,
    blooms_from TEXT,
    blooms_to TEXT
);

-- A full-text search over the plants, kept in step by the trigger below.
CREATE VIRTUAL TABLE forage_search USING fts5 (plant, content = 'forage_sites', content_rowid = 'id');

CREATE TRIGGER forage_sites_added AFTER INSERT ON forage_sites
BEGIN
    INSERT INTO forage_search (rowid, plant) VALUES (new.id, new.plant);
END;

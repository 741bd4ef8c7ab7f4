-- What LIKE copies: once, when the table is made, with indexes, keys and statistics under names of the new table.
CREATE TABLE hives (
    id int PRIMARY KEY,
    name text NOT NULL DEFAULT 'nameless' COLLATE "C",
    frames int,
    weight numeric GENERATED ALWAYS AS (frames * 2.5) STORED,
    CONSTRAINT has_frames CHECK (frames > 0),
    UNIQUE (name, frames)
);
CREATE INDEX heavy ON hives (frames DESC NULLS LAST) WHERE frames > 8;
CREATE INDEX ON hives (lower(name), frames) INCLUDE (weight);
CREATE UNIQUE INDEX by_pattern ON hives (name text_pattern_ops) WITH (fillfactor = 50);
COMMENT ON INDEX by_pattern IS 'for prefixes';
COMMENT ON COLUMN hives.name IS 'painted on the front';
COMMENT ON CONSTRAINT has_frames ON hives IS 'an empty box is no hive';
CREATE STATISTICS what_goes_together ON frames, name FROM hives;
ALTER TABLE hives ALTER name SET STATISTICS 100;
CREATE TABLE hives_sold (LIKE hives INCLUDING ALL, price numeric, sold_on date NOT NULL);
CREATE TABLE hives_lent (LIKE hives INCLUDING INDEXES INCLUDING COMMENTS);
CREATE TABLE hives_bare (note text, LIKE hives, last int);
CREATE TABLE hives_checked (LIKE hives INCLUDING CONSTRAINTS);
CREATE TABLE hives_counted (LIKE hives INCLUDING STATISTICS);
-- What comes to the pattern later is not copied; what was there for a while is.
CREATE INDEX later ON hives (frames);
ALTER TABLE hives ADD inspected date, ALTER frames SET NOT NULL;
CREATE TABLE hives_inspected (LIKE hives INCLUDING ALL EXCLUDING COMMENTS);
ALTER TABLE hives DROP COLUMN inspected;
ALTER TABLE hives_inspected DROP COLUMN weight;
ALTER TABLE hives_bare RENAME name TO called;
-- Exclusion constraints.
CREATE TABLE visits (hive int4range, at tsrange, EXCLUDE USING gist (hive WITH =, at WITH &&));
CREATE TABLE visits_planned (LIKE visits INCLUDING ALL);
-- Partitions that are made as copies, and copies of partitions.
CREATE TABLE weights (id int NOT NULL, at date NOT NULL, kg numeric, CHECK (kg > 0)) PARTITION BY RANGE (at);
CREATE INDEX ON weights (kg);
ALTER TABLE weights ADD PRIMARY KEY (at, id);
CREATE TABLE weights_rest PARTITION OF weights DEFAULT;
CREATE TABLE weights_2026 (LIKE weights INCLUDING ALL);
ALTER TABLE weights ATTACH PARTITION weights_2026 FOR VALUES FROM ('2026-01-01') TO ('2027-01-01');
CREATE TABLE weights_2027 (LIKE weights INCLUDING DEFAULTS INCLUDING CONSTRAINTS);
ALTER TABLE weights ATTACH PARTITION weights_2027 FOR VALUES FROM ('2027-01-01') TO ('2028-01-01');
CREATE TABLE weights_checked (LIKE weights_rest INCLUDING ALL);
-- A copy of a child, and of a copy in another schema.
CREATE TABLE animals (id serial PRIMARY KEY, name text CHECK (name <> ''));
CREATE TABLE bees (stings int NOT NULL) INHERITS (animals);
CREATE INDEX ON bees (stings);
CREATE TABLE bees_seen (LIKE bees INCLUDING ALL);
CREATE SCHEMA archive;
SET search_path = archive, public;
CREATE TABLE animals (LIKE public.animals INCLUDING ALL EXCLUDING CONSTRAINTS);
CREATE TABLE animals_once (LIKE animals INCLUDING INDEXES);
CREATE TABLE animals_twice (LIKE animals_once INCLUDING INDEXES, FOREIGN KEY (id) REFERENCES animals_once (id));
ALTER TABLE animals RENAME TO animals_old;
CREATE TABLE animals (LIKE animals_old INCLUDING ALL);
DROP TABLE animals_old;
-- Of a type, and of names in quotes.
CREATE TYPE place AS (latitude float, name text COLLATE "C");
CREATE TABLE apiaries (LIKE place, "Opened On" date, UNIQUE ("Opened On"));
CREATE INDEX ON apiaries (name, "Opened On");
CREATE STATISTICS by_day (ndistinct) ON latitude, "Opened On" FROM apiaries;
CREATE TABLE "Apiaries Closed" (first int, LIKE apiaries INCLUDING ALL, LIKE visits);

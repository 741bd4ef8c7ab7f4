-- A table on which much depends.
CREATE TYPE mood AS ENUM ('calm', 'busy');
CREATE TABLE sites (id integer PRIMARY KEY, name text);
CREATE TABLE hives (id serial PRIMARY KEY, site integer REFERENCES sites, label varchar(20) NOT NULL UNIQUE, mood mood DEFAULT 'calm',
    weight numeric CHECK (weight > 0), double numeric GENERATED ALWAYS AS (weight * 2) STORED,
    number integer GENERATED ALWAYS AS IDENTITY, note text);
CREATE INDEX ON hives (lower(label));
CREATE INDEX hives_by_mood ON hives (mood) WHERE weight > 1;
COMMENT ON TABLE hives IS 'one a colony';
COMMENT ON COLUMN hives.label IS 'painted on the front';
CREATE TABLE weighings (hive integer REFERENCES hives (id), at date, PRIMARY KEY (hive, at));
CREATE VIEW everything AS SELECT * FROM hives;
CREATE VIEW noted AS SELECT id, label FROM everything WHERE note IS NOT NULL;
CREATE MATERIALIZED VIEW labels AS SELECT label FROM hives;
CREATE UNIQUE INDEX ON labels (label);
CREATE FUNCTION label_of(hives) RETURNS text LANGUAGE sql AS 'SELECT $1.label';
CREATE FUNCTION seen() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END';
CREATE TRIGGER seen BEFORE INSERT ON hives FOR EACH ROW EXECUTE FUNCTION seen();
CREATE RULE told AS ON DELETE TO hives DO ALSO NOTIFY hives;
ALTER TABLE hives ENABLE ROW LEVEL SECURITY;
CREATE POLICY positive ON hives USING (id > 0);
CREATE STATISTICS pairs ON site, label FROM hives;
ALTER TABLE hives REPLICA IDENTITY FULL;
